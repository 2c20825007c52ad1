"""What the matrix asks: how colors are to go together, how many variants fill a gap, what is said of one."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QDialog,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app.widgets.basics import choice, counted, label, ok_or_cancel
from evenpalette.app.widgets.forms import form, slider, whole
from evenpalette.core.document.variant import MARKS
from evenpalette.core.edits.many_values import MOST_BETWEEN
from evenpalette.core.variants.harmony import NEIGHBORS, OPPOSITE, TURN, WAYS, Harmonized, harmonized


class _Strip(QWidget):
    """Colors side by side, before above after."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(300, 56)
        self.colors: list[tuple[str, str]] = []

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        width = self.width() / max(1, len(self.colors))
        for place, (before, after) in enumerate(self.colors):
            painter.fillRect(round(place * width), 0, round(width) + 1, 24, QColor(before))
            painter.fillRect(round(place * width), 28, round(width) + 1, 28, QColor(after))
        painter.end()


class HarmonyDialog(QDialog):
    """Chosen colors as they go with the first of them, seen while it is set."""

    def __init__(self, colors: Sequence[str], show: Callable[[list[Harmonized]], None], parent: QWidget) -> None:
        """colors: of the chosen cells, the one that the others go with first. show: shows what would become of them,
        the first included."""
        super().__init__(parent)
        self.setWindowTitle("Colors that go together")
        self._colors, self._show = list(colors), show
        self.way = choice("Way", [(words, key) for key, words in WAYS.items()])
        self.degrees = slider(-180, 180, 30.0, name="Angle", unit="°", decimals=0, taken=lambda _: self._try())
        self._strip, self._said = _Strip(), label("", "note")
        self._said.setWordWrap(True)
        buttons = ok_or_cancel(self)
        layout = QVBoxLayout(self)
        layout.addWidget(label("In OKLCh; the first chosen color is the one that the others go with.", "note"))
        layout.addLayout(form(("Way", self.way), ("Angle", self.degrees)))
        layout.addWidget(self._strip)
        layout.addWidget(self._said)
        layout.addWidget(buttons)
        self.setMinimumWidth(380)
        self.way.currentIndexChanged.connect(lambda _: self._try())
        self._try()

    @property
    def found(self) -> list[Harmonized]:
        """What becomes of each color, the first included."""
        way = str(self.way.currentData())
        if way == TURN:
            return harmonized(way, self._colors[0], self._colors, self.degrees.value)
        others = harmonized(way, self._colors[0], self._colors[1:], self.degrees.value)
        return [Harmonized(self._colors[0], True), *others]

    def _try(self) -> None:
        self.degrees.setEnabled(self.way.currentData() in (TURN, NEIGHBORS))
        found = self.found
        self._strip.colors = list(zip(self._colors, (one.color for one in found), strict=True))
        self._strip.update()
        out = sum(not one.stayed for one in found)
        words = "All are within sRGB." if not out else f"{counted(out, 'color')} cannot be shown so strong: brought into sRGB with less chroma."  # fmt: skip
        if self.way.currentData() == OPPOSITE and len(self._colors) == 1:
            words = "Choose more than one color: the others go with the first."
        self._said.setText(words)
        self._show(found)


class FillDialog(QDialog):
    """How many variants stand between two."""

    def __init__(self, first: str, second: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Fill a gap")
        self.count = whole("How many between", 1, MOST_BETWEEN, 3)
        buttons = ok_or_cancel(self)
        layout = QVBoxLayout(self)
        layout.addLayout(form((f"Between {first} and {second}", self.count)))
        layout.addWidget(label("In equal steps: colors in OKLab, numbers plainly, choices by the half.", "note"))
        layout.addWidget(buttons)


class NoteDialog(QDialog):
    """A mark and a note for variants."""

    def __init__(self, words: str, mark: str, note: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("What is said of it")
        self.mark = choice("Mark", [(text, key) for key, text in {"": "No mark", **MARKS}.items()])
        self.mark.setCurrentIndex(max(0, self.mark.findData(mark)))
        self.note = QPlainTextEdit(note)
        self.note.setAccessibleName("Note")
        self.note.setTabChangesFocus(True)
        self.note.setFixedHeight(90)
        fields = form(("Mark", self.mark), ("Note", self.note))
        fields.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
        buttons = ok_or_cancel(self)
        layout = QVBoxLayout(self)
        layout.addWidget(label(words, "note"))
        layout.addLayout(fields)
        layout.addWidget(buttons)
        self.setMinimumWidth(380)
