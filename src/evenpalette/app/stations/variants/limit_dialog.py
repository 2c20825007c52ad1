"""What values by chance of one parameter keep to."""

from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QGridLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app.widgets.basics import button, choice, label, ok_or_cancel
from evenpalette.core.document.crowd import Limit
from evenpalette.core.document.state import State
from evenpalette.core.edits.limits import limit_of
from evenpalette.core.edits.many_values import colors_in
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.values import ValueType


class LimitDialog(QDialog):
    """Ranges of lightness, chroma and hue, colors to stay away from, a contrast to another region; of a number its
    range."""

    def __init__(self, state: State, parameter: Parameter, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Limits of {parameter.name}")
        self._parameter, held = parameter, limit_of(state, parameter.id)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(8)
        self._ranges: dict[str, tuple[QCheckBox, QDoubleSpinBox, QDoubleSpinBox]] = {}
        is_color = parameter.type is ValueType.COLOR
        if is_color:
            self._range("lightness", "Lightness", 0, 1, 0.05, held.lightness)
            self._range("chroma", "Chroma", 0, 0.5, 0.01, held.chroma)
            self._range("hue", "Hue, degrees", 0, 360, 5, held.hue)
        else:
            step = (parameter.high - parameter.low) / 20
            self._range("numbers", "Value", parameter.low, parameter.high, step, held.numbers)
        self.avoid = QLineEdit(" ".join(held.avoid))
        self.avoid.setPlaceholderText("#c03020 #208040 ...")
        self.avoid.setAccessibleName("Colors to stay away from")
        self.apart = self._number(0, 100, 1, held.apart, "Away from them by")
        self.region = choice("Contrast to")
        self.region.addItem("no region", "")
        for sheet in state.project.sheets:
            for region in sheet.regions.regions:
                self.region.addItem(region.name, region.id)
        known = next(iter(held.contrast), "")
        self.region.setCurrentIndex(max(0, self.region.findData(known)))
        self.contrast = self._number(0, 100, 1, held.contrast.get(known, 15.0), "Contrast at least")
        if is_color:
            line = self._grid.rowCount()
            self._grid.addWidget(label("Stay away from", "note"), line, 0)
            self._grid.addWidget(self.avoid, line, 1, 1, 2)
            self._grid.addWidget(label("by, CIEDE2000", "note"), line + 1, 0)
            self._grid.addWidget(self.apart, line + 1, 1)
            self._grid.addWidget(label("Contrast to", "note"), line + 2, 0)
            self._grid.addWidget(self.region, line + 2, 1, 1, 2)
            self._grid.addWidget(label("at least, CIEDE2000", "note"), line + 3, 0)
            self._grid.addWidget(self.contrast, line + 3, 1)
        buttons = ok_or_cancel(self)
        buttons.addButton(button("No limits", self._clear), QDialogButtonBox.ButtonRole.ResetRole)
        layout = QVBoxLayout(self)
        words = (
            "In OKLCh. A hue may go around: from 340 to 20. The project keeps it."
            if is_color
            else "The project keeps it."
        )
        layout.addWidget(label(words, "note"))
        layout.addLayout(self._grid)
        layout.addWidget(buttons)

    def _number(self, low: float, high: float, step: float, value: float, name: str) -> QDoubleSpinBox:
        made = QDoubleSpinBox()
        made.setRange(low, high)
        made.setDecimals(0 if step >= 1 else 2 if step >= 0.01 else 3)
        made.setSingleStep(step)
        made.setValue(value)
        made.setAccessibleName(name)
        return made

    def _range(
        self, key: str, words: str, low: float, high: float, step: float, held: tuple[float, float] | None
    ) -> None:  # fmt: skip
        box = QCheckBox(words)
        box.setChecked(held is not None)
        first, last = held if held is not None else (low, high)
        one, other = (self._number(low, high, step, v, f"{words} {way}") for v, way in ((first, "from"), (last, "to")))
        for field in (one, other):
            field.valueChanged.connect(lambda _: box.setChecked(True))
        line = self._grid.rowCount()
        for place, widget in enumerate((box, one, other)):
            self._grid.addWidget(widget, line, place)
        self._ranges[key] = box, one, other

    def _clear(self) -> None:
        for box, _, _ in self._ranges.values():
            box.setChecked(False)
        self.avoid.clear()
        self.region.setCurrentIndex(0)

    @property
    def limit(self) -> Limit:
        """What was asked for; ranges that were given the wrong way round are turned."""
        parts: dict[str, object] = {}
        for key, (box, one, other) in self._ranges.items():
            if box.isChecked():
                ends = one.value(), other.value()
                parts[key] = ends if key == "hue" else (min(ends), max(ends))
        region = str(self.region.currentData() or "")
        contrast = {region: self.contrast.value()} if region else {}
        return Limit(
            parameter=self._parameter.id, avoid=tuple(colors_in(self.avoid.text())[:32]), apart=self.apart.value(),
            contrast=contrast, **parts,
        )  # fmt: skip
