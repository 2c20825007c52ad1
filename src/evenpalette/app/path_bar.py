"""The path: the six stations from left to right, each with its state."""

import itertools

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QHBoxLayout, QWidget

from evenpalette.app import theme
from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.stations import STATIONS


class StationButton(QAbstractButton):
    """One station: a ring when untouched, a filled ring when in order, a number when something is open."""

    def __init__(self, title: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.state_text = "untouched"
        self.setText(title)
        self.setCheckable(True)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        badge = 26 if self.state_text.isdigit() else 0
        return QSize(34 + self.fontMetrics().horizontalAdvance(self.text()) + badge + 10, 40)

    def set_state(self, text: str) -> None:
        """'untouched', 'in order' or a number of findings."""
        if text == self.state_text and self.accessibleName():
            return
        self.state_text = text
        said = {"untouched": "not begun", "in order": "in order"}.get(text, f"{text} open findings")
        self.setToolTip(plain(f"{self.text()}: {said}"))
        self.setAccessibleName(f"{self.text()}, {said}")
        self.updateGeometry()
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = self.height() / 2
        if self.hasFocus():
            painter.setPen(QPen(QColor(theme.ACCENT), 1, Qt.PenStyle.DotLine))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 5, -1, -5), 5, 5)
        ring = QRectF(8, middle - 7, 14, 14)
        reached = self.state_text != "untouched"
        painter.setPen(QPen(QColor(theme.ACCENT if reached or self.isChecked() else "#9b9b9b"), 2))
        painter.setBrush(QColor(theme.ACCENT if self.isChecked() else theme.RAISED))
        painter.drawEllipse(ring)
        if self.state_text == "in order" and not self.isChecked():
            painter.setBrush(QColor(theme.ACCENT))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawEllipse(ring.adjusted(4, 4, -4, -4))
        painter.setPen(QColor(theme.INK if reached or self.isChecked() else theme.MUTED))
        painter.setFont(theme.font(14, strong=self.isChecked()))
        painter.drawText(QPointF(28, middle + 5), self.text())
        if self.state_text.isdigit():
            x = 32 + painter.fontMetrics().horizontalAdvance(self.text())
            badge = QRectF(x, middle - 9, 22, 18)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.WARN))
            painter.drawRoundedRect(badge, 9, 9)
            painter.setPen(QColor("#ffffff"))
            painter.setFont(theme.font(theme.NOTE, strong=True))
            painter.drawText(badge, Qt.AlignmentFlag.AlignCenter, self.state_text)


class PathBar(QWidget):
    """The stations with a line between them."""

    chosen = pyqtSignal(str)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(22)
        self.buttons = {station.key: StationButton(station.title, self) for station in STATIONS}
        for name, button in self.buttons.items():
            layout.addWidget(button)
            button.clicked.connect(lambda _=False, n=name: session.set_station(n))
        session.station_changed.connect(lambda _: self.refresh())
        session.watch.changed.connect(self.refresh)
        session.changed.connect(lambda _: self.refresh())
        self.refresh()

    def refresh(self) -> None:
        """Show every station's state."""
        before = [button.state_text for button in self.buttons.values()]
        for place in STATIONS:
            button = self.buttons[place.key]
            button.set_state(place.state_text(self._session.state, self._session.watch.findings))
            button.setChecked(place.key == self._session.station)
        if before != [button.state_text for button in self.buttons.values()]:
            self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        shown = list(self.buttons.values())
        for left, right in itertools.pairwise(shown):
            reached = left.state_text != "untouched" and right.state_text != "untouched"
            painter.setPen(QPen(QColor(theme.ACCENT if reached else "#c2c2c2"), 2))
            painter.drawLine(
                left.geometry().right() - 2, self.height() // 2, right.geometry().left() + 4, self.height() // 2
            )
