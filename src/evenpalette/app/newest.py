"""Work beside the window of which only the newest wish counts: previews, measurements of what is being changed."""

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject

from evenpalette.app.session import Session
from evenpalette.app.tasks import Task
from evenpalette.app.timers import timer

#: What is to be done on a thread, and what is done with its result on the window's.
Wish = tuple[Callable[[], Any], Callable[[Any], None]]


class Newest(QObject):
    """Runs a wish a little after it was asked for, one at a time; what was asked meanwhile runs once, as it is then."""

    def __init__(
        self, session: Session, words: str, pause: int, make: Callable[[], Wish | None], parent: QObject,
        *, aside: bool = False,
    ) -> None:  # fmt: skip
        """words: what it is called while it runs. pause: milliseconds without another wish before it begins. make: the
        wish as it is now, None where there is nothing to do. aside: nothing else waits for it."""
        super().__init__(parent)
        self._session, self._words, self._make, self._aside = session, words, make, aside
        self._is_busy = self._asked_again = False
        self._timer = timer(self, pause)
        self._timer.timeout.connect(self._run)

    def ask(self) -> None:
        """Something changed that the result depends on."""
        self._timer.start()

    def _run(self) -> None:
        if self._is_busy:
            self._asked_again = True
            return
        wish = self._make()
        if wish is None:
            return
        work, show = wish

        def done(found: object) -> None:
            self._is_busy = False
            show(found)
            self._go_on()

        def failed(error: Exception) -> None:
            self._is_busy = False
            self._session.failed(error)
            self._go_on()

        self._is_busy = True
        self._session.tasks.start(Task(self._words, lambda _: work(), done, failed, exclusive=False, aside=self._aside))

    def _go_on(self) -> None:
        if self._asked_again:
            self._asked_again = False
            self._timer.start()
