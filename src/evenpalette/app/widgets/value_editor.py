"""The one editor of a typed value, wherever it stands: steps, operations on coverages, parameters, variants."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from evenpalette.app.plain import plain
from evenpalette.app.widgets.color_editor import AskAround, PickColor
from evenpalette.app.widgets.value_fields import FIELDS, Asked, Told
from evenpalette.app.widgets.value_slider import ValueSlider
from evenpalette.core.document.state import State
from evenpalette.core.values import Input, Value


class ValueEditor(QWidget):
    """Edits one value of any type. `edited` with every new value, `finished` when a gesture is over, `reset` where the
    default is asked for. Nothing is emitted by `set_value`."""

    edited = pyqtSignal(object)
    finished = pyqtSignal()
    reset = pyqtSignal()
    #: Of what can be had besides what is there, the key of one was chosen.
    wanted = pyqtSignal(str)

    def __init__(
        self, input: Input, state: Callable[[], State], *, pick: PickColor | None = None, without: str = "",
        optional: bool = False, around: AskAround | None = None, offers: Sequence[tuple[str, str]] = (),
        parent: QWidget | None = None,
    ) -> None:  # fmt: skip
        """state: the document whose regions and textures are offered. pick: takes a color from the views. around: what
        a color is chosen among and for. without, optional, offers: see `Asked`."""
        super().__init__(parent)
        self.input = input
        told = Told(self.edited.emit, self.finished.emit, self._took, self.reset.emit, self.wanted.emit)
        field = FIELDS[input.type](Asked(input, state, pick, around, without, optional, offers), told)
        self.inner, self._show = field.widget, field.show
        self.inner.setAccessibleName(input.label)
        self.inner.setToolTip(plain(input.description))
        self.setFocusProxy(self.inner)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.inner)
        if not field.fills:
            layout.addStretch(1)

    def set_range(self, low: float, high: float) -> None:
        """Another range for a number."""
        if isinstance(self.inner, ValueSlider):
            self.inner.set_range(low, high)

    def set_value(self, value: Value) -> None:
        """Show a value."""
        self._show(value)

    def _took(self, value: Value) -> None:
        self.edited.emit(value)
        self.finished.emit()


class ValuePopup(QWidget):
    """A value's editor as a small window that goes when something else is clicked: for cells of a table."""

    def __init__(self, editor: ValueEditor, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(8, 6, 8, 6)
        layout.addWidget(editor)
        self.editor = editor
