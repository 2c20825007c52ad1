"""What is known of the assets of a collection, gathered beside the window: names at once, pictures soon, then what
takes longest."""

from collections.abc import Callable, Mapping
from dataclasses import field
from pathlib import Path
from threading import Event, Lock

from PyQt6.QtCore import QObject, pyqtSignal

from evenpalette.app.newest import Newest, Wish
from evenpalette.app.session import Session
from evenpalette.app.tasks import Task
from evenpalette.app.timers import timer
from evenpalette.core.batch.delivery import is_delivered
from evenpalette.core.collection.across import changes_in, values_with
from evenpalette.core.collection.files import CollectionFile
from evenpalette.core.collection.model import CollectedProject, Collection
from evenpalette.core.collection.shared import SharedChange
from evenpalette.core.consent import inside
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.project import Project
from evenpalette.core.document.state import State
from evenpalette.core.document.variant import DEFAULTS_NAME, lineage
from evenpalette.core.errors import Cancelled, EvenPaletteError
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.findings import find_all
from evenpalette.core.parallel import run_over
from evenpalette.core.storage.description import PROJECT_FILE
from evenpalette.core.storage.storage import Storage
from evenpalette.core.values import Value
from evenpalette.core.variants.portrait import Sitting

#: Pixels of a picture where there are up to so many assets, and of more; milliseconds between two looks at the files.
_PICTURES, _SMALLEST, _LOOK_MS = ((4, 232), (9, 208), (16, 160)), 128, 1000
#: How an asset stands against its last delivery.
DELIVERED, CHANGED, NOT_DELIVERED = "delivered", "changed since it was delivered", "not delivered"


@dataclass
class Asset:
    """One asset. project: what its file says, None where it cannot be read, for the reason of `problem`. variant: that
    it is shown in. findings, delivered: None while it is not known."""

    collected: CollectedProject
    folder: Path
    project: Project | None = None
    problem: str = ""
    variant: str | None = None
    findings: list[Finding] | None = None
    delivered: str | None = None
    mark: tuple[int, int] = (0, 0)
    sitting: Sitting | None = None
    lock: Lock = field(default_factory=Lock)

    @property
    def name(self) -> str:
        """What it is called."""
        return self.project.name if self.project is not None else self.collected.id

    def variant_name(self, variant: str | None) -> str:
        """What a variant is called."""
        found = [v.name for v in self.project.variants if v.id == variant] if self.project is not None else []
        return found[0] if found else DEFAULTS_NAME


class Gatherer(QObject):
    """Reads a collection and its assets, and looks whether they change."""

    #: The assets are listed anew.
    listed = pyqtSignal()
    #: A picture of an asset, by its place: uint8 RGBA.
    drawn = pyqtSignal(int, object)
    #: Something else of an asset is known, by its place.
    known = pyqtSignal(int)
    #: The file cannot be read: why.
    failed = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self.file: CollectionFile | None = None
        self.collection = Collection()
        #: As it would be with what is tried out.
        self.tried: Collection | None = None
        self.assets: list[Asset] = []
        #: The shared value that is looked at, '' for none: what follows it is shown in a variant that does.
        self.focus = ""
        #: Where it was delivered to, None for nowhere that is known.
        self.out: Path | None = None
        self._stop = Event()
        self._again = Newest(session, "Pictures", 30, self._wish, self)
        self._timer = timer(self, _LOOK_MS, once=False)
        self._timer.timeout.connect(self._look)
        self._mark = (0, 0)
        session.changed.connect(lambda _: self._follow_window())

    @property
    def picture_size(self) -> int:
        """Pixels of each picture: few assets are shown large."""
        return next((size for most, size in _PICTURES if len(self.assets) <= most), _SMALLEST)

    def describe(self, asset: Asset) -> None:
        """Take up what a project says: as it is open in the window, else as it is saved. Raises EvenPaletteError."""
        read_description(asset)
        if self.is_open_here(asset):
            asset.project = self._session.state.project

    def is_open_here(self, asset: Asset) -> bool:
        """Whether it is the project of the window."""
        path = self._session.path
        return path is not None and path.resolve() == asset.folder.resolve()

    def _follow_window(self) -> None:
        """What is done to the project of the window is seen here too."""
        for place, asset in enumerate(self.assets):
            if self.is_open_here(asset) and asset.project is not self._session.state.project:
                asset.project = self._session.state.project
                self.redraw()
                self.known.emit(place)

    def open(self, path: Path) -> None:
        """Read a collection from now on."""
        self.close()
        file, stop = CollectionFile(path), self._stop
        self.file, self.tried = file, None

        def work(_: object) -> tuple[Collection, list[Asset], tuple[int, int]]:
            mark = _mark(path)
            collection = file.read()
            assets = [Asset(collected, file.folder / collected.path) for collected in collection.projects]
            return collection, assets, mark

        def done(found: tuple[Collection, list[Asset], tuple[int, int]]) -> None:
            if stop.is_set():
                return
            self.collection, self.assets, self._mark = found
            self.listed.emit()
            self._gather(range(len(self.assets)))
            self._timer.start()

        def failed(error: Exception) -> None:
            if not stop.is_set():
                self.failed.emit(str(error))

        self._session.tasks.start(Task("Reading the collection", work, done, failed, exclusive=False))

    def close(self) -> None:
        """Look at nothing any more."""
        self._stop.set()
        self._stop = Event()
        self._timer.stop()
        self.assets, self.collection, self.file, self.tried = [], Collection(), None, None

    def write(self, change: Callable[[Collection], Collection]) -> bool:
        """Change the file; says what kept it from that."""
        assert self.file is not None
        try:
            made = change(self.collection)
            self.file.write(made)
        except EvenPaletteError as error:
            self._session.said.emit(str(error), True)
            return False
        self.collection, self._mark = made, _mark(self.file.path)
        return True

    def read_again(self) -> None:
        """Take up what the files say now."""
        if self.file is not None:
            shown = {asset.collected.id: asset.variant for asset in self.assets}
            path, out = self.file.path, self.out

            def keep() -> None:
                self.listed.disconnect(keep)
                for asset in self.assets:
                    asset.variant = shown.get(asset.collected.id, asset.variant)

            self.listed.connect(keep)
            self.open(path)
            self.out = out

    def redraw(self) -> None:
        """Draw all pictures as they are now, or would be with what is tried out."""
        self._again.ask()

    def look_at_deliveries(self) -> None:
        """Look anew how the assets stand against their last delivery."""
        stop, assets = self._stop, self.assets

        def work(_: object) -> None:
            for place, asset in enumerate(assets):
                if stop.is_set():
                    return
                self._stand(asset)
                self.known.emit(place)

        self._do_aside("Deliveries of the collection", work)

    def _do_aside(self, label: str, work: Callable[[object], None]) -> None:
        failed = self._session.failed
        self._session.tasks.start(Task(label, work, lambda _: None, failed, exclusive=False, aside=True, yields=True))

    def _stand(self, asset: Asset) -> None:
        """Find out how an asset stands against its last delivery."""
        if asset.project is None or asset.problem:
            return
        try:
            delivered = is_delivered(asset.folder, self.out / asset.collected.id) if self.out is not None else None
            asset.delivered = NOT_DELIVERED if delivered is None else DELIVERED if delivered else CHANGED
        except EvenPaletteError as error:
            asset.problem = str(error)

    def changes(self, asset: Asset) -> list[SharedChange]:
        """What is tried out would change in an asset."""
        if self.file is None or asset.project is None:
            return []
        return list(changes_in(State(asset.project), self.file.path, self.tried or self.collection))

    def _gather(self, places) -> None:  # type: ignore[no-untyped-def]
        stop, assets = self._stop, self.assets
        file, size = self.file, self.picture_size

        def describe(place: int) -> None:
            if stop.is_set():
                raise Cancelled("closed")
            asset = assets[place]
            if asset.project is not None or asset.problem:
                return
            try:
                if file is not None:
                    asset.folder = file.folder_of(asset.collected)
                self.describe(asset)
            except EvenPaletteError as error:
                asset.problem = str(error)
            if not stop.is_set():
                self.known.emit(place)

        def picture(place: int) -> None:
            if stop.is_set():
                raise Cancelled("closed")
            asset = assets[place]
            if asset.project is None:
                return
            try:
                state = Storage(asset.folder).open()
                with asset.lock:
                    asset.sitting = Sitting(state, size)
                self._draw(place, asset, stop)
            except EvenPaletteError as error:
                asset.problem = str(error)
                self.known.emit(place)

        def look(place: int) -> None:
            if stop.is_set():
                raise Cancelled("closed")
            asset = assets[place]
            if asset.project is None or asset.problem:
                return
            try:
                collection = str(file.path.resolve()) if file is not None else ""
                own = inside(asset.folder)
                state = Storage(asset.folder).open()
                asset.findings = find_all(state, may_read=lambda path: own(path) or path == collection)
                self._stand(asset)
            except EvenPaletteError as error:
                asset.problem = str(error)
            if not stop.is_set():
                self.known.emit(place)

        def work(_: object) -> None:
            # What files say, then pictures of all, then what takes longer.
            try:
                run_over(list(places), describe)
                run_over(list(places), picture)
                run_over(list(places), look)
            except Cancelled:
                return

        self._do_aside("Pictures of the collection", work)

    def _draw(self, place: int, asset: Asset, stop: Event) -> None:
        with asset.lock:
            sitting, project = asset.sitting, asset.project
            if sitting is None or project is None:
                return
            made = sitting.picture(self._values(asset, project))
        if not stop.is_set():
            self.drawn.emit(place, made)

    def follows_focus(self, asset: Asset) -> bool:
        """Whether anything of an asset follows the value that is looked at."""
        return any(change.follow.shared == self.focus for change in self.changes(asset))

    def shown_variant(self, asset: Asset) -> str | None:
        """The variant that an asset is shown in: the chosen one, or where that does not follow the value that is looked
        at, the first that does."""
        project = asset.project
        if not self.focus or project is None:
            return asset.variant
        places = {c.follow.variant: c.follow.parameter for c in self.changes(asset) if c.follow.shared == self.focus}
        if not places or None in places or asset.variant in places:
            return asset.variant
        if any(v.id in places for v in lineage(project.variants, asset.variant)):
            return asset.variant
        return next((v.id for v in project.variants if v.id in places), asset.variant)

    def _values(self, asset: Asset, project: Project) -> Mapping[str, Value]:
        variant = self.shown_variant(asset)
        values = State(project).values(variant)
        return values_with(project, values, variant, self.changes(asset)) if self.tried is not None else values

    def _wish(self) -> Wish | None:
        assets, stop = list(self.assets), self._stop
        if not assets:
            return None

        def work() -> None:
            try:
                run_over(list(enumerate(assets)), lambda one: self._draw(*one, stop))
            except Cancelled:
                return

        return work, lambda _: None

    def _look(self) -> None:
        """See whether somebody changed the collection, or an asset."""
        if self.file is None or self._session.tasks.is_busy:
            return
        if _mark(self.file.path) != self._mark:
            self._mark = _mark(self.file.path)
            self.read_again()
            return
        changed = []
        for place, asset in enumerate(self.assets):
            if asset.project is None and not asset.problem:
                continue  # it is on its way
            if _mark(asset.folder / PROJECT_FILE) != asset.mark:
                try:
                    asset.problem = ""
                    self.describe(asset)
                except EvenPaletteError as error:
                    asset.problem, asset.project = str(error), None
                changed.append(place)
                self.known.emit(place)
        if changed:
            self._gather(changed)


def read_description(asset: Asset) -> None:
    """What the project's file says. Raises EvenPaletteError."""
    asset.mark = _mark(asset.folder / PROJECT_FILE)
    asset.project = Storage(asset.folder).open_description()
    if asset.variant is None or all(v.id != asset.variant for v in asset.project.variants):
        asset.variant = asset.project.active_variant


def _mark(path: Path) -> tuple[int, int]:
    try:
        said = path.stat()
    except OSError:
        return (0, 0)
    return said.st_mtime_ns, said.st_size
