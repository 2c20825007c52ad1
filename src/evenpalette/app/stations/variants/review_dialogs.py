"""What is looked at before somebody says yes: all variants against all others, and a contact sheet that goes around."""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QColor, QIcon, QImage, QPainter, QPixmap
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QFileDialog,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app.newest import Newest, Wish
from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.tasks import Task
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import choice, counted, label, row
from evenpalette.app.widgets.forms import ending, form, slider, whole
from evenpalette.app.widgets.pixels import pixels_of
from evenpalette.core.color.vision import NORMAL, Vision, vision_rows
from evenpalette.core.delivery.contact_sheet import GROUNDS, PAGES, SheetWish, named_variants, picture_size, write_sheet
from evenpalette.core.document.state import State
from evenpalette.core.edits.variants import activate
from evenpalette.core.variants.compare import USUAL_SIZE, Comparison, Pair
from evenpalette.core.variants.perceptual_difference import TOLD_APART
from evenpalette.gpu.look import Look

_SIZES = (32, 64, 128, 256, 512)
#: Units of CIEDE2000 that fill a line's bar.
_FULL, _BAR = 40.0, (72, 10)
_MOST_SHOWN = 2000


class CompareDialog(QDialog):
    """All pairs of variants, the nearest first, through other eyes and as small as a game shows them."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Who can tell them apart")
        self.resize(720, 520)
        self._session = session
        self._looked: tuple[State, int, bool, Comparison] | None = None
        self.night = QCheckBox("by night")
        self.night.setToolTip("In the light of a faint sky, with what glows")
        self.vision = choice("Seen by", vision_rows())
        self.strength = slider(0, 1, 1, name="Strength")
        self.pixels = choice(
            "Pixels that the game shows it at", [(f"{size} pixels", size) for size in _SIZES], now=USUAL_SIZE
        )
        self.list = QListWidget()
        self.list.setAccessibleName("Pairs of variants")
        self.list.setIconSize(QSize(*_BAR))
        self.list.itemActivated.connect(self._show_second)
        self._facts = label("", "note")
        self._newest = Newest(session, "Comparing", 60, self._wish, self)
        layout = QVBoxLayout(self)
        layout.setSpacing(8)
        strength = row(label("Strength", "note"), self.strength)
        strength.setFixedWidth(260)
        layout.addWidget(row(self.vision, strength, self.pixels, self.night, None, spacing=12))
        layout.addWidget(self.list, 1)
        layout.addWidget(self._facts)
        layout.addWidget(ending(self)[0])
        self.vision.currentIndexChanged.connect(lambda _: self._newest.ask())
        self.pixels.currentIndexChanged.connect(lambda _: self._newest.ask())
        self.strength.edited.connect(lambda _: self._newest.ask())
        self.night.toggled.connect(lambda _: self._newest.ask())
        self._newest.ask()

    def _wish(self) -> Wish | None:
        state, size, night = self._session.state, self.pixels.currentData(), self.night.isChecked()
        vision, held = Vision(self.vision.currentData(), self.strength.value), self._looked
        self.strength.setEnabled(vision.kind != NORMAL)

        def work() -> tuple[Comparison, list[Pair]]:
            known = (
                held[3]
                if held is not None and held[:3] == (state, size, night)
                else Comparison(state, size, night=night)
            )
            return known, known.pairs(vision)

        def show(found: tuple[Comparison, list[Pair]]) -> None:
            self._looked = state, size, night, found[0]
            self._show(state, found[1])

        return work, show

    def _show(self, state: State, pairs: list[Pair]) -> None:
        names = {v.id: v.name for v in state.project.variants}
        regions = {r.id: r.name for sheet in state.project.sheets for r in sheet.regions.regions}
        self.list.clear()
        for pair in pairs[:_MOST_SHOWN]:
            where = f", most in {regions[pair.region]} ({pair.units:.1f})" if pair.region in regions else ""
            item = QListWidgetItem(
                _bar(pair), f"{pair.whole:6.1f}   {names[pair.first]} and {names[pair.second]}{where}"
            )
            item.setData(Qt.ItemDataRole.UserRole, pair.second)
            item.setToolTip(plain(f"Over the whole surface {pair.whole:.1f}, in that region {pair.units:.1f}"))
            self.list.addItem(item)
        alike = sum(pair.units < TOLD_APART for pair in pairs)
        words = f"{counted(alike, 'pair')} cannot be told apart" if alike else "All can be told apart"
        self._facts.setText(f"{words}. CIEDE2000 over what is seen, root mean square; Enter shows the second one.")

    def _show_second(self, item: QListWidgetItem) -> None:
        variant = str(item.data(Qt.ItemDataRole.UserRole))
        self._session.apply("Show variant", lambda s: activate(s, variant), "activate")


def _bar(pair: Pair) -> QIcon:
    """How far apart, as a bar; one that is too near is dark red."""
    width, height = _BAR
    picture = QPixmap(width, height)
    picture.fill(QColor("#d8d8d8"))
    painter = QPainter(picture)
    filled = max(2, round(min(pair.whole / _FULL, 1.0) * width))
    painter.fillRect(0, 0, filled, height, QColor("#9a2f2f" if pair.units < TOLD_APART else "#5c5c5c"))
    painter.end()
    icon = QIcon()
    for mode in (QIcon.Mode.Normal, QIcon.Mode.Selected):
        icon.addPixmap(picture, mode)
    return icon


class SheetDialog(QDialog):
    """Asks how a contact sheet is to look, and where it goes."""

    def __init__(self, session: Session, views: TwinViews, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Contact sheet")
        self._session, self._views = session, views
        self.sides = whole("Sides of each", 1, 4, 1)
        self.columns = whole("Variants in a row", 0, 12, 0)
        self.columns.setSpecialValueText("as reads well")
        self.page = choice("Page", (("A4", "a4"), ("Letter", "letter")))
        self.ground = choice("Ground", [(key, key) for key in GROUNDS])
        assert set(PAGES) == {"a4", "letter"}
        layout = QVBoxLayout(self)
        layout.addWidget(label("Every variant in pictures with its values, to be sent around.", "note"))
        layout.addLayout(form(
            ("Sides of each", self.sides), ("Variants in a row", self.columns), ("Page", self.page),
            ("Ground", self.ground),
        ))  # fmt: skip
        layout.addWidget(ending(self, "Save ...", self._ask)[0])

    @property
    def wish(self) -> SheetWish:
        """What was asked for."""
        return SheetWish(self.columns.value(), self.sides.value(), self.page.currentData(), self.ground.currentData())

    def _ask(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, "Save a contact sheet", "variants.pdf", "PDF (*.pdf);;PNG (*.png)")
        if path:
            self.write(Path(path))
            self.accept()

    def write(self, path: Path) -> None:
        """Write it beside the work, with the pictures that the views draw."""
        state, wish, session, views = self._session.state, self.wish, self._session, self._views
        size, ratio, shown = picture_size(state, wish), views.devicePixelRatioF(), views.shown
        wanted = [(key, side) for key, _ in named_variants(state, wish) for side in range(wish.sides)]
        found: dict[tuple[str | None, int], NDArray[np.uint8]] = {}

        def take(key: tuple[str | None, int], image: QImage) -> None:
            found[key] = rgba_of(image, size)
            if len(found) < len(wanted):
                return
            session.tasks.start(
                Task(
                    "Writing a contact sheet", lambda progress: write_sheet(state, path, wish, progress, found),
                    lambda pages: session.said.emit(f"Saved {path}: {counted(pages, 'page')}.", False), session.failed,
                )
            )  # fmt: skip

        side_of = max(8, round(size / ratio)), max(8, round(size / ratio))
        for key in wanted:
            look = Look(variant=key[0], copy=shown.copy, light=shown.light, eyes=shown.eyes)
            views.pictures.request(("contact sheet", key), look, side_of, lambda image, key=key: take(key, image), 90.0 * key[1])  # type: ignore[misc]  # fmt: skip
        session.said.emit(f"Drawing {counted(len(wanted), 'picture')} for {path.name} ...", False)


def rgba_of(image: QImage, size: int) -> NDArray[np.uint8]:
    """A picture as uint8 (size, size, 4), all of it opaque."""
    exact = image if image.width() == size else image.scaled(size, size, Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.SmoothTransformation)  # fmt: skip
    return pixels_of(exact.convertToFormat(QImage.Format.Format_RGBA8888))
