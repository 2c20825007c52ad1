"""Planning flag colors: how far apart they are, and whether an edge between touching regions passes a third."""

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QApplication,
    QCheckBox,
    QDialog,
    QDialogButtonBox,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app import theme
from evenpalette.app.session import Session
from evenpalette.app.tasks import Task
from evenpalette.app.widgets.basics import button, label, row
from evenpalette.app.widgets.forms import ending, form, whole
from evenpalette.core.color.flag_plan import CLEARANCE, MAX_FLAGS, FlagPlan, plan_flags
from evenpalette.core.edits.face_sets import use_flags
from evenpalette.core.regions.touching import touching_regions

_CELL, _ACROSS = 26, 16


class FlagCells(QWidget):
    """The planned flags as numbered squares, sixteen in a row."""

    def __init__(self) -> None:
        super().__init__()
        self.flags: tuple[str, ...] = ()

    def sizeHint(self) -> QSize:
        return QSize(_ACROSS * _CELL, 4 * _CELL)

    def show_flags(self, flags: tuple[str, ...]) -> None:
        """Show these."""
        self.flags = flags
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setFont(theme.font(theme.NOTE))
        for index, flag in enumerate(self.flags):
            box = QRectF(index % _ACROSS * _CELL, index // _ACROSS * _CELL, _CELL - 2, _CELL - 2)
            painter.fillRect(box, QColor(flag))
            painter.setPen(QPen(QColor(theme.contrast_ink(flag))))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(index + 1))


class FlagDialog(QDialog):
    """Plans flags for the regions there are, or for as many as asked, and says how good the plan is."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Plan flag colors")
        self.setMinimumWidth(480)
        self._session = session
        self._touching: list[tuple[int, int]] | None = None
        self.plan: FlagPlan | None = None
        count = len(session.state.region_ids)
        self.count = whole(
            "Flags", max(1, count), MAX_FLAGS, max(1, count), taken=lambda _: self.make(),
            tip="How many flags; the first ones are for the regions there are",
        )  # fmt: skip
        self.any = QCheckBox("any two regions may touch")
        self.any.setToolTip("Else only those count that touch in the texture now")
        self.any.toggled.connect(lambda _: self.make())
        self.cells = FlagCells()
        self.outcome = label("", "note")
        self.outcome.setWordWrap(True)
        self.outcome.setMinimumHeight(54)
        buttons, self.use = ending(self, "Give to the regions", self.give, stays=True)
        buttons.addButton(
            button("Copy list", self.copy, tip="The flags as #rrggbb, one in a line"),
            QDialogButtonBox.ButtonRole.ActionRole,
        )
        layout = QVBoxLayout(self)
        layout.addLayout(form(("Flags", row(self.count, None)), ("Borders", self.any)))
        layout.addWidget(self.cells)
        layout.addWidget(self.outcome)
        layout.addWidget(buttons)
        self.make()

    def make(self) -> None:
        """Plan anew, off the window's thread."""
        count, any_two, state = self.count.value(), self.any.isChecked(), self._session.state

        def work() -> FlagPlan:
            if self._touching is None:
                self._touching = touching_regions(list(state.sources.coverages)) if state.coverages else []
            pairs = [(a, b) for a in range(count) for b in range(a)] if any_two else self._touching
            return plan_flags(count, pairs)

        def failed(error: Exception) -> None:
            self.outcome.setText(str(error))

        self._session.tasks.start(Task("Planning flags", lambda _: work(), self._show, failed, exclusive=False))

    def _show(self, plan: FlagPlan) -> None:
        if len(plan.flags) != self.count.value():
            return
        self.plan = plan
        self.cells.show_flags(plan.flags)
        text = f"Smallest distance between two flags: {plan.smallest_distance:.0f}." if len(plan.flags) > 1 else ""
        if plan.crossing:
            text += (
                f" Not every edge can be kept clear: {len(plan.crossing):,} times a third flag lies closer than "
                f"{CLEARANCE:.0f} to an edge, at worst at {plan.smallest_clearance:.0f}. Use channel masks for these regions, or "
                "fewer of them."
            )
        elif plan.smallest_clearance != float("inf"):
            text += f" Every edge between touching regions passes third flags at {plan.smallest_clearance:.0f} or more."
        self.outcome.setText(text)
        assert self.use is not None
        self.use.setEnabled(bool(self._session.state.region_ids))

    def copy(self) -> None:
        """Put the list on the clipboard."""
        clipboard = QApplication.clipboard()
        if self.plan is not None and clipboard is not None:
            clipboard.setText("\n".join(self.plan.flags))

    def give(self) -> None:
        """Give the regions their planned flags; one change that can be undone."""
        plan = self.plan
        if plan is not None:
            self._session.apply("Plan flag colors", lambda s: use_flags(s, plan.flags))
