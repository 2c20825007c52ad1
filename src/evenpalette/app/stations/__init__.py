"""The six places of the work, a folder each, in the order people do it. What a station is made of is loaded when it is
first needed; a folder here that defines PLACE is one, nothing lists them by hand."""

from evenpalette.app.station import Place
from evenpalette.core.registry import Registry

STATIONS: tuple[Place, ...] = tuple(Registry[Place](__name__, __path__, "PLACE").values())
