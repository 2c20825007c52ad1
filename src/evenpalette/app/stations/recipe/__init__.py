"""Recipe: the steps that recolor."""

from evenpalette.app.station import Hint, Place
from evenpalette.app.views.stages import StationLook

PLACE = Place(
    "recipe",
    "Recipe",
    3,
    Hint(
        "Steps color the tone from left to right. Give a row another color: click on its color field, or pull a slider.",
        lambda session, _: session.state.values(session.state.project.active_variant),
    ),
    lambda state, _: bool(state.project.recipe.steps),
    ready=lambda state: bool(state.project.recipe.steps),
    look=StationLook(limits_steps=True),
)
