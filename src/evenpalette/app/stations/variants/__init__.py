"""Variants: named sets of values."""

from evenpalette.app.station import Hint, Place

PLACE = Place(
    "variants",
    "Variants",
    4,
    Hint(
        "A variant is a name for a set of values. Derive one that follows its parent: press Ctrl+D.",
        lambda session, _: len(session.state.project.variants),
    ),
    lambda state, _: bool(state.project.variants),
)
