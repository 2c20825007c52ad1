"""Making and changing regions."""

from collections.abc import Iterable, Mapping
from dataclasses import replace
from types import MappingProxyType
from typing import Literal

from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State, new_id
from evenpalette.core.errors import RegionError
from evenpalette.core.names import checked_name, free_name
from evenpalette.core.raster.raster import CHANNEL_NAMES, Raster
from evenpalette.core.recipe.recipe import Step
from evenpalette.core.regions.chain import read_by
from evenpalette.core.regions.checks.clean import clean_id_map
from evenpalette.core.regions.checks.gaps import used_mask
from evenpalette.core.regions.coverage import compute_coverages
from evenpalette.core.regions.dividing.flags import find_flags, nearest_pure, next_flag
from evenpalette.core.regions.overlap import Overlap
from evenpalette.core.regions.region_set import Division, Region, RegionSet
from evenpalette.core.regions.source import Source
from evenpalette.core.regions.sources import source_kind
from evenpalette.core.regions.sources.channel import ChannelSource
from evenpalette.core.regions.sources.flag import FlagSource


def with_regions(state: State, regions: RegionSet) -> State:
    """The state with this region set and its coverages computed anew where their sources changed.

    Steps forget regions that are gone.
    """
    before = state.project.regions
    made_from = {r.id: (r.source, r.operations) for r in regions.regions}
    same = made_from == {r.id: (r.source, r.operations) for r in before.regions} and before.bake == regions.bake
    same = same and len(made_from) == len(state.coverages)
    homes = {r.id: d.id for d in regions.divisions for r in d.regions}
    same = same and homes == {r.id: d.id for d in before.divisions for r in d.regions}
    remade = state if same else _computed(state, regions)
    recipe = state.project.recipe
    steps = tuple(_without_regions(step, homes) for step in recipe.steps)
    if steps != recipe.steps:
        recipe = recipe.model_copy(update={"steps": steps})
    return remade.with_project(regions=regions, recipe=recipe)


def _without_regions(step: Step, homes: Mapping[str, str]) -> Step:
    """The step without regions that are gone, or that are in another division than the first of its regions; a row that
    has none left goes, but for the last one."""
    named = step.named_regions()
    home = next((homes[region] for region in named if region in homes), "")
    if all(homes.get(region) == home for region in named):
        return step
    rows = []
    for row in step.rows:
        left = None if row.regions is None else tuple(r for r in row.regions if homes.get(r) == home)
        rows.append(row.model_copy(update={"regions": left}))
    kept = [row for row in rows if row.regions is None or row.regions]
    return step.model_copy(update={"rows": tuple(kept or rows[:1])})


@dataclass(frozen=True)
class Into:
    """Where new regions go: into a `new` division of this name, in place of those of a division, or `add`ed to one."""

    how: Literal["new", "replace", "add"]
    division: str | None = None
    name: str = ""


def prepared(state: State, into: Into | None) -> tuple[State, str | None]:
    """The state with the division made or emptied that new regions go into, and that division's id.

    Nothing is computed yet: `put_regions` follows. None is the first division as it is.
    """
    regions = state.project.regions
    if into is None:
        return state, None
    empty = len(regions.divisions) == 1 and not regions.divisions[0].regions
    if into.how == "new" and not empty:
        taken = [d.name for d in regions.divisions]
        division = Division(id=new_id("division"), name=free_name(into.name or "Division", taken))
        return state.with_project(regions=regions.with_division(division)), division.id
    target = regions.division(into.division) or regions.divisions[0]
    if into.how == "replace":
        return state.with_project(regions=regions.with_division(target.model_copy(update={"regions": ()}))), target.id
    return state, target.id


def put_regions(state: State, regions: Iterable[Region], division: str | None = None) -> State:
    """The state with these regions; new ones go into the division (the first by default)."""
    return with_regions(state, state.project.regions.with_regions(regions, division))


def rename_division(state: State, division_id: str, name: str) -> State:
    """Give a division another name. Raises RegionError for none, or one that another division has."""
    division = state.project.regions.division(division_id)
    if division is None:
        raise RegionError("That division is gone.")
    name = checked_name(name, "A division")
    if any(d.name == name and d.id != division_id for d in state.project.regions.divisions):
        raise RegionError(f"Another division is called '{name}'.")
    changed = division.model_copy(update={"name": name})
    return state.with_project(regions=state.project.regions.with_division(changed))


def remove_division(state: State, division_id: str) -> State:
    """Take a division out with its regions; rows of steps forget them. Raises RegionError for the only one."""
    regions = state.project.regions
    left = tuple(d for d in regions.divisions if d.id != division_id)
    if not left:
        raise RegionError("A sheet has at least one division. Remove its regions instead.")
    return with_regions(state, regions.model_copy(update={"divisions": left}))


def recompute_coverages(state: State) -> State:
    """Read all sources again, e.g. after a texture changed."""
    return _computed(state, state.project.regions)


def _computed(state: State, regions: RegionSet) -> State:
    made = compute_coverages(regions, state.textures, state.mesh, state.made)
    planes = {key: each.coverage for key, each in made.items() if each.coverage is not None}
    return replace(state, made=MappingProxyType(made), coverages=MappingProxyType(planes))


def regions_from_id_map(state: State, texture_id: str, into: Into | None = None) -> State:
    """Add a region for each flag color of an ID image that no region has yet; black is taken as unassigned.

    Raises RegionError when no flags are found.
    """
    found = [flag for flag in find_flags(state.textures[texture_id].pixels) if not flag.is_background]
    if not found:
        raise RegionError("This image has no flag colors besides black.")
    state, division = prepared(state, into)
    regions = list(state.project.regions.regions)
    known = {r.source.color for r in regions if isinstance(r.source, FlagSource) and r.source.texture == texture_id}
    for flag in found:
        if flag.color in known:
            continue
        taken = [region.flag for region in regions]
        chip = flag.pure if flag.pure not in taken else next_flag(taken)
        source = FlagSource(texture=texture_id, color=flag.color)
        regions.append(Region(id=new_id("region"), name=free_region_name(regions), flag=chip, source=source))
    return put_regions(state, regions, division)


def add_flag_region(
    state: State,
    texture_id: str,
    color: str,
    seed: tuple[float, float] | None = None,
    near: float = 48.0,
    far: float = 208.0,
    division: str | None = None,
) -> State:
    """Add a region picked by its color with near and far thresholds; seed: where it was picked, (u, v)."""
    regions = list(state.project.regions.regions)
    taken = [region.flag for region in regions]
    pure = nearest_pure(color)
    chip = pure if pure not in taken and pure != "#000000" else next_flag(taken)
    source = FlagSource(texture=texture_id, color=color, edges="thresholds", seed=seed, near=near, far=far)
    regions.append(Region(id=new_id("region"), name=free_region_name(regions), flag=chip, source=source))
    return put_regions(state, regions, division)


def regions_from_channels(state: State, texture_id: str, into: Into | None = None) -> State:
    """Add a region for each channel of a channel mask that is not empty."""
    raster = state.textures[texture_id]
    state, division = prepared(state, into)
    regions = list(state.project.regions.regions)
    count = 1 if raster.channels <= 2 else raster.channels
    for channel in range(count):
        plane = raster.channel(channel)
        if float(plane.max()) < 0.02 or (channel == 3 and float(plane.min()) > 0.98):
            continue
        flag = next_flag([region.flag for region in regions])
        name = free_region_name(regions, CHANNEL_NAMES[channel].capitalize() if count > 1 else "")
        source = ChannelSource(texture=texture_id, channel=channel)
        regions.append(Region(id=new_id("region"), name=name, flag=flag, source=source))
    if len(regions) == len(state.project.regions.regions):
        raise RegionError("All channels of this image are empty.")
    return put_regions(state, regions, division)


def update_region(state: State, region_id: str, **parts: object) -> State:
    """Change a region's name, flag or source. Raises RegionError for a name or flag that cannot be."""
    region = state.project.regions.find(region_id)
    if region is None:
        raise RegionError("That region is gone.")
    if "name" in parts:
        parts["name"] = checked_name(str(parts["name"]), "A region")
    changed = Region.model_validate({**region.model_dump(), **parts})
    regions = tuple(changed if r.id == region_id else r for r in state.project.regions.regions)
    return put_regions(state, regions)


def remove_region(state: State, region_id: str) -> State:
    """Take a region out; its texels become unassigned. Raises RegionError while another region's operations read it."""
    readers = [r.name for r in state.project.regions.regions if any(region_id in read_by(o)[0] for o in r.operations)]
    if readers:
        raise RegionError(f"It is still read by the operations of {', '.join(readers[:4])}. Take those out first.")
    parts = [r.name for r in state.project.regions.split_from(region_id)]
    if parts:
        raise RegionError(f"{', '.join(parts[:4])} is split from it by hue. Remove or freeze that first.")
    regions = tuple(r for r in state.project.regions.regions if r.id != region_id)
    return put_regions(state, regions)


def move_region(state: State, region_id: str, offset: int) -> State:
    """Move a region up (negative) or down in the order of its division."""
    division = state.project.regions.division_of(region_id)
    regions = list(division.regions)
    index = next(i for i, region in enumerate(regions) if region.id == region_id)
    target = min(max(index + offset, 0), len(regions) - 1)
    regions.insert(target, regions.pop(index))
    changed = division.model_copy(update={"regions": tuple(regions)})
    return with_regions(state, state.project.regions.with_division(changed))


def set_overlap(state: State, overlap: Overlap, division: str | None = None) -> State:
    """Choose what happens where coverages of a division overlap; the first one by default."""
    regions = state.project.regions
    target = regions.division(division) or regions.divisions[0]
    return state.with_project(regions=regions.with_division(target.model_copy(update={"overlap": overlap})))


def source_said(state: State, source: Source) -> str:
    """Where a region comes from, in words, with the names that things have now."""

    def called(key: str) -> str:
        thing = state.project.asset.texture(key) or state.project.regions.find(key)
        return thing.name if thing is not None else "something missing"

    return source_kind(source).said(source, called)


def free_region_name(regions: list[Region], wanted: str = "") -> str:
    """A name no region has: the wanted one, or with a number."""
    names = {region.name for region in regions}
    if wanted:
        return free_name(wanted, names)
    number = len(regions) + 1
    while f"Region {number}" in names:
        number += 1
    return f"Region {number}"


def clean_texture(state: State, texture_id: str, smallest_texels: int, close_gaps: bool) -> tuple[State, str]:
    """Mend an ID image in place (undo brings the old one back), follow with the regions made from it, and report."""
    raster = state.textures[texture_id]
    used = used_mask(state.mesh.faces_under_texels, (raster.height, raster.width)) if state.mesh else None
    cleaned = clean_id_map(raster.pixels, smallest_texels=smallest_texels, close_gaps=close_gaps, used=used)
    textures = {**state.textures, texture_id: Raster(cleaned.image, raster.encoding)}
    regions = tuple(
        region.model_copy(
            update={"source": region.source.model_copy(update={"color": cleaned.pure[region.source.color]})}
        )
        if isinstance(region.source, FlagSource)
        and region.source.texture == texture_id
        and region.source.color in cleaned.pure
        else region
        for region in state.project.regions.regions
    )
    state = replace(state, textures=MappingProxyType(textures))
    state = state.with_project(regions=state.project.regions.with_regions(regions))
    return recompute_coverages(state), cleaned.report()
