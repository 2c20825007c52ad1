"""Making and changing regions."""

from dataclasses import replace
from types import MappingProxyType

from evenpalette.core.color.hexcode import format_hex
from evenpalette.core.errors import RegionError
from evenpalette.core.project.state import State, new_id
from evenpalette.core.raster.raster import Raster
from evenpalette.core.regions.chain import read_by
from evenpalette.core.regions.checks import used_mask
from evenpalette.core.regions.clean import clean_id_map
from evenpalette.core.regions.coverage import compute_coverages
from evenpalette.core.regions.flags import find_flags, nearest_pure, next_flag, to_rgb8
from evenpalette.core.regions.model import (
    ChannelSource,
    FlagSource,
    Overlap,
    Region,
    RegionSet,
)

_CHANNEL_NAMES = ("Red", "Green", "Blue", "Alpha")


def with_regions(state: State, regions: RegionSet) -> State:
    """The state with this region set and its coverages computed anew where their sources changed.

    Steps forget regions that are gone.
    """
    before = state.project.regions
    made_from = {r.id: (r.source, r.operations) for r in regions.regions}
    same = made_from == {r.id: (r.source, r.operations) for r in before.regions} and before.bake == regions.bake
    same = same and len(made_from) == len(state.coverages)
    kept = {r.id for r in regions.regions}
    remade = state if same else _computed(state, regions)
    recipe = state.project.recipe
    steps = tuple(
        step
        if step.regions is None or kept.issuperset(step.regions)
        else step.model_copy(update={"regions": tuple(r for r in step.regions if r in kept)})
        for step in recipe.steps
    )
    if steps != recipe.steps:
        recipe = recipe.model_copy(update={"steps": steps})
    return remade.with_project(regions=regions, recipe=recipe)


def recompute_coverages(state: State) -> State:
    """Read all sources again, e.g. after a texture changed."""
    return _computed(state, state.project.regions)


def _computed(state: State, regions: RegionSet) -> State:
    made = compute_coverages(regions, state.textures, state.mesh, state.made)
    planes = {key: each.coverage for key, each in made.items() if each.coverage is not None}
    return replace(state, made=MappingProxyType(made), coverages=MappingProxyType(planes))


def regions_from_id_map(state: State, texture_id: str) -> State:
    """Add a region for each flag color of an ID image that no region has yet; black is taken as unassigned.

    Raises RegionError when no flags are found.
    """
    found = [flag for flag in find_flags(state.textures[texture_id].pixels) if not flag.is_background]
    if not found:
        raise RegionError("This image has no flag colors besides black.")
    regions = list(state.project.regions.regions)
    known = {r.source.color for r in regions if isinstance(r.source, FlagSource) and r.source.texture == texture_id}
    for flag in found:
        if flag.color in known:
            continue
        taken = [region.flag for region in regions]
        chip = flag.pure if flag.pure not in taken else next_flag(taken)
        source = FlagSource(texture=texture_id, color=flag.color)
        regions.append(Region(id=new_id("region"), name=free_region_name(regions), flag=chip, source=source))
    return with_regions(state, state.project.regions.model_copy(update={"regions": tuple(regions)}))


def add_flag_region(
    state: State,
    texture_id: str,
    color: str,
    seed: tuple[float, float] | None = None,
    near: float = 48.0,
    far: float = 208.0,
) -> State:
    """Add a region picked by its color with near and far thresholds; seed: where it was picked, (u, v)."""
    regions = list(state.project.regions.regions)
    taken = [region.flag for region in regions]
    pure = nearest_pure(color)
    chip = pure if pure not in taken and pure != "#000000" else next_flag(taken)
    source = FlagSource(texture=texture_id, color=color, edges="thresholds", seed=seed, near=near, far=far)
    regions.append(Region(id=new_id("region"), name=free_region_name(regions), flag=chip, source=source))
    return with_regions(state, state.project.regions.model_copy(update={"regions": tuple(regions)}))


def regions_from_channels(state: State, texture_id: str) -> State:
    """Add a region for each channel of a channel mask that is not empty."""
    raster = state.textures[texture_id]
    regions = list(state.project.regions.regions)
    count = 1 if raster.channels <= 2 else raster.channels
    for channel in range(count):
        plane = raster.channel(channel)
        if float(plane.max()) < 0.02 or (channel == 3 and float(plane.min()) > 0.98):
            continue
        flag = next_flag([region.flag for region in regions])
        name = free_region_name(regions, _CHANNEL_NAMES[channel] if count > 1 else "")
        source = ChannelSource(texture=texture_id, channel=channel)
        regions.append(Region(id=new_id("region"), name=name, flag=flag, source=source))
    if len(regions) == len(state.project.regions.regions):
        raise RegionError("All channels of this image are empty.")
    return with_regions(state, state.project.regions.model_copy(update={"regions": tuple(regions)}))


def update_region(state: State, region_id: str, **parts: object) -> State:
    """Change a region's name, flag or source. Raises RegionError for a name or flag that cannot be."""
    region = state.project.regions.find(region_id)
    if region is None:
        raise RegionError("That region is gone.")
    if "name" in parts and not str(parts["name"]).strip():
        raise RegionError("A region needs a name.")
    changed = Region.model_validate({**region.model_dump(), **parts})
    regions = tuple(changed if r.id == region_id else r for r in state.project.regions.regions)
    return with_regions(state, state.project.regions.model_copy(update={"regions": regions}))


def remove_region(state: State, region_id: str) -> State:
    """Take a region out; its texels become unassigned. Raises RegionError while another region's operations read it."""
    readers = [r.name for r in state.project.regions.regions if any(region_id in read_by(o)[0] for o in r.operations)]
    if readers:
        raise RegionError(f"It is still read by the operations of {', '.join(readers[:4])}. Take those out first.")
    regions = tuple(r for r in state.project.regions.regions if r.id != region_id)
    return with_regions(state, state.project.regions.model_copy(update={"regions": regions}))


def move_region(state: State, region_id: str, offset: int) -> State:
    """Move a region up (negative) or down in the order."""
    regions = list(state.project.regions.regions)
    index = next(i for i, region in enumerate(regions) if region.id == region_id)
    target = min(max(index + offset, 0), len(regions) - 1)
    regions.insert(target, regions.pop(index))
    return with_regions(state, state.project.regions.model_copy(update={"regions": tuple(regions)}))


def set_overlap(state: State, overlap: Overlap) -> State:
    """Choose what happens where coverages overlap."""
    return state.with_project(regions=state.project.regions.model_copy(update={"overlap": overlap}))


def free_region_name(regions: list[Region], wanted: str = "") -> str:
    """A name no region has: the wanted one, or with a number."""
    names = {region.name for region in regions}
    if wanted and wanted not in names:
        return wanted
    number = len(regions) + 1
    if wanted:
        number = 2
    while f"{wanted or 'Region'} {number}" in names:
        number += 1
    return f"{wanted or 'Region'} {number}"


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
    state = state.with_project(regions=state.project.regions.model_copy(update={"regions": regions}))
    return recompute_coverages(state), cleaned.report()


def stored_color(state: State, texture_id: str, u: float, v: float) -> str:
    """The stored color of a texture's texel under (u, v), '#rrggbb'."""
    raster = state.textures[texture_id]
    y, x = min(raster.height - 1, int(v * raster.height)), min(raster.width - 1, int(u * raster.width))
    r, g, b = to_rgb8(raster.pixels[y : y + 1, x : x + 1])[0, 0]
    return format_hex((r, g, b))
