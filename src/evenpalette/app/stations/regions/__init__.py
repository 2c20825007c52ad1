"""Regions: dividing the surface."""

from evenpalette.app.station import Hint, Place
from evenpalette.app.views.stages import StationLook

PLACE = Place(
    "regions",
    "Regions",
    1,
    Hint(
        "What is recolored as one is a region. Click on another part of the model to select its region.",
        lambda session, _: session.selection.region,
    ),
    lambda state, _: bool(state.project.regions.regions),
    ready=lambda state: bool(state.project.asset.textures),
    look=StationLook(lays_regions=True),
)
