"""The six places of the work, in the order people do it."""

from evenpalette.app.stations import asset, delivery, recipe, regions, tones, variants
from evenpalette.app.stations.station import Room, Station

STATIONS: tuple[Station, ...] = (
    asset.STATION, regions.STATION, tones.STATION, recipe.STATION, variants.STATION, delivery.STATION,
)  # fmt: skip

__all__ = ["STATIONS", "Room", "Station"]
