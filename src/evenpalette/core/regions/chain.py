"""Running the operations of a region on its coverage, in an order in which every other region they read is done."""

from collections.abc import Mapping

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import EvenPaletteError, RegionError
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.raster.raster import Raster
from evenpalette.core.regions.operation_kind import MEETINGS, Around, Plane
from evenpalette.core.regions.operations import operation_kind
from evenpalette.core.regions.region_set import Operation, Region
from evenpalette.core.values import ChannelRef, ValueType

Planes = dict[str, NDArray[np.uint8]]


@dataclass(frozen=True)
class ChainInputs:
    """What chains read besides the coverage itself. coverages: finished ones of other regions, by id."""

    coverages: Mapping[str, NDArray[np.uint8]]
    textures: Mapping[str, Raster]
    texels: Texels | None


def read_by(operation: Operation) -> tuple[list[str], list[str]]:
    """The ids of regions and of textures that an operation reads."""
    settings = operation_kind(operation.kind).all_settings
    given = [(s.type, str(operation.settings.get(s.key, ""))) for s in settings]
    regions = [text for type_, text in given if type_ is ValueType.REGION and text]
    channels = [ChannelRef.parse(text) for type_, text in given if type_ is ValueType.CHANNEL]
    return regions, [ref.texture for ref in channels if ref is not None]


def in_order(regions: tuple[Region, ...]) -> list[Region]:
    """The regions, each after those its operations read. Raises RegionError where they read each other in a circle."""
    by_id = {region.id: region for region in regions}
    done: dict[str, Region] = {}
    open_: list[str] = []

    def visit(region: Region) -> None:
        if region.id in done:
            return
        if region.id in open_:
            names = " reads ".join(by_id[r].name for r in [*open_[open_.index(region.id) :], region.id])
            raise RegionError(f"Coverages would go in a circle: {names}. Freeze one of them first.")
        open_.append(region.id)
        if region.source.part_of in by_id:
            visit(by_id[region.source.part_of])
        for operation in region.operations:
            for other in read_by(operation)[0] if operation.on else ():
                if other in by_id:
                    visit(by_id[other])
        open_.pop()
        done[region.id] = region

    for region in regions:
        visit(region)
    return list(done.values())


def run_chain(plane: NDArray[np.uint8], operations: tuple[Operation, ...], inputs: ChainInputs) -> NDArray[np.uint8]:
    """The coverage after its operations: uint8 (height, width) in and out.

    Texels on no face follow the nearest texel that is on one. Raises RegionError that names the operation.
    """
    active = [operation for operation in operations if operation.on and operation.amount > 0]
    if not active:
        return plane
    around = Around(
        (plane.shape[0], plane.shape[1]), inputs.texels,
        lambda region: _as_plane(inputs.coverages.get(region), "region"),
        lambda ref: _channel(ref, inputs.textures, (plane.shape[0], plane.shape[1])),
    )  # fmt: skip
    value: Plane = plane.astype(np.float32) / np.float32(255)
    for operation in active:
        kind = operation_kind(operation.kind)
        values = kind.values(operation.settings)
        try:
            result = kind.run(value, values, around)
        except EvenPaletteError as error:
            raise RegionError(f"{kind.label}: {error}") from error
        if kind.makes:
            result = MEETINGS[values["meets"]](value, result)
        value = result if operation.amount >= 1 else value + (result - value) * np.float32(operation.amount)
    out = np.rint(np.clip(value, 0, 1) * 255).astype(np.uint8)
    return inputs.texels.fill_gutter(out) if inputs.texels is not None else out


def _as_plane(plane: NDArray[np.uint8] | None, what: str) -> Plane:
    if plane is None:
        raise RegionError(f"Choose a {what} for it to read.")
    return plane.astype(np.float32) / np.float32(255)


def _channel(ref: str, textures: Mapping[str, Raster], shape: tuple[int, int]) -> Plane:
    named = ChannelRef.parse(ref)
    raster = textures.get(named.texture) if named is not None else None
    if raster is None or named is None:
        raise RegionError("Choose a texture channel for it to read.")
    plane = np.clip(raster.channel(named.channel), 0, 1).astype(np.float32)
    plane = 1 - plane if named.invert else plane
    if plane.shape == shape:
        return plane
    shrinks = plane.shape[0] > shape[0]
    return np.asarray(
        cv2.resize(plane, (shape[1], shape[0]), interpolation=cv2.INTER_AREA if shrinks else cv2.INTER_LINEAR)
    )
