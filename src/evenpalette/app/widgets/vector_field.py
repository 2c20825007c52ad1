"""The editor of a vector: a slider for each of its numbers, by its name."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QWidget

from evenpalette.app.widgets.basics import captions
from evenpalette.app.widgets.value_slider import ValueSlider
from evenpalette.core.values import Input, vector_parts, vector_text


class VectorField(QWidget):
    """`edited` with the whole vector as text, `finished` when a gesture is over."""

    edited = pyqtSignal(str)
    finished = pyqtSignal()

    def __init__(self, input: Input) -> None:
        super().__init__()
        self._sliders = [ValueSlider(input.low, input.high, input.unit) for _ in input.choices]
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(2)
        lines = list(zip(input.choices, self._sliders, strict=True))
        for name, slider in lines:
            slider.setAccessibleName(f"{input.label}, {name}")
            slider.edited.connect(lambda _: self.edited.emit(vector_text(s.value for s in self._sliders)))
            slider.finished.connect(self.finished)
        captions(grid, lines)

    def set_vector(self, text: str) -> None:
        """Show a vector."""
        for slider, value in zip(self._sliders, vector_parts(text), strict=False):
            slider.set_value(value)
