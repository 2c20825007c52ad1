"""What the document stores about regions."""

from collections.abc import Iterable
from enum import StrEnum
from typing import Annotated, Literal

from pydantic import Field, field_validator

from evenpalette.core.color.hexcode import normalize_hex
from evenpalette.core.stored import Stored


class Overlap(StrEnum):
    """What happens where coverages overlap. The same formulas run on the CPU and in shaders."""

    EXCLUSIVE = "exclusive"  # divided by max(1, sum)
    LAYERED = "layered"  # later regions come first, earlier ones get what is left
    ADDITIVE = "additive"  # kept as they are; a row's sum over its regions is clamped to 1


#: A coordinate of a texture; layouts may leave the first tile.
_Place = Annotated[float, Field(ge=-1000, le=1000)]
#: A face of a mesh, or a number of them.
_FaceCount = Annotated[int, Field(ge=0, le=1 << 31)]


class FlagSource(Stored):
    """Coverage from a flag color of an ID image.

    `thresholds`: 1 up to `near`, 0 from `far`, linear between, in the metric (8-bit RGB, CIEDE2000, OKLab times 100).
    `shares`: edge texels are solved as mixtures of the flags found beside them.
    """

    kind: Literal["flag"] = "flag"
    texture: str
    color: str
    edges: Literal["thresholds", "shares"] = "shares"
    metric: Literal["rgb", "ciede2000", "oklab"] = "rgb"
    #: Where the color was picked, (u, v); with `contiguous` only the connected piece around it is taken.
    seed: tuple[_Place, _Place] | None = None
    contiguous: bool = False
    near: float = Field(48.0, ge=0, le=442)
    far: float = Field(208.0, ge=0, le=442)

    _hex = field_validator("color")(normalize_hex)


class ChannelSource(Stored):
    """Coverage from one channel (0 red .. 3 alpha) of a channel mask."""

    kind: Literal["channel"] = "channel"
    texture: str
    channel: int = Field(ge=0, le=3)
    invert: bool = False


class FacesSource(Stored):
    """Coverage baked from a set of faces, as runs of (first face, count) in the order of the mesh file."""

    kind: Literal["faces"] = "faces"
    runs: tuple[tuple[_FaceCount, _FaceCount], ...] = ()

    @property
    def texture(self) -> str:
        """Faces are read from no texture."""
        return ""


class PaintedSource(Stored):
    """Coverage that was painted, or frozen from what it was made from; its texels lie beside the project file."""

    kind: Literal["painted"] = "painted"

    @property
    def texture(self) -> str:
        """It is read from no texture of the asset."""
        return ""


class HueSource(Stored):
    """The part of another region whose color in a texture has one hue and not another; that region is without it.

    region: the id of the other region, which is looked at after its operations.
    """

    kind: Literal["hue"] = "hue"
    region: str
    texture: str
    color: str
    other: str

    _hex = field_validator("color", "other")(normalize_hex)


RegionSource = Annotated[
    FlagSource | ChannelSource | FacesSource | PaintedSource | HueSource, Field(discriminator="kind")
]


class Operation(Stored):
    """One operation of the chain that works on a region's coverage.

    kind: a file of `core/regions/operations`. amount: how much of its result is mixed in. settings: by the keys that
    the kind names; what is missing has its default.
    """

    id: str
    kind: str
    on: bool = True
    amount: float = Field(1.0, ge=0, le=1)
    settings: dict[str, bool | float | str] = {}


class BakeSettings(Stored):
    """How face regions are drawn into UV space. samples: 0 is exact area, else points a texel."""

    size: int = Field(1024, ge=16, le=8192)
    samples: Literal[0, 1, 16, 64] = 16
    padding_texels: int = Field(16, ge=0, le=8192)


class Region(Stored):
    """One region. Its number is its place in the set, from 1.

    operations: run on the coverage from the source, in order. locked: painting leaves its texels alone.
    """

    id: str
    name: str = Field(min_length=1, max_length=80)
    flag: str
    source: RegionSource
    operations: tuple[Operation, ...] = ()
    locked: bool = False

    _hex = field_validator("flag")(normalize_hex)


#: The id of the division that a project begins with.
FIRST_DIVISION = "division-1"


class Division(Stored):
    """One way to divide the whole surface into regions: parts, chance, wear, a printed design."""

    id: str = FIRST_DIVISION
    name: str = Field("Parts", min_length=1, max_length=80)
    overlap: Overlap = Overlap.EXCLUSIVE
    regions: tuple[Region, ...] = ()


class RegionSet(Stored):
    """The divisions of a sheet in order, at least one, and how face regions are baked."""

    divisions: tuple[Division, ...] = Field((Division(),), min_length=1)
    bake: BakeSettings = BakeSettings()

    @property
    def regions(self) -> tuple[Region, ...]:
        """The regions of all divisions, in order; their places, from 1, are their numbers."""
        return tuple(region for division in self.divisions for region in division.regions)

    def find(self, region_id: str) -> Region | None:
        """The region with this id."""
        return next((region for region in self.regions if region.id == region_id), None)

    def number(self, region_id: str) -> int:
        """The region's number, from 1; 0 when it is not in the set."""
        return next((i for i, region in enumerate(self.regions, 1) if region.id == region_id), 0)

    def division(self, division_id: str | None) -> Division | None:
        """The division with this id."""
        return next((division for division in self.divisions if division.id == division_id), None)

    def division_of(self, region_id: str | None) -> Division:
        """The division that a region is in; the first one for a region that is in none."""
        found = (d for d in self.divisions if any(region.id == region_id for region in d.regions))
        return next(found, self.divisions[0])

    def split_from(self, region_id: str) -> list[Region]:
        """The regions that are a part of this one by its hue."""
        return [r for r in self.regions if isinstance(r.source, HueSource) and r.source.region == region_id]

    def with_regions(self, regions: Iterable[Region], into: str | None = None) -> "RegionSet":
        """The set with these regions: known ones stay in their divisions, in the given order, new ones go into the
        division `into` (the first by default). A division that loses its last region goes, but for the last one."""
        home = {region.id: division.id for division in self.divisions for region in division.regions}
        target = (self.division(into) or self.divisions[0]).id
        members: dict[str, list[Region]] = {division.id: [] for division in self.divisions}
        for region in regions:
            members[home.get(region.id, target)].append(region)
        changed = [d.model_copy(update={"regions": tuple(members[d.id])}) for d in self.divisions]
        kept = [new for new, old in zip(changed, self.divisions, strict=True) if new.regions or not old.regions]
        return self.model_copy(update={"divisions": tuple(kept or changed[:1])})

    def with_division(self, changed: Division) -> "RegionSet":
        """The set with a division of this id replaced, or added at the end."""
        if self.division(changed.id) is None:
            return self.model_copy(update={"divisions": (*self.divisions, changed)})
        divisions = tuple(changed if d.id == changed.id else d for d in self.divisions)
        return self.model_copy(update={"divisions": divisions})
