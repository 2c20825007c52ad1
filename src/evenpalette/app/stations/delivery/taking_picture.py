"""A picture of some channels that takes what is dropped on it."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDropEvent, QIcon, QKeyEvent, QPixmap
from PyQt6.QtWidgets import QToolButton

from evenpalette.app.widgets.before_after import image_of
from evenpalette.app.widgets.source_drag import taken
from evenpalette.core.delivery.layouts.look import as_color


class TakingPicture(QToolButton):
    """A square with words below. Return is a click, Del empties it."""

    dropped = pyqtSignal(str)
    emptied = pyqtSignal()

    def __init__(self, side: int) -> None:
        """side: of the picture, in pixels."""
        super().__init__()
        self.side = side
        self.setObjectName("picture")
        self.setAcceptDrops(True)
        self.setIconSize(QSize(side, side))
        self.setFixedWidth(side + 12)
        self.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        blank = QPixmap(side, side)
        blank.fill(Qt.GlobalColor.transparent)
        self.setIcon(QIcon(blank))

    def fitted(self, words: str, cut: Qt.TextElideMode = Qt.TextElideMode.ElideRight) -> str:
        """Words cut to what has room below the picture."""
        return self.fontMetrics().elidedText(words, cut, self.side + 4)

    def show_pixels(self, pixels: list[NDArray[np.uint8]]) -> None:
        """What its channels hold, (height, width) each."""
        image = image_of(as_color(np.stack(pixels, -1)))
        scaled = QPixmap.fromImage(image).scaled(
            self.side, self.side, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
        )
        self.setIcon(QIcon(scaled))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.emptied.emit()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        else:
            super().keyPressEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        self.setDown(bool(taken(event)))

    def dragLeaveEvent(self, _: object) -> None:
        self.setDown(False)

    def dropEvent(self, event: QDropEvent | None) -> None:
        self.setDown(False)
        if source := taken(event):
            self.dropped.emit(source)
