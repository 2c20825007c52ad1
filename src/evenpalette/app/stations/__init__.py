"""The six places of the work, in the order people do it. What a station is made of is loaded when it is first
needed."""

from evenpalette.app.stations.station import Place, Room, Station

STATIONS = (
    Place("asset", "Asset"), Place("regions", "Regions"), Place("tones", "Tones"), Place("recipe", "Recipe"),
    Place("variants", "Variants"), Place("delivery", "Delivery"),
)  # fmt: skip

__all__ = ["STATIONS", "Place", "Room", "Station"]
