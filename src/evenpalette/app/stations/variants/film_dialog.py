"""Asks for a moving picture of the active variant."""

from pathlib import Path

from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app.session import Session
from evenpalette.app.tasks import Task
from evenpalette.app.widgets.basics import counted, label
from evenpalette.core.delivery.contact_sheet import GROUNDS
from evenpalette.core.delivery.film import INTO, WAYS, FilmWish, write_film


class FilmDialog(QDialog):
    """Asks for a moving picture of the active variant."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Moving picture")
        self._session = session
        state = session.state
        self.way, self.into, self.ground = QComboBox(), QComboBox(), QComboBox()
        for key, words in WAYS.items():
            self.way.addItem(words, key)
        for variant in state.project.variants:
            if variant.id != state.project.active_variant:
                self.into.addItem(variant.name, variant.id)
        for key in GROUNDS:
            self.ground.addItem(key, key)
        self.seconds, self.rate, self.size_box = QSpinBox(), QSpinBox(), QSpinBox()
        for box, low, high, value, unit in (
            (self.seconds, 1, 20, 4, " s"), (self.rate, 4, 30, 12, " a second"), (self.size_box, 64, 1024, 320, " pixels"),
        ):  # fmt: skip
            box.setRange(low, high)
            box.setValue(value)
            box.setSuffix(unit)
        form = QFormLayout()
        for words, widget in (
            ("What moves", self.way), ("Into", self.into), ("Length", self.seconds), ("Pictures", self.rate),
            ("Side", self.size_box), ("Ground", self.ground),
        ):  # fmt: skip
            widget.setAccessibleName(words)
            form.addRow(words, widget)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self._save = buttons.addButton("Save ...", QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.accepted.connect(self._ask)
        buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.addWidget(label("The active variant, to be sent around: APNG or animated WebP.", "note"))
        layout.addLayout(form)
        layout.addWidget(buttons)
        self.way.currentIndexChanged.connect(lambda _: self._fit())
        self._fit()

    def _fit(self) -> None:
        goes_into = self.way.currentData() == INTO
        self.into.setEnabled(goes_into)
        assert self._save is not None
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
