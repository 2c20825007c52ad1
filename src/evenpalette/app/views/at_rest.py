"""What happens to Form when nothing moves: it is drawn again, each time moved by a part of a pixel, until its edges are
smooth."""

from PyQt6.QtCore import QObject, pyqtSignal

from evenpalette.app.timers import timer
from evenpalette.gpu.settling import SHIFTS

#: Milliseconds without a change before it begins, and seconds that all of it may take: without a graphics card fewer
#: pictures are added up.
_REST_MS, _ALTOGETHER = 350, 0.3


class AtRest(QObject):
    """How far Form has settled, for one way in which it is looked at."""

    #: One more picture is wanted.
    due = pyqtSignal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        #: Whether it is wanted at all: it takes a third of a second of a processor that draws by itself.
        self.is_wanted = True
        #: How many pictures were added up.
        self.count = 0
        self._seen: object = None
        self._spent, self._is_due = 0.0, False
        self._timer = timer(self, _REST_MS)
        self._timer.timeout.connect(self._wake)

    def _wake(self) -> None:
        self._is_due = True
        self.due.emit()

    def drawn(self, seen: object, *, anew: bool) -> None:
        """Form was drawn in this way. anew: and shows something else than before."""
        if anew or seen != self._seen:
            self._seen, self.count, self._spent, self._is_due = seen, 0, 0.0, False
        if self.is_wanted and not self.count:
            self._timer.start(_REST_MS)

    def holds(self, seen: object) -> bool:
        """Whether what has settled shows this."""
        return self.count > 0 and seen == self._seen

    def wants(self, seen: object) -> bool:
        """Whether one more picture of this is wanted now."""
        return self._is_due and seen == self._seen

    def took(self, seconds: float) -> None:
        """One more was drawn."""
        self._is_due, self.count, self._spent = False, self.count + 1, self._spent + seconds
        if self.count < len(SHIFTS) and self._spent + seconds <= _ALTOGETHER:
            self._timer.start(0)
