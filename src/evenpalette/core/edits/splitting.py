"""Splitting a region in two by hue."""

from evenpalette.core.document.state import State, new_id
from evenpalette.core.edits.regions import free_region_name, with_regions
from evenpalette.core.edits.tone import tint_parameter_of
from evenpalette.core.errors import RegionError
from evenpalette.core.regions.dividing.flags import next_flag
from evenpalette.core.regions.region_set import Region
from evenpalette.core.regions.sources.hue import HueSource


def split_by_hue(state: State, region_id: str) -> State:
    """Make a region of the part of another one that has a second hue, as the fit of the tone found it; removing it
    gives the part back. Raises RegionError where no second hue is known."""
    region = state.project.regions.find(region_id)
    if region is None:
        raise RegionError("That region is gone.")
    tone = state.project.tone
    found = (
        next((row for row in tone.report.rows if row.region == region_id), None) if tone.report is not None else None
    )
    if found is None or not found.second or tone.painted not in state.textures or tone.painted is None:
        raise RegionError(f"No second hue is known of {region.name}. Fit the tone first: it tells where there is one.")
    tint = next((str(state.values(None)[p]) for p in (tint_parameter_of(state, region_id),) if p), "#ffffff")
    regions = state.project.regions
    home = regions.division_of(region_id)
    held = list(home.regions)
    made = Region(
        id=new_id("region"), name=free_region_name(list(regions.regions), f"{region.name} other hue"),
        flag=next_flag([r.flag for r in home.regions]),
        source=HueSource(region=region_id, texture=tone.painted, color=found.second, other=tint),
    )  # fmt: skip
    held.insert(held.index(region) + 1, made)
    return with_regions(state, regions.with_division(home.model_copy(update={"regions": tuple(held)})))
