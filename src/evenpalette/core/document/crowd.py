"""How an artist places an asset many times to look at it, and what variants by chance must keep to: as the project
keeps it."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from evenpalette.core.crowd import APART, BY_ORDER, BY_PLACE, BY_SHARE
from evenpalette.core.stored import Stored

MOST_COPIES = 5000
#: The share of a variant that nobody gave one.
USUAL_SHARE = 10.0
Hex = Annotated[str, Field(pattern="^#[0-9a-f]{6}$")]


class MovedCopy(Stored):
    """A copy that was moved by hand. index: which, from 0. x, z: where it stands, in steps of the crowd."""

    index: int = Field(ge=0, lt=10_000)
    x: float = Field(ge=-1e5, le=1e5)
    z: float = Field(ge=-1e5, le=1e5)


class Crowd(Stored):
    """Copies of the asset in one scene. count: how many. laid: on a grid, along a street, in a row, or scattered with a
    least distance of half a step. spacing: of neighbors, as a factor of how wide the asset is. rule: variants as often
    as their shares say, or besides no two alike beside each other. numbered: how the game counts copies. shares: of
    variants by id, 10 for one that is not here. moved: copies that were moved."""

    count: int = Field(60, ge=1, le=MOST_COPIES)
    laid: Literal["grid", "street", "row", "ground"] = "ground"
    spacing: float = Field(1.0, ge=0.5, le=6.0)
    rule: Literal["share", "apart"] = "apart"
    numbered: Literal["order", "place"] = "order"
    shares: dict[str, Annotated[float, Field(ge=0, le=100)]] = {}
    moved: tuple[MovedCopy, ...] = Field((), max_length=1000)

    @property
    def by(self) -> str:
        """How copies are numbered, as `Laid` has it."""
        return BY_PLACE if self.numbered == "place" else BY_ORDER

    @property
    def chosen_by(self) -> str:
        """Which variant each copy is, as `Laid` has it."""
        return APART if self.rule == "apart" else BY_SHARE


Range = tuple[Annotated[float, Field(ge=0)], Annotated[float, Field(ge=0)]]


class Limit(Stored):
    """What values by chance of a parameter keep to. lightness, chroma: from and to of OKLCh, 0..1 and 0..0.5. hue: from
    and to in degrees, around through 360 where from is larger. numbers: from and to of what is no color. avoid: colors
    that it stays away from by `apart` units of CIEDE2000. contrast: regions by id, and how many units of CIEDE2000 the
    mean color of the parameter's own regions stays away from theirs."""

    parameter: str = Field(max_length=80)
    lightness: Range | None = None
    chroma: Range | None = None
    hue: tuple[Annotated[float, Field(ge=0, le=360)], Annotated[float, Field(ge=0, le=360)]] | None = None
    numbers: tuple[float, float] | None = None
    avoid: tuple[Hex, ...] = Field((), max_length=32)
    apart: float = Field(15.0, ge=0, le=100)
    contrast: dict[str, Annotated[float, Field(ge=0, le=100)]] = {}

    @model_validator(mode="after")
    def _ordered(self) -> "Limit":
        for name in ("lightness", "chroma", "numbers"):
            held = getattr(self, name)
            if held is not None and held[0] > held[1]:
                raise ValueError(f"{name} goes from {held[0]:g} to {held[1]:g}")
        return self

    @property
    def is_any(self) -> bool:
        """Whether it limits anything."""
        return self != Limit(parameter=self.parameter, apart=self.apart)
