"""A region by its id, '' for none."""

from evenpalette.core.values.kind import ValueKind, ValueType, text_of

KIND = ValueKind(ValueType.REGION, 8, lambda value, within: text_of(value, ValueType.REGION, within))
