"""Looking for garbage on the interface thread alone, once a window stands.

Python looks for it on whatever thread happens to make the object that is one too many. Widgets, pictures and what
graphics memory holds must not be taken apart on a thread that works beside the interface. And what is loaded and built
for the first picture stays: looking for garbage in it takes a tenth of the start.
"""

import gc

from PyQt6.QtCore import QObject, Qt
from PyQt6.QtGui import QGuiApplication

from evenpalette.app.timers import timer

#: Milliseconds after which a window has come up, on a slow machine too.
_STANDS_AFTER = 5000
#: Milliseconds between two looks.
_EACH = 500
#: Everything is looked through when there is so much more than after the last time: it takes as long as a slow picture.
_GROWN = 1.25


class Garbage(QObject):
    """Looks for it from a while after it was made, and not in what was made until then."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        self._old = 0
        self._looking = timer(self, _EACH, once=False)
        self._looking.timeout.connect(self._look)
        standing = timer(self, _STANDS_AFTER)
        standing.timeout.connect(self._begin)
        standing.start()

    def _begin(self) -> None:
        gc.freeze()
        self._looking.start()

    def _look(self) -> None:
        """Look through the oldest generation whose time has come, as Python itself does; not in the middle of a drag
        through all of them."""
        young, middle, old = (count > most for count, most in zip(gc.get_count(), gc.get_threshold(), strict=True))
        if not middle:
            if young:
                gc.collect(0)
        elif old and self._rests() and len(gc.get_objects(2)) > _GROWN * self._old:
            gc.collect(2)
            self._old = len(gc.get_objects(2))
        else:
            gc.collect(1)

    @staticmethod
    def _rests() -> bool:
        return QGuiApplication.mouseButtons() == Qt.MouseButton.NoButton
