"""What the document stores about regions."""

from collections.abc import Iterable

from pydantic import Field, field_validator

from evenpalette.core.color.hexcode import normalize_hex
from evenpalette.core.regions.overlap import Overlap
from evenpalette.core.regions.source import BakeSettings
from evenpalette.core.regions.sources import RegionSource
from evenpalette.core.stored import Stored


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
        """The regions that are split from this one."""
        return [r for r in self.regions if r.source.part_of == region_id]

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
