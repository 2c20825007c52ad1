"""Shells shared out among regions by wanted percentages."""

import random

import numpy as np
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLineEdit,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app.session import Session
from evenpalette.app.widgets.basics import button, label, row
from evenpalette.core.project.edits.faces import face_region_labels, share_shells
from evenpalette.core.regions.chance import reached_shares


class ChanceDialog(QDialog):
    """Asks for percentages and a seed; shows what was reached beside what was asked; each roll can be undone."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Shells by chance")
        self.setMinimumWidth(420)
        self._session = session
        self.percentages = QLineEdit("50, 30, 20")
        self.by = QComboBox()
        self.by.addItems(["by area", "by count"])
        self.apart = QCheckBox("neighbors differ where possible")
        self.seed = QSpinBox()
        self.seed.setRange(0, 999_999)
        self.seed.setValue(1)
        self.result = label("", "note")
        form = QFormLayout()
        form.addRow("Percentages", self.percentages)
        form.addRow("Shares", self.by)
        form.addRow("", self.apart)
        form.addRow("Seed", row(self.seed, button("Roll again", self._roll_again)))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        share = buttons.addButton("Share out", QDialogButtonBox.ButtonRole.ApplyRole)
        assert share is not None
        share.clicked.connect(lambda _=False: self.share())
        buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(self.result)
        layout.addWidget(buttons)

    def _roll_again(self) -> None:
        self.seed.setValue(random.randrange(1_000_000))
        self.share()

    def share(self) -> None:
        """Share the shells out as asked."""
        try:
            wanted = [float(part) for part in self.percentages.text().replace(";", ",").split(",") if part.strip()]
        except ValueError:
            wanted = []
        if not wanted or min(wanted) < 0 or sum(wanted) <= 0:
            self.result.setText("Write percentages such as 50, 30, 20.")
            return
        by_area, apart, seed = self.by.currentIndex() == 0, self.apart.isChecked(), self.seed.value()
        self._session.run(
            f"Shells by chance, seed {seed}", lambda s, _: share_shells(s, wanted, seed, by_area, apart),
            lambda: self._show(wanted, by_area),
        )  # fmt: skip

    def _show(self, wanted: list[float], by_area: bool) -> None:
        state = self._session.state
        assert state.mesh is not None
        labels, topology = face_region_labels(state), state.mesh.topology
        first = len(state.region_ids) - len(wanted)
        _, face = np.unique(topology.shells, return_index=True)
        weights = (
            np.bincount(topology.shells, weights=np.abs(state.mesh.mesh.uv_areas())) if by_area else np.ones(len(face))
        )
        reached = reached_shares(weights, labels[face] - first, len(wanted)) * 100
        asked = np.array(wanted) / sum(wanted) * 100
        self.result.setText("    ".join(f"asked {a:.0f}%, got {r:.1f}%" for a, r in zip(asked, reached, strict=True)))
