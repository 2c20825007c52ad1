"""The forms in which a delivery leaves, one file each. A file here that defines TARGET is one; nothing lists them by
hand."""

from evenpalette.core.delivery.target import Target
from evenpalette.core.registry import Registry

TARGETS: Registry[Target] = Registry(__name__, __path__, "TARGET")
