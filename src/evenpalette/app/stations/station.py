"""What a station is, to the window: a place with a key and a title, and in its file a bench that is made on the first
visit, and its verbs."""

from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module
from typing import Any, Generic, NamedTuple, TypeVar

from PyQt6.QtWidgets import QWidget

from evenpalette.app.rail import VariantRail
from evenpalette.app.session import Session
from evenpalette.app.verbs import Verb
from evenpalette.app.views import TwinViews

Bench = TypeVar("Bench", bound=QWidget)


@dataclass(frozen=True)
class Room:
    """What every bench can work with: the document, the views and the variants."""

    session: Session
    views: TwinViews
    rail: VariantRail


@dataclass(frozen=True)
class Station(Generic[Bench]):
    """verbs: given the document's room and a function that goes to the station and gives its bench, so that a verb may
    be asked for from anywhere."""

    make: Callable[[Room], Bench]
    verbs: Callable[[Room, Callable[[], Bench]], list[Verb]] = lambda _room, _bench: []


class Place(NamedTuple):
    """A station on the path. key: as in findings and settings, and the name of its file."""

    key: str
    title: str

    @property
    def station(self) -> Station[Any]:
        """What its file says of it."""
        return import_module(f"evenpalette.app.stations.{self.key}").STATION  # type: ignore[no-any-return]
