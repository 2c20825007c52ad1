"""Hue: the part of another region whose color in a texture has one hue and not another."""

from collections.abc import Callable, Sequence
from typing import Literal

from pydantic import field_validator

from evenpalette.core.color.hexcode import normalize_hex
from evenpalette.core.regions.dividing.hue import hue_share
from evenpalette.core.regions.source import Plane, Source, SourceInputs, SourceKind


class HueSource(Source):
    """What is split from another region, which is looked at after its operations. region: the id of that one."""

    kind: Literal["hue"] = "hue"
    region: str
    texture: str
    color: str
    other: str

    _hex = field_validator("color", "other")(normalize_hex)

    @property
    def part_of(self) -> str:
        """The region that it is split from."""
        return self.region


def planes(sources: Sequence[HueSource], around: SourceInputs) -> list[Plane]:
    """How much each texel has the hue, whatever region it is in."""
    return [hue_share(around.textures[source.texture], source.color, source.other) for source in sources]


def said(source: HueSource, called: Callable[[str], str]) -> str:
    """The other region and the hue."""
    return f"the part of {called(source.region)} with the hue of {source.color}"


SOURCE = SourceKind("hue", "Hue", HueSource, planes, said, order=50)
