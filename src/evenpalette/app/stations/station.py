"""What a station is, to the window: a key, a title, a bench that is made on the first visit, and its verbs."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Generic, TypeVar

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
    """key: as in findings and settings. verbs: given the document's room and a function that goes to the station and
    gives its bench, so that a verb may be asked for from anywhere."""

    key: str
    title: str
    make: Callable[[Room], Bench]
    verbs: Callable[[Room, Callable[[], Bench]], list[Verb]] = lambda _room, _bench: []
