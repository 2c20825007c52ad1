"""Tones: grays and palettes that can be recolored."""

from evenpalette.app.station import Hint, Place
from evenpalette.app.views.stages import StationLook
from evenpalette.gpu.look import Show

PLACE = Place(
    "tones",
    "Tones",
    2,
    Hint(
        "The paint became a neutral gray with a tint for each region. Compare with the painted original: press C.",
        lambda _, views: views.shown.against,
    ),
    lambda state, _: state.tone is not None,
    ready=lambda state: bool(state.project.regions.regions),
    look=StationLook(lambda state: (Show.RECIPE, Show.TONE if state.tone is not None else Show.RECIPE)),
)
