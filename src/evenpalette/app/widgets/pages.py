"""Pages of a bench, one shown at a time, with a row of words to choose from."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QStackedWidget, QWidget


class Pages(QStackedWidget):
    """`switch` is the row of words; put it where it fits. The words are one tab stop; arrows go from one to the
    next."""

    changed = pyqtSignal()

    def __init__(self, pages: dict[str, QWidget]) -> None:
        super().__init__()
        self._words = list(pages)
        self.switch = QWidget()
        layout = QHBoxLayout(self.switch)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        self._buttons = QButtonGroup(self)
        for index, (word, page) in enumerate(pages.items()):
            made = QPushButton(word)
            made.setObjectName("page")
            made.setCheckable(True)
            made.setCursor(Qt.CursorShape.PointingHandCursor)
            self._buttons.addButton(made, index)
            layout.addWidget(made)
            self.addWidget(page)
        self._buttons.idToggled.connect(self._show)
        self.open(self._words[0])

    @property
    def current(self) -> str:
        """The word of the page that is shown."""
        return self._words[self.currentIndex()]

    def open(self, word: str) -> None:
        """Show a page."""
        button = self._buttons.button(self._words.index(word))
        assert button is not None
        button.setChecked(True)

    def show_page(self, page: QWidget) -> None:
        """Show one of the pages."""
        self.open(self._words[self.indexOf(page)])

    def _show(self, index: int, on: bool) -> None:
        if on:
            self.setCurrentIndex(index)
            self.changed.emit()
