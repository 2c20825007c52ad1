"""Delivery: what a game gets."""

from evenpalette.app.station import Hint, Place

PLACE = Place(
    "delivery",
    "Delivery",
    5,
    Hint(
        "Textures, parameters and shader code for the game. Choose what is written: click on a variant or a map.",
        lambda session, _: session.state.project.delivery,
    ),
    lambda state, open_: bool(state.project.variants) and bool(state.project.recipe.steps) and not open_,
)
