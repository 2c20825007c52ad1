"""The chain of operations on a region's coverage: adding, changing, moving, and freezing what came out."""

from dataclasses import replace
from types import MappingProxyType
from typing import Any

from evenpalette.core.document.state import State, new_id
from evenpalette.core.edits.regions import put_regions, update_region
from evenpalette.core.errors import RegionError
from evenpalette.core.regions.coverage import painted
from evenpalette.core.regions.operations import operation_kind
from evenpalette.core.regions.region_set import Operation, Region
from evenpalette.core.regions.sources.painted import PaintedSource
from evenpalette.core.values import ChannelRef, Input, ValueType


def _region(state: State, region_id: str) -> Region:
    region = state.project.regions.find(region_id)
    if region is None:
        raise RegionError("That region is gone.")
    return region


def add_operation(state: State, region_id: str, kind: str, settings: dict[str, Any] | None = None) -> State:
    """Put an operation at the end of a region's chain; what it must read is chosen where there is a choice.

    Raises RegionError where it cannot run, e.g. without a mesh.
    """
    region = _region(state, region_id)
    described = operation_kind(kind)
    chosen = dict(settings or {})
    for setting in described.settings:
        if setting.type in (ValueType.REGION, ValueType.CHANNEL) and not chosen.get(setting.key):
            chosen[setting.key] = _first(state, region, setting)
    made = Operation(id=new_id("operation"), kind=kind, settings=described.values(chosen))
    return update_region(state, region_id, operations=(*region.operations, made))


def _first(state: State, region: Region, setting: Input) -> str:
    if setting.type is ValueType.REGION:
        others = [r.id for r in state.project.regions.regions if r.id != region.id]
        if not others:
            raise RegionError("There is no other region for it to read.")
        return others[0]
    textures = state.project.asset.textures
    if not textures:
        raise RegionError("There is no texture for it to read. Bring one in at Asset.")
    return str(ChannelRef(textures[0].id))


def change_operation(state: State, region_id: str, operation_id: str, **parts: Any) -> State:
    """Change `on`, `amount` or `settings` (merged into the present ones) of an operation. Raises RegionError."""
    region = _region(state, region_id)

    def changed(operation: Operation) -> Operation:
        if operation.id != operation_id:
            return operation
        settings = {**operation.settings, **parts.get("settings", {})}
        values = {**operation.model_dump(), **parts, "settings": operation_kind(operation.kind).values(settings)}
        return Operation.model_validate(values)

    return update_region(state, region_id, operations=tuple(map(changed, region.operations)))


def remove_operation(state: State, region_id: str, operation_id: str) -> State:
    """Take an operation out of the chain."""
    kept = tuple(o for o in _region(state, region_id).operations if o.id != operation_id)
    return update_region(state, region_id, operations=kept)


def move_operation(state: State, region_id: str, operation_id: str, offset: int) -> State:
    """Move an operation earlier (negative) or later in the chain."""
    chain = list(_region(state, region_id).operations)
    index = next(i for i, o in enumerate(chain) if o.id == operation_id)
    chain.insert(min(max(index + offset, 0), len(chain) - 1), chain.pop(index))
    return update_region(state, region_id, operations=tuple(chain))


def freeze(state: State, region_ids: list[str]) -> State:
    """Make the coverages of these regions painted ones: their texels stay, source and chain are forgotten."""
    made = dict(state.made)
    # What is split from a frozen region would be taken from it twice: it is frozen with it.
    chosen = list(region_ids)
    for region_id in chosen:
        chosen += [r.id for r in state.project.regions.split_from(region_id) if r.id not in chosen]
    region_ids = chosen
    regions = []
    for region in state.project.regions.regions:
        if region.id in region_ids and region.id in state.coverages:
            made[region.id] = painted(state.coverages[region.id])
            region = region.model_copy(update={"source": PaintedSource(), "operations": ()})
        regions.append(region)
    state = replace(state, made=MappingProxyType(made))
    return put_regions(state, regions)
