"""How a texture is laid, see `Placement`."""

from collections.abc import Sequence
from dataclasses import replace

from evenpalette.core.placement import Placement
from evenpalette.core.values.kind import Value, ValueKind, ValueType, Within, text_of


def _others(now: Value, within: Within) -> Sequence[Value]:
    here = Placement.parse(str(now))
    moved = replace(here, offset=(here.offset[0] + 0.37, here.offset[1] + 0.21))
    return str(moved), str(replace(here, turn=here.turn + 0.13))


KIND = ValueKind(
    ValueType.PLACEMENT, 5, lambda value, within: str(Placement.parse(text_of(value, ValueType.PLACEMENT, within))),
    numbers=lambda value, within: Placement.parse(str(value)).uniform(),
    told=lambda value, within, files: {
        "placement": str(value), "matrix": list(Placement.parse(str(value)).uniform())
    },
    prepared=lambda value, within, seconds: Placement.parse(str(value)).at(seconds), others=_others,
    shader_type=lambda within: "mat4", is_written=True, is_parameter=True, differs_by_copy=True,
)  # fmt: skip
