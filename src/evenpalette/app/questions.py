"""Questions to the artist: one way to put them, in which every name is text."""

from collections.abc import Iterable, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QDialog,
    QListWidget,
    QMessageBox,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app.plain import plain
from evenpalette.app.widgets.basics import label
from evenpalette.app.widgets.forms import ending
from evenpalette.core.errors import one_line

Role = QMessageBox.ButtonRole
#: What a button says, and what kind of answer it is.
Choice = tuple[str, Role]
CANCEL = "Cancel"


def ask(parent: QWidget, title: str, text: str, choices: Sequence[Choice], more: str = "") -> str:
    """Ask something; the words of the button that was taken, `CANCEL` where the question was closed."""
    box = QMessageBox(parent)
    box.setWindowTitle(title)
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setText(one_line(text))
    box.setInformativeText(plain(more))
    made: dict[QAbstractButton | None, str] = {box.addButton(words, role): words for words, role in choices}
    box.addButton(CANCEL, Role.RejectRole)
    box.exec()
    answer = made.get(box.clickedButton(), CANCEL)
    box.deleteLater()
    return answer


class ListQuestion(QDialog):
    """Asks for consent to all that a list shows, to its end."""

    def __init__(self, parent: QWidget, title: str, text: str, shown: Iterable[str], yes: str) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.resize(560, 320)
        self.list = QListWidget()
        self.list.setAccessibleName(title)
        self.list.setTextElideMode(Qt.TextElideMode.ElideNone)
        self.list.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.list.addItems([one_line(item) for item in shown])
        words = label(text)
        words.setWordWrap(True)
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        layout.addWidget(words)
        layout.addWidget(self.list, 1)
        layout.addWidget(ending(self, yes)[0])
