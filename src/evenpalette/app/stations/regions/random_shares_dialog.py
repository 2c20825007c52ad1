"""Shells shared out among regions by wanted percentages."""

import random

from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app.session import Session
from evenpalette.app.stations.regions.into import IntoBox
from evenpalette.app.widgets.basics import button, choice, label, row
from evenpalette.app.widgets.forms import ending, form, whole
from evenpalette.core.document.state import State
from evenpalette.core.edits.face_sets import Shared, share_shells
from evenpalette.core.edits.regions import Into
from evenpalette.core.parallel import Progress


class ChanceDialog(QDialog):
    """Asks for percentages and a seed; shows what was reached beside what was asked; each roll can be undone."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Shells by chance")
        self.setMinimumWidth(420)
        self._session = session
        self._made: Into | None = None
        self.percentages = QLineEdit("50, 30, 20")
        self.by = choice(rows=[(words, words) for words in ("by area", "by count")])
        self.apart = QCheckBox("neighbors differ where possible")
        self.seed = whole("Seed", 0, 999_999, 1)
        self.outcome = label("", "note")
        self.into = IntoBox(session, "By chance", "new")
        layout = QVBoxLayout(self)
        layout.addLayout(form(
            ("Percentages", self.percentages), ("Shares", self.by), ("", self.apart),
            ("Seed", row(self.seed, button("Roll again", self._roll_again))),
            ("Put them", self.into) if self.into.is_needed else None,
        ))  # fmt: skip
        layout.addWidget(self.outcome)
        layout.addWidget(ending(self, "Share out", self.share, stays=True)[0])

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
            self.outcome.setText("Write percentages such as 50, 30, 20.")
            return
        by_area, apart, seed = self.by.currentIndex() == 0, self.apart.isChecked(), self.seed.value()
        held: list[Shared] = []
        # Rolled again, the shares take the place of those of the roll before.
        into = self._made or self.into.into
        before = {division.id for division in self._session.state.project.regions.divisions}

        def work(state: State, _: Progress) -> State:
            made, shared = share_shells(state, wanted, seed, by_area, apart, into)
            held.append(shared)
            return made

        def then() -> None:
            new = [d.id for d in self._session.state.project.regions.divisions if d.id not in before]
            if new:
                self._made = Into("replace", new[0])
            self._show(wanted, held[0], apart)

        self._session.run(f"Shells by chance, seed {seed}", work, then)

    def _show(self, wanted: list[float], shared: Shared, apart: bool) -> None:
        lines = [
            f"Share {number}: asked {100 * part / sum(wanted):.1f}%, got {100 * reached:.1f}%"
            for number, (part, reached) in enumerate(zip(wanted, shared.reached, strict=True), 1)
        ]
        if apart:
            lines.append(
                f"{shared.alike:,} pairs of neighbors are alike; more regions would part them."
                if shared.alike
                else "All neighbors differ."
            )
        self.outcome.setText("\n".join(lines))
