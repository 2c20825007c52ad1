"""What a station is, to the window: a place on the path, and in its folder a bench that is made on the first visit,
and its verbs."""

from collections.abc import Callable, Sequence
from dataclasses import field
from importlib import import_module
from typing import Any, Generic, TypeVar

from PyQt6.QtWidgets import QWidget

from evenpalette.app.bakes import BakeKeeper
from evenpalette.app.rail import VariantRail
from evenpalette.app.session import Session
from evenpalette.app.verbs import Verb
from evenpalette.app.views import TwinViews
from evenpalette.app.views.stages import StationLook
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State
from evenpalette.core.findings.finding import Finding

Bench = TypeVar("Bench", bound=QWidget)


@dataclass(frozen=True)
class Workplace:
    """What every bench can work with: the document, its bakes, the views and the variants."""

    session: Session
    bakes: BakeKeeper
    views: TwinViews
    rail: VariantRail


@dataclass(frozen=True)
class Station(Generic[Bench]):
    """verbs: given the document's room and a function that goes to the station and gives its bench, so that a verb may
    be asked for from anywhere."""

    make: Callable[[Workplace], Bench]
    verbs: Callable[[Workplace, Callable[[], Bench]], list[Verb]] = lambda _room, _bench: []


@dataclass(frozen=True)
class Hint:
    """What the first walk says at a station. mark: a look at what the deed changes; it is done when that differs."""

    text: str
    mark: Callable[[Session, TwinViews], object]


@dataclass(frozen=True)
class Place:
    """A station on the path, all that is known of it before it is visited: the folder of its key in `stations/`, whose
    `__init__` defines PLACE.

    order: on the path, as findings have it. look: what the views show there. hint: of the first walk. touched: whether
    something was done there; open findings of any station are handed to it. ready: whether a project that is opened
    anew may begin there; the last station that is takes it.
    """

    key: str
    title: str
    order: int
    hint: Hint
    touched: Callable[[State, Sequence[Finding]], bool]
    ready: Callable[[State], bool] = lambda _: False
    look: StationLook = field(default_factory=StationLook)

    @property
    def station(self) -> Station[Any]:
        """What its bench says of it."""
        return import_module(f"evenpalette.app.stations.{self.key}.bench").STATION

    def state_text(self, state: State, findings: Sequence[Finding]) -> str:
        """'untouched', 'in order', or the number of open findings as text."""
        count = sum(1 for finding in findings if finding.station == self.key)
        return str(count) if count else "in order" if self.touched(state, findings) else "untouched"
