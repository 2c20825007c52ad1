"""A box of values to choose from, and of what can be had besides."""

from collections.abc import Sequence
from typing import NamedTuple

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QSizePolicy

from evenpalette.app.plain import plain


class _Offer(NamedTuple):
    """An entry of a box that is no value yet."""

    key: str


class ChoiceBox(QComboBox):
    """Emits `chosen` with a value, `wanted` with the key of an offer; nothing when a value is shown."""

    chosen = pyqtSignal(object)
    wanted = pyqtSignal(str)

    def __init__(
        self, choices: Sequence[tuple[str, str]], offers: Sequence[tuple[str, str]], value: str, description: str
    ) -> None:
        """choices: words and values. offers: words and keys. value: that it has until one is shown."""
        super().__init__()
        self._description, self._value = description, value
        self.setMinimumWidth(60)
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        for words, value in choices:
            self.addItem(words, value)
        if offers:
            self.insertSeparator(self.count())
        for words, key in offers:
            self.addItem(words, _Offer(key))
        self.activated.connect(self._took)

    def show_value(self, value: str) -> None:
        """Show one that is there, or that it is missing."""
        self._value = value
        place = self.findData(value)
        if place < 0 and value:
            self.addItem("missing", value)
            place = self.count() - 1
        self.setCurrentIndex(place)
        self.setToolTip(plain(self.itemText(place) if place >= 0 else self._description))

    def _took(self, place: int) -> None:
        held = self.itemData(place)
        if isinstance(held, _Offer):
            self.show_value(self._value)
            self.wanted.emit(held.key)
            return
        self._value = held
        self.chosen.emit(held)
