"""What lies on both sides of the wipe: variants, the original, a former save, a delivery; how far they are apart."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QFileDialog, QGridLayout, QMenu, QVBoxLayout, QWidget

from evenpalette.app.newest import Newest, Wish
from evenpalette.app.session import Session
from evenpalette.app.settings import delivered_to
from evenpalette.app.tasks import Task
from evenpalette.app.views.headers import BEFORE, DEFAULTS, NOTHING, PAINTED
from evenpalette.app.views.shown import BESIDE, Shown
from evenpalette.app.widgets.basics import button, captions, choice, label, row
from evenpalette.core.delivery.beside import (
    RegionApart,
    apart_by_region,
    delivered_picture,
    former_of,
    former_picture,
    picture_of,
)
from evenpalette.core.document.state import State
from evenpalette.core.document.variant import DEFAULTS_NAME
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.raster.raster import Raster

#: Regions whose difference is said.
_SAID = 8


class ComparePopup(QWidget):
    """Two boxes with the same offers, three ways to get a picture, and the difference of both sides in words."""

    def __init__(self, session: Session, shown: Shown, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setObjectName("chrome")
        self._session, self._shown = session, shown
        self.first = choice("Left of the line", taken=lambda key: self._shown.set_first(str(key)))
        self.second = choice("Right of the line", taken=lambda key: self._shown.set_against(str(key)))
        for box in (self.first, self.second):
            box.setMinimumWidth(220)
        self._saves = button(
            "A former save ...",
            self._offer_saves,
            tip="As it was opened, at each save since, or in another copy of the project",
        )
        self.said = label("", "note")
        self.said.setWordWrap(True)
        grid = QGridLayout()
        captions(grid, (("Left", self.first), ("Right", self.second)))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 10, 12, 10)
        layout.setSpacing(8)
        layout.addLayout(grid)
        layout.addWidget(
            row(
                button("Last save", self.take_last_save, tip="The active variant as the project on disk has it"),
                self._saves,
                button("A delivery ...", self.ask_delivery, tip="The same variant as it lies in a folder"),
                spacing=4,
            )
        )  # fmt: skip
        layout.addWidget(self.said)
        self.setMinimumWidth(400)
        self._newest = Newest(session, "Measuring what differs", 120, self._wish, self)
        shown.changed.connect(self._on_change)
        session.changed.connect(lambda _: self._on_change())
        self.fill()

    def _on_change(self) -> None:
        if self.isVisible():
            self.fill()

    def fill(self) -> None:
        """Offer what there is now."""
        state, shown = self._session.state, self._shown
        offers = [("Painted original", PAINTED), (DEFAULTS_NAME, DEFAULTS)]
        offers += [(v.name, v.id) for v in state.project.variants]
        offers += [(name, BESIDE + key) for key, (name, _) in shown.beside.items()]
        for box, begin, chosen in (
            (self.first, [("The active variant", NOTHING)], shown.first), (self.second, [("Nothing", NOTHING), ("Before the step", BEFORE)], shown.against),
        ):  # fmt: skip
            box.blockSignals(True)
            box.clear()
            for words, key in (*begin, *offers):
                box.addItem(words, key)
            box.setCurrentIndex(max(0, box.findData(chosen)))
            box.blockSignals(False)
        self._newest.ask()

    # --- what is held against ------------------------------------------------------------------------------------

    def take_last_save(self) -> None:
        """Hold the active variant against the project on disk."""
        path = self._session.path
        if path is None:
            self._session.said.emit("The project was not saved yet.", True)
            return
        self._take("Last save", lambda state, variant: former_picture(path, state, variant))

    def _offer_saves(self) -> None:
        """The last save on disk, and those before it."""
        menu = QMenu(self)
        menu.addAction("Last save", self.take_last_save)
        for words, former in self._session.keeping.former:
            menu.addAction(words, lambda words=words, former=former: self.take_former(words, former))
        menu.addSeparator()
        menu.addAction("Another copy of the project ...", self.ask_save)
        menu.exec(self._saves.mapToGlobal(QPoint(0, self._saves.height())))

    def take_former(self, words: str, former: State) -> None:
        """Hold the active variant against the document as it was."""
        self._take(words, lambda state, variant: former_of(former, state, variant, words))

    def ask_save(self) -> None:
        """Ask for another copy of the project."""
        path = QFileDialog.getExistingDirectory(self, "A former save: the folder of a project")
        if path:
            self.take_save(Path(path))

    def take_save(self, path: Path) -> None:
        """Hold the active variant against another copy of the project."""
        self._take(path.name, lambda state, variant: former_picture(path, state, variant))

    def ask_delivery(self) -> None:
        """Ask for a folder that was delivered to."""
        known = delivered_to(self._session.path) if self._session.path is not None else ""
        path = QFileDialog.getExistingDirectory(self, "A delivery: the folder with variants/", known)
        if path:
            self.take_delivery(Path(path))

    def take_delivery(self, path: Path) -> None:
        """Hold the active variant against what lies in a folder."""
        self._take(f"Delivered to {path.name}", lambda state, variant: delivered_picture(path, state, variant))

    def _take(self, name: str, read: Callable[[State, str | None], Raster]) -> None:
        state = self._session.state
        variant = state.project.active_variant

        def work(_: object) -> Raster | str:
            try:
                return read(state, variant)
            except EvenPaletteError as error:
                return str(error)

        def done(found: Raster | str) -> None:
            if isinstance(found, str):
                self._session.said.emit(found, True)
                return
            held = next((v.name for v in state.project.variants if v.id == variant), DEFAULTS_NAME)
            self._shown.hold_beside(f"{name} {variant}", f"{name}: {held}", found)

        self._session.tasks.start(
            Task("Reading what to compare with", work, done, self._session.failed, exclusive=False)
        )

    # --- how far apart -------------------------------------------------------------------------------------------

    def _wish(self) -> Wish | None:
        state, shown = self._session.state, self._shown
        one, other = shown.first or (state.project.active_variant or DEFAULTS), shown.against
        if not other or other == BEFORE:
            self.said.setText("Choose what lies on the right to see how far both are apart.")
            return None
        held = {BESIDE + key: raster for key, (_, raster) in shown.beside.items()}

        def work() -> list[RegionApart] | str:
            try:
                return apart_by_region(state, _picture(state, one, held), _picture(state, other, held))
            except EvenPaletteError as error:
                return str(error)

        def show(found: list[RegionApart] | str) -> None:
            if isinstance(found, str):
                self.said.setText(found)
                return
            names = {r.id: r.name for r in state.project.regions.regions}
            parts = [
                f"{names.get(a.region, 'All')} {a.mean:.1f} (at most {a.most:.1f})"
                for a in (found[-1], *found[:-1][:_SAID])
            ]
            self.said.setText("CIEDE2000 in the mean. " + "; ".join(parts) + ".")
            # As high as what it says: a label that breaks its lines asks for one.
            self.said.setMinimumHeight(self.said.heightForWidth(self.said.width()))
            self.adjustSize()

        return work, show


def _picture(state: State, key: str, held: dict[str, Raster]) -> Raster:
    """What lies on a side."""
    if key in held:
        return held[key]
    if key == PAINTED:
        painted = state.textures.get(state.project.tone.painted or "")
        if painted is None:
            raise EvenPaletteError("There is no painted original to compare with.")
        return painted
    return picture_of(state, None if key == DEFAULTS else key)
