"""Work that only matters while a widget can be seen."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtWidgets import QWidget


class WhenShown(QObject):
    """Runs something at once while its widget is shown, else once when it is shown next."""

    def __init__(self, widget: QWidget, run: Callable[[], object]) -> None:
        super().__init__(widget)
        self._widget, self._run, self._waits = widget, run, False
        widget.installEventFilter(self)

    def ask(self) -> None:
        """Run it now or as soon as it can be seen."""
        if self._widget.isVisible():
            self._run()
        else:
            self._waits = True

    def eventFilter(self, _: QObject | None, event: QEvent | None) -> bool:
        if self._waits and event is not None and event.type() is QEvent.Type.Show:
            self._waits = False
            self._run()
        return False
