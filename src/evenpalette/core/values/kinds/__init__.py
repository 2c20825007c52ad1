"""The kinds of values, one file each. A file here that defines KIND is one; nothing lists them by hand."""

from evenpalette.core.registry import Registry
from evenpalette.core.values.kind import ValueKind

KINDS: Registry[ValueKind] = Registry(__name__, __path__, "KIND")
