"""What a worker does, wherever it is: takes a packed project and a part as data, gives bytes back."""

from collections import OrderedDict
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from threading import Lock
from typing import Any

from evenpalette import __version__
from evenpalette.core.batch.parts import Made, Part, make
from evenpalette.core.batch.wish import Wish
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State
from evenpalette.core.limits import own_factor
from evenpalette.core.parallel import threads
from evenpalette.core.raster.reading import DerivedPictures, own_derived
from evenpalette.core.recipe.own_kinds import take_own
from evenpalette.core.storage.pack import unpack_project
from evenpalette.core.storage.storage import Storage
from evenpalette.core.temp_folder import temp_folder

#: Projects that a worker keeps open: the parts of one mostly come one after the other.
_KEPT = 2


@dataclass(frozen=True)
class Job:
    """project: the name of a packed project's content. path: where its blob lies on this machine, for workers that are
    here too. wish, part: data. threads: that may be used. limits: the factor by which whoever asked has raised them."""

    project: str
    path: str
    wish: dict[str, Any]
    part: dict[str, Any]
    threads: int = 1
    limits: float = 1.0

    def blob(self) -> bytes:
        """The packed project."""
        return Path(self.path).read_bytes()


class _Opened:
    """The projects that are open in this process, by the names of their contents."""

    def __init__(self) -> None:
        self._held: OrderedDict[str, tuple[State, DerivedPictures]] = OrderedDict()
        self._lock = Lock()

    def get(self, key: str, blob: bytes) -> tuple[State, DerivedPictures]:
        """The project, and what was derived from its pictures by tasks before."""
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
                return self._held[key]
        with temp_folder("job") as place:
            unpack_project(blob, place / "project")
            state = Storage(place / "project").open()
        with self._lock:
            held = self._held[key] = state, DerivedPictures()
            while len(self._held) > _KEPT:
                self._held.popitem(last=False)
        return held


_opened = _Opened()


def work(
    project: str, blob: bytes, wish: Mapping[str, Any], part: Mapping[str, Any], count: int = 1, limits: float = 1.0
) -> Made:  # fmt: skip
    """Make a part of a packed project with so many threads and limits raised by a factor. What a task has of its own,
    threads, limits and pictures derived, is nobody else's in the process. What goes wrong with the project is an
    EvenPaletteError."""
    _own_kinds()
    with threads(count), own_factor(limits):
        state, derived = _opened.get(project, blob)
        with own_derived(derived):
            return make(state, Wish.from_data(wish), Part(**part))


@cache
def _own_kinds() -> None:
    """What is installed here besides ours, once for the process."""
    take_own()


def version() -> str:
    """Of the package that this worker has."""
    return __version__
