"""Controls as rows: a number, a slider, a form, the buttons that end a dialog, said in one line each."""

from collections.abc import Callable
from typing import Any

from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QFormLayout, QPushButton, QSpinBox, QWidget

from evenpalette.app.plain import plain
from evenpalette.app.widgets.value_slider import ValueSlider


def whole(
    name: str, low: int, high: int, value: int, *, prefix: str = "", suffix: str = "", tip: str = "",
    taken: Callable[[int], object] | None = None,
) -> QSpinBox:  # fmt: skip
    """A whole number to type or to step. name: what it is called for accessibility. taken: is given what it becomes."""
    made = QSpinBox()
    made.setAccessibleName(name)
    made.setToolTip(plain(tip))
    made.setRange(low, high)
    made.setValue(value)
    made.setPrefix(prefix)
    made.setSuffix(suffix)
    if taken is not None:
        made.valueChanged.connect(taken)
    return made


def slider(
    low: float, high: float, value: float, *, name: str = "", unit: str = "", tip: str = "",
    taken: Callable[[float], object] | None = None, ended: Callable[[], object] | None = None, **how: Any,
) -> ValueSlider:  # fmt: skip
    """A ranged number that is dragged or typed. name: what it is called for accessibility; a caption beside it may do
    instead. taken: is given what it becomes. ended: is told when a move is over. how: of `ValueSlider`."""
    made = ValueSlider(low, high, unit, **how)
    made.set_value(value)
    if name:
        made.setAccessibleName(name)
    made.setToolTip(plain(tip))
    if taken is not None:
        made.edited.connect(taken)
    if ended is not None:
        made.finished.connect(ended)
    return made


def form(*lines: tuple[str, QWidget] | None) -> QFormLayout:
    """A word and a widget in each line; the widget is called by it where it has no name of its own. None is left
    out."""
    made = QFormLayout()
    for line in lines:
        if line is not None:
            words, widget = line
            if words and not widget.accessibleName():
                widget.setAccessibleName(words)
            made.addRow(words, widget)
    return made


def ending(
    dialog: QDialog, words: str = "", run: Callable[[], object] | None = None, *, stays: bool = False
) -> tuple[QDialogButtonBox, QPushButton]:
    """The buttons that end a dialog, and the one that does what it is for, which `words` say: by default it accepts.
    stays: the dialog is closed by a button of its own, else it can be cancelled. Without words it can only be
    closed."""
    kinds, roles = QDialogButtonBox.StandardButton, QDialogButtonBox.ButtonRole
    made = QDialogButtonBox(kinds.Close if stays or not words else kinds.Cancel)
    made.rejected.connect(dialog.reject)
    does = QPushButton(words)
    if words:
        made.addButton(does, roles.ApplyRole if stays else roles.AcceptRole)
        does.clicked.connect(lambda _=False: (run or dialog.accept)())
    return made, does
