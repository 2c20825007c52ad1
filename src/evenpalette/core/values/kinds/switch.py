"""On or off."""

from typing import TYPE_CHECKING

from evenpalette.core.values.kind import Value, ValueKind, ValueType, Within, refused

if TYPE_CHECKING:
    from numpy.random import Generator


def _accept(value: object, within: Within) -> Value:
    if not isinstance(value, bool):
        raise refused(value, ValueType.SWITCH, within)
    return value


def _varied(now: Value, within: Within, spread: float, source: "Generator") -> Value:
    return (not now) if source.random() < spread / 2 else now


KIND = ValueKind(
    ValueType.SWITCH, 4, _accept, read=lambda text, unit: text.lower() in ("on", "true", "1", "yes"),
    prepared=lambda value, within, seconds: int(value), others=lambda now, within: (not now,),
    rank=lambda value, within: (bool(value),),
    between=lambda a, b: f"int(floor((later ? {b} : {a}) + 0.5))", varied=_varied,
    shader_type=lambda within: "int", is_short=True, is_parameter=True, differs_by_copy=True,
)  # fmt: skip
