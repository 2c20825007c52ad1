"""The promised Python interface: projects opened, recolored, looked at and delivered by a script.

The same functions as the window and the command line use, without either. Names, signatures and meanings that stand
here do not change but with API_VERSION. Import them from `evenpalette`.
"""

from evenpalette.api.collection import Collection, SharedEffect, new_collection, open_collection
from evenpalette.api.places import Finding, Pair, Parameter, Region, Step
from evenpalette.api.project import Delivery, Project, new, open  # noqa: A004 - a name of its own
from evenpalette.api.variants import Variant, Variants
from evenpalette.core.errors import EvenPaletteError as Error

#: Raised in its first number when something that was promised changes, in its second when something comes.
API_VERSION = "1.2"

__all__ = [
    "API_VERSION",
    "Collection",
    "Delivery",
    "Error",
    "Finding",
    "Pair",
    "Parameter",
    "Project",
    "Region",
    "SharedEffect",
    "Step",
    "Variant",
    "Variants",
    "new",
    "new_collection",
    "open",
    "open_collection",
]
