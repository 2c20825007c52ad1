"""A channel of a file as a picture of what it holds, with where that comes from; what is dropped on it lies there."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDropEvent, QIcon, QKeyEvent, QPixmap
from PyQt6.QtWidgets import QToolButton

from evenpalette.app.plain import entry, plain
from evenpalette.app.widgets.before_after import image_of
from evenpalette.app.widgets.source_drag import taken
from evenpalette.core.delivery.layouts.look import as_color
from evenpalette.core.document.layout_model import LayoutChannel

SIDE = 76
_LETTERS = {"r": "Red", "g": "Green", "b": "Blue", "a": "Alpha"}


class ChannelPicture(QToolButton):
    """A click or Space asks what is to lie there, Del empties it."""

    dropped = pyqtSignal(str)
    emptied = pyqtSignal()

    def __init__(self, letters: str, channel: LayoutChannel | None) -> None:
        """letters: those of the file that it stands for. channel: None for one that nothing fills yet."""
        super().__init__()
        self.letters, self.channel = letters, channel
        self.setObjectName("picture")
        self.setAcceptDrops(True)
        self.setIconSize(QSize(SIDE, SIDE))
        self.setFixedWidth(SIDE + 12)
        self.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.layer = channel.layer if channel is not None else ""
        name = "Color" if len(letters) == 3 else " and ".join(_LETTERS[letter] for letter in letters)
        words = channel.words if channel is not None else "nothing"
        name = f"{self.layer}, {name.lower()}" if self.layer else name
        fitted = self.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, SIDE + 4)
        self.setText(entry(f"{name}\n{fitted}"))
        self.setToolTip(plain(f"{name}: {words}. Click, or drop a region, a map or a texture on it"))
        self.setAccessibleName(f"{name}: {words}")
        blank = QPixmap(SIDE, SIDE)
        blank.fill(Qt.GlobalColor.transparent)
        self.setIcon(QIcon(blank))

    def show_pixels(self, pixels: list[NDArray[np.uint8]]) -> None:
        """What its channels hold, (height, width) each."""
        image = image_of(as_color(np.stack(pixels, -1)))
        scaled = QPixmap.fromImage(image).scaled(
            SIDE, SIDE, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
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
