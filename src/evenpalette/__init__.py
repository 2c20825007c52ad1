"""Even Palette: recolor game assets at runtime, without repainting textures.

    import evenpalette

    project = evenpalette.open("market/lantern")
    project.variants["Ember"]["Paper tint"] = "#b03020"
    project.deliver("out", layout="packed")
    project.save()

What a script may rely on is named in `__all__` and described in docs/reference; it is loaded when it is first asked
for. Everything beneath `evenpalette.core` may change.
"""

import os
from importlib import import_module
from typing import TYPE_CHECKING, Any

# Read when the libraries are loaded. NumPy's linear algebra is small here, while its waiting threads burn a fifth of
# the time of a start; our own threads share out what is large. pydantic need not look for plugins in every package.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")

__version__ = "0.10.5"

if TYPE_CHECKING:
    from evenpalette.api import (
        API_VERSION,
        Collection,
        Delivery,
        Error,
        Finding,
        Pair,
        Parameter,
        Project,
        Region,
        SharedEffect,
        Step,
        Variant,
        Variants,
        new,
        new_collection,
        open,  # noqa: A004 - a name of its own
        open_collection,
    )  # fmt: skip

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
    "__version__",
    "new",
    "new_collection",
    "open",
    "open_collection",
]


def __getattr__(name: str) -> Any:
    if name in __all__:
        return getattr(import_module("evenpalette.api"), name)
    raise AttributeError(f"module 'evenpalette' has no attribute '{name}'")


def __dir__() -> list[str]:
    return sorted(__all__)
