"""Typed values. What each kind of them knows lies in `kinds`, a file each; an `Input` describes what reads one."""

from evenpalette.core.values.kind import Value, ValueKind, ValueType
from evenpalette.core.values.kinds import KINDS
from evenpalette.core.values.kinds.channel import ChannelRef
from evenpalette.core.values.kinds.stops import format_stops, parse_stops
from evenpalette.core.values.kinds.vector import vector_parts, vector_text
from evenpalette.core.values.value import Input, parse_value, value_text

__all__ = [
    "KINDS", "ChannelRef", "Input", "Value", "ValueKind", "ValueType", "format_stops", "parse_stops", "parse_value",
    "value_text", "vector_parts", "vector_text",
]  # fmt: skip
