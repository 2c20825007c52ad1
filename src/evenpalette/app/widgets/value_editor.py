"""The one editor of a typed value, wherever it stands: steps, operations on coverages, parameters, variants."""

from collections.abc import Callable, Sequence
from typing import NamedTuple

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QSizePolicy, QWidget

from evenpalette.app.plain import plain
from evenpalette.app.widgets.color_editor import AskAround, PickColor
from evenpalette.app.widgets.color_field import ColorField
from evenpalette.app.widgets.placement_field import PlacementField
from evenpalette.app.widgets.stops_field import StopsField
from evenpalette.app.widgets.switch import Switch
from evenpalette.app.widgets.value_slider import ValueSlider
from evenpalette.app.widgets.vector_field import VectorField
from evenpalette.core.document.state import State
from evenpalette.core.raster.raster import CHANNEL_NAMES
from evenpalette.core.values import ChannelRef, Input, Value, ValueType


class _Offer(NamedTuple):
    """An entry of a box that is no value yet."""

    key: str


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
        a color is chosen among and for. without: a region that is not offered. optional: whether a region, channel or
        texture may be none. offers: words and keys of what can be had besides."""
        super().__init__(parent)
        self.input = input
        self._state, self._without, self._optional = state, without, optional
        self._value: Value = input.default
        self.inner = self._make(pick, around)
        if offers and isinstance(self.inner, QComboBox):
            self.inner.insertSeparator(self.inner.count())
            for words, key in offers:
                self.inner.addItem(words, _Offer(key))
        self.inner.setAccessibleName(input.label)
        self.inner.setToolTip(plain(input.description))
        self.setFocusProxy(self.inner)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.inner)
        if isinstance(self.inner, Switch):
            layout.addStretch(1)

    def _make(self, pick: PickColor | None, around: AskAround | None) -> QWidget:
        input = self.input
        if input.type is ValueType.COLOR:
            color = ColorField(pick, around=around)
            color.edited.connect(self.edited.emit)
            color.finished.connect(self.finished)
            return color
        if input.is_number:
            decimals = 0 if input.type is ValueType.INTEGER else None
            slider = ValueSlider(input.low, input.high, input.unit, decimals=decimals)
            slider.edited.connect(self.edited.emit)
            slider.finished.connect(self.finished)
            slider.reset.connect(self.reset)
            return slider
        if input.type is ValueType.SWITCH:
            switch = Switch()
            switch.toggled.connect(self._took)
            return switch
        if input.type is ValueType.STOPS:
            stops = StopsField()
            stops.edited.connect(self.edited.emit)
            return stops
        if input.type is ValueType.PLACEMENT:
            place = PlacementField()
            place.edited.connect(self.edited.emit)
            place.finished.connect(self.finished)
            return place
        if input.type is ValueType.VECTOR:
            vector = VectorField(input)
            vector.edited.connect(self.edited.emit)
            vector.finished.connect(self.finished)
            return vector
        box = QComboBox()
        box.setMinimumWidth(60)
        box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        box.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        for text, value in self._choices():
            box.addItem(text, value)
        box.activated.connect(lambda i: self._took(box.itemData(i)))
        return box

    def _took(self, value: "Value | _Offer") -> None:
        if isinstance(value, _Offer):
            self.set_value(self._value)
            self.wanted.emit(value.key)
            return
        self._value = value
        self.edited.emit(value)
        self.finished.emit()

    def _choices(self) -> list[tuple[str, str]]:
        """Words and values of what can be chosen."""
        state, kind = self._state(), self.input.type
        if kind is ValueType.CHOICE:
            return [(choice, choice) for choice in self.input.choices]
        none = [("none", "")] if self._optional else []
        if kind is ValueType.REGION:
            return none + [(r.name, r.id) for r in state.project.regions.regions if r.id != self._without]
        textures = [t for t in state.project.asset.textures if t.id in state.textures]
        if kind is ValueType.TEXTURE and self.input.choices:
            return [(t.name, t.id) for t in textures if t.id in self.input.choices]
        if kind is ValueType.TEXTURE:
            return none + [(t.name, t.id) for t in textures]
        found = none
        for texture in textures:
            count = state.textures[texture.id].channels
            for channel in range(1 if count <= 2 else count):
                suffix = "" if count <= 2 else f", {CHANNEL_NAMES[channel]}"
                for invert in (False, True):
                    words = texture.name + suffix + (", inverted" if invert else "")
                    found.append((words, str(ChannelRef(texture.id, channel, invert))))
        return found

    def set_range(self, low: float, high: float) -> None:
        """Another range for a number."""
        if isinstance(self.inner, ValueSlider):
            self.inner.set_range(low, high)

    def set_value(self, value: Value) -> None:
        """Show a value."""
        inner, self._value = self.inner, value
        if isinstance(inner, ColorField):
            inner.set_color(str(value))
        elif isinstance(inner, ValueSlider):
            inner.set_value(float(value))
        elif isinstance(inner, Switch):
            inner.set_on(bool(value))
        elif isinstance(inner, StopsField):
            inner.set_stops(str(value))
        elif isinstance(inner, PlacementField):
            inner.set_placement(str(value))
        elif isinstance(inner, VectorField):
            inner.set_vector(str(value))
        elif isinstance(inner, QComboBox):
            place = inner.findData(value)
            if place < 0 and value:
                inner.addItem("missing", value)
                place = inner.count() - 1
            inner.setCurrentIndex(place)
            inner.setToolTip(plain(inner.itemText(place) if place >= 0 else self.input.description))


class ValuePopup(QWidget):
    """A value's editor as a small window that goes when something else is clicked: for cells of a table."""

    def __init__(self, editor: ValueEditor, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(8, 6, 8, 6)
        layout.addWidget(editor)
        self.editor = editor
