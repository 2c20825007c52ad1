"""What edits a value of each type: the widget, how it shows a value, what of it is told on."""

from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

from PyQt6.QtWidgets import QWidget

from evenpalette.app.widgets.choice_box import ChoiceBox
from evenpalette.app.widgets.color_editor import AskAround, PickColor
from evenpalette.app.widgets.color_field import ColorField
from evenpalette.app.widgets.placement_field import PlacementField
from evenpalette.app.widgets.stops_field import StopsField
from evenpalette.app.widgets.switch import Switch
from evenpalette.app.widgets.value_slider import ValueSlider
from evenpalette.app.widgets.vector_field import VectorField
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State
from evenpalette.core.raster.raster import CHANNEL_NAMES
from evenpalette.core.values import ChannelRef, Input, ValueType


class Told(NamedTuple):
    """Where a field tells what happens. edit: a new value, in the middle of a gesture. end: a gesture is over. take: a
    new value that is a gesture of its own. ask_default: the default is asked for. want: of what can be had besides, the
    key of one."""

    edit: Callable[[Any], None]
    end: Callable[[], None]
    take: Callable[[Any], None]
    ask_default: Callable[[], None]
    want: Callable[[str], None]


@dataclass(frozen=True)
class Asked:
    """What a field is made for. without: a region that is not offered. optional: whether a region, channel or texture
    may be none. offers: words and keys of what can be had besides."""

    input: Input
    state: Callable[[], State]
    pick: PickColor | None
    around: AskAround | None
    without: str
    optional: bool
    offers: Sequence[tuple[str, str]]


class Field(NamedTuple):
    """A widget that edits a value, and what shows one in it. fills: whether it takes all the width that there is."""

    widget: QWidget
    show: Callable[[Any], None]
    fills: bool = True


def _color(asked: Asked, told: Told) -> Field:
    made = ColorField(asked.pick, around=asked.around)
    made.edited.connect(told.edit)
    made.finished.connect(told.end)
    return Field(made, made.set_color)


def _number(asked: Asked, told: Told) -> Field:
    wanted = asked.input
    decimals = 0 if wanted.type is ValueType.INTEGER else None
    made = ValueSlider(wanted.low, wanted.high, wanted.unit, decimals=decimals)
    made.edited.connect(told.edit)
    made.finished.connect(told.end)
    made.reset.connect(told.ask_default)
    return Field(made, lambda value: made.set_value(float(value)))


def _switch(asked: Asked, told: Told) -> Field:
    made = Switch()
    made.toggled.connect(told.take)
    return Field(made, lambda value: made.set_on(bool(value)), fills=False)


def _stops(asked: Asked, told: Told) -> Field:
    made = StopsField()
    made.edited.connect(told.edit)
    return Field(made, made.set_stops)


def _placement(asked: Asked, told: Told) -> Field:
    made = PlacementField()
    made.edited.connect(told.edit)
    made.finished.connect(told.end)
    return Field(made, made.set_placement)


def _vector(asked: Asked, told: Told) -> Field:
    made = VectorField(asked.input)
    made.edited.connect(told.edit)
    made.finished.connect(told.end)
    return Field(made, made.set_vector)


def _box(choices: Callable[[Asked], list[tuple[str, str]]]) -> Callable[[Asked, Told], Field]:
    def make(asked: Asked, told: Told) -> Field:
        made = ChoiceBox(choices(asked), asked.offers, str(asked.input.default), asked.input.description)
        made.chosen.connect(told.take)
        made.wanted.connect(told.want)
        return Field(made, made.show_value)

    return make


def _none(asked: Asked) -> list[tuple[str, str]]:
    return [("none", "")] if asked.optional else []


def _regions(asked: Asked) -> list[tuple[str, str]]:
    there = asked.state().project.regions.regions
    return _none(asked) + [(region.name, region.id) for region in there if region.id != asked.without]


def _textures(asked: Asked) -> list[tuple[str, str]]:
    state, wanted = asked.state(), asked.input.choices
    there = [(t.name, t.id) for t in state.project.asset.textures if t.id in state.textures]
    return [one for one in there if one[1] in wanted] if wanted else _none(asked) + there


def _channels(asked: Asked) -> list[tuple[str, str]]:
    state, found = asked.state(), _none(asked)
    for texture in state.project.asset.textures:
        if texture.id not in state.textures:
            continue
        count = state.textures[texture.id].channels
        for channel in range(1 if count <= 2 else count):
            suffix = "" if count <= 2 else f", {CHANNEL_NAMES[channel]}"
            for invert in (False, True):
                words = texture.name + suffix + (", inverted" if invert else "")
                found.append((words, str(ChannelRef(texture.id, channel, invert))))
    return found


#: What makes the field of each type; a type that is missing here fails a test.
FIELDS: dict[ValueType, Callable[[Asked, Told], Field]] = {
    ValueType.COLOR: _color,
    ValueType.NUMBER: _number,
    ValueType.INTEGER: _number,
    ValueType.SWITCH: _switch,
    ValueType.STOPS: _stops,
    ValueType.PLACEMENT: _placement,
    ValueType.VECTOR: _vector,
    ValueType.CHOICE: _box(lambda asked: [(choice, choice) for choice in asked.input.choices]),
    ValueType.REGION: _box(_regions),
    ValueType.TEXTURE: _box(_textures),
    ValueType.CHANNEL: _box(_channels),
}
