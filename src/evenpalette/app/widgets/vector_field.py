"""The editor of a vector: a slider for each of its numbers, by its name."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QWidget

from evenpalette.app.widgets.basics import caption
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
        for line, (name, slider) in enumerate(zip(input.choices, self._sliders, strict=True)):
            slider.setAccessibleName(f"{input.label}, {name}")
            slider.edited.connect(lambda _: self.edited.emit(vector_text(s.value for s in self._sliders)))
            slider.finished.connect(self.finished)
            grid.addWidget(caption(name, slider), line, 0)
            grid.addWidget(slider, line, 1)

    def set_vector(self, text: str) -> None:
        """Show a vector."""
        for slider, value in zip(self._sliders, vector_parts(text), strict=False):
            slider.set_value(value)
