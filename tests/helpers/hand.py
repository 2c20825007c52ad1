"""What an artist does with a mouse and a keyboard on the real window, and what they see."""

import time
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

import numpy as np
from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLabel, QWidget

from evenpalette.app.stations.regions.into import IntoDialog
from evenpalette.app.widgets.pixels import pixels_of
from evenpalette.app.window import MainWindow

W = TypeVar("W", bound=QWidget)


def choose(box: QComboBox, value: object) -> None:
    """Take an entry of a box as a click on it does."""
    box.setCurrentIndex(box.findData(value))
    box.activated.emit(box.currentIndex())


def only_autosave(folder: Path) -> Path:
    """The project in the one autosave of a test's state folder."""
    found = [note.parent / "project" for note in (folder / "state" / "autosave").glob("*/session.json")]
    assert len(found) == 1
    return found[0]


class Hand:
    """What an artist does with a mouse and a keyboard, and what they see."""

    def __init__(self, window: MainWindow) -> None:
        self.window = window
        self.session = window.session

    def wait(self, until: Callable[[], object] | None = None, seconds: float = 120.0) -> None:
        """Until nothing is under way that an artist waits for, and something is so."""
        end = time.monotonic() + seconds
        was_so = False
        while time.monotonic() < end:
            QTest.qWait(20)
            # Twice, for what was made with the last event is shown with the next.
            is_so = self.session.is_calm and (until is None or bool(until()))
            if is_so and was_so:
                return
            was_so = is_so
        raise AssertionError("the window did not get there in time")

    def wait_judged(self) -> None:
        """Until what is wrong with the document is known, and how much its regions cover."""
        self.wait(lambda: not self.session.watch.is_looking)

    def wait_busy(self, until: Callable[[], object], seconds: float = 120.0) -> None:
        """Wait for something that comes while work goes on."""
        end = time.monotonic() + seconds
        while not until():
            assert time.monotonic() < end, "the window did not get there in time"
            QTest.qWait(10)

    def find(self, name: str, kind: type[W] = QWidget, within: QWidget | None = None) -> W:  # type: ignore[assignment]
        """The widget that is called so, or that has these words; one that is seen before one that is not."""
        found = [
            w
            for w in (within or self.window).findChildren(kind)
            if name in (w.accessibleName(), w.text() if isinstance(w, QAbstractButton | QLabel) else None)
        ]
        assert found, f"nothing is called {name}"
        return next((w for w in found if w.isVisible()), found[0])

    def picture(self) -> np.ndarray:
        """What the twin views show, RGB, with the pointer away."""
        self.window.views.set_pointer(None)
        image = self.window.views.picture().convertToFormat(QImage.Format.Format_RGB888)
        return pixels_of(image).astype(int)

    def form_and_flat(self) -> tuple[np.ndarray, np.ndarray]:
        picture, views = self.picture(), self.window.views
        form, flat = views.frame.form, views.frame.flat
        return picture[40:, : form.width()], picture[40:, flat.left() :]

    def at_uv(self, u: float, v: float) -> QPoint:
        """Where a texel is on Flat."""
        flat = self.window.views.frame.flat
        x, y = self.window.views.frame.plane.to_pixel(u, v, flat.width(), flat.height())
        return QPoint(round(flat.left() + x), round(y))

    def put_into(self, choice: str) -> None:
        """Answer the next question where new regions go with the choice that begins so."""

        def look() -> None:
            dialog = QApplication.activeModalWidget()
            if not isinstance(dialog, IntoDialog):
                QTimer.singleShot(20, look)
                return
            box = dialog.box
            box.setCurrentIndex(next(i for i in range(box.count()) if box.itemText(i).startswith(choice)))
            dialog.accept()

        QTimer.singleShot(0, look)

    def type_into(self, field, text: str) -> None:
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)

    def focus(self) -> None:
        """Have the keys go to the window, as with a click into it: here nobody manages windows, and one that closes may
        leave them to none."""
        self.window.activateWindow()
        QTest.qWaitForWindowActive(self.window)

    def keys(self, text: str) -> None:
        self.focus()
        QTest.keySequence(self.window, text)
        QTest.qWait(20)
