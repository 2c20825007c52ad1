"""Asks for a moving picture of the active variant."""

from pathlib import Path

from PyQt6.QtWidgets import (
    QDialog,
    QFileDialog,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app.session import Session
from evenpalette.app.tasks import Task
from evenpalette.app.widgets.basics import choice, counted, label
from evenpalette.app.widgets.forms import ending, form, whole
from evenpalette.core.delivery.contact_sheet import GROUNDS
from evenpalette.core.delivery.film import INTO, WAYS, FilmWish, write_film


class FilmDialog(QDialog):
    """Asks for a moving picture of the active variant."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Moving picture")
        self._session = session
        state = session.state
        self.way = choice("What moves", [(words, key) for key, words in WAYS.items()])
        self.into = choice(
            "Into", [(v.name, v.id) for v in state.project.variants if v.id != state.project.active_variant]
        )
        self.ground = choice("Ground", [(key, key) for key in GROUNDS])
        self.seconds = whole("Length", 1, 20, 4, suffix=" s")
        self.rate = whole("Pictures", 4, 30, 12, suffix=" a second")
        self.size_box = whole("Side", 64, 1024, 320, suffix=" pixels")
        buttons, self._save = ending(self, "Save ...", self._ask)
        layout = QVBoxLayout(self)
        layout.addWidget(label("The active variant, to be sent around: APNG or animated WebP.", "note"))
        layout.addLayout(form(
            ("What moves", self.way), ("Into", self.into), ("Length", self.seconds), ("Pictures", self.rate),
            ("Side", self.size_box), ("Ground", self.ground),
        ))  # fmt: skip
        layout.addWidget(buttons)
        self.way.currentIndexChanged.connect(lambda _: self._fit())
        self._fit()

    def _fit(self) -> None:
        goes_into = self.way.currentData() == INTO
        self.into.setEnabled(goes_into)
        self._save.setEnabled(not goes_into or self.into.count() > 0)

    @property
    def wish(self) -> FilmWish:
        """What was asked for."""
        return FilmWish(
            self.way.currentData(), self.into.currentData(), float(self.seconds.value()), float(self.rate.value()),
            self.size_box.value(), self.ground.currentData(),
        )  # fmt: skip

    def _ask(self) -> None:
        path, _ = QFileDialog.getSaveFileName(
            self, "Save a moving picture", "variant.webp", "WebP (*.webp);;APNG (*.png *.apng)"
        )
        if path:
            self.write(Path(path))
            self.accept()

    def write(self, path: Path) -> None:
        """Write it beside the work, with progress."""
        state, wish, session = self._session.state, self.wish, self._session
        variant = state.project.active_variant
        session.tasks.start(
            Task(
                "Drawing a moving picture", lambda progress: write_film(state, variant, path, wish, progress),
                lambda count: session.said.emit(f"Saved {path}: {counted(count, 'picture')}.", False), session.failed,
            )
        )  # fmt: skip
