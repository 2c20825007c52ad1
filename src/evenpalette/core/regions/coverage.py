"""From what the document says about regions to their coverage planes."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.errors import RegionError
from evenpalette.core.mesh.view import MeshView
from evenpalette.core.raster.raster import Raster
from evenpalette.core.raster.reading import plane_at
from evenpalette.core.regions.chain import ChainInputs, Planes, in_order, read_by, run_chain
from evenpalette.core.regions.dividing.bake import bake_faces
from evenpalette.core.regions.dividing.face_runs import face_labels
from evenpalette.core.regions.dividing.flags import find_flags, to_rgb8
from evenpalette.core.regions.dividing.hue import hue_share
from evenpalette.core.regions.dividing.pick import keep_contiguous, pick_by_color, pick_coverages
from evenpalette.core.regions.dividing.unmix import unmix
from evenpalette.core.regions.model import (
    BakeSettings,
    ChannelSource,
    FacesSource,
    FlagSource,
    HueSource,
    Overlap,
    PaintedSource,
    Region,
    RegionSet,
)
from evenpalette.core.regions.overlap import resolve_overlap

#: What a painted plane was made from.
PAINTED = ("painted",)


class _Same:
    """Equal only to what holds the very same object."""

    def __init__(self, held: object) -> None:
        self.held = held

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and other.held is self.held

    __hash__ = None  # type: ignore[assignment]


@dataclass(frozen=True, eq=False)
class Made:
    """A coverage and what it was made from: the plane from its source at the source's size, then its operations."""

    raw: NDArray[np.uint8]
    raw_from: tuple = ()
    coverage: NDArray[np.uint8] | None = None
    coverage_from: tuple = ()


def painted(plane: NDArray[np.uint8]) -> Made:
    """A painted plane, to be taken over by a region whose source is PaintedSource."""
    return Made(plane, PAINTED, plane)


def compute_coverages(
    regions: RegionSet, textures: Mapping[str, Raster], mesh: MeshView | None = None, before: Mapping[str, Made] = {}
) -> dict[str, Made]:
    """The coverage of every region from its source and its operations, all of one size, that of the largest source.

    mesh: what face regions are baked from. before: what was made last time; what would come out the same is kept, and
    painted planes are taken from it. Flags of one image in one division are read together, so that they sum to at most
    1; the face regions of a division are baked together. Raises
    RegionError when something that a region is made from is missing.
    """
    raws = _source_planes(regions, textures, mesh, before)
    if not raws:
        return {}
    shape = max((made.raw.shape for made in raws.values()), key=lambda shape: shape[0] * shape[1])
    texels = mesh.texels((shape[0], shape[1])) if mesh is not None else None
    done: dict[str, Made] = {}
    planes: Planes = {}
    wholes: Planes = {}
    keys: dict[str, tuple] = {}
    by_id = {region.id: region for region in regions.regions}

    def whole(region: Region) -> NDArray[np.uint8]:
        """A region before others are split from it."""
        if region.id not in wholes:
            start = plane_at(raws[region.id].raw, (shape[1], shape[0]))
            if isinstance(region.source, HueSource) and region.source.region in by_id:
                start = _part(whole(by_id[region.source.region]), start)
            wholes[region.id] = run_chain(start, region.operations, ChainInputs(planes, textures, texels))
        return wholes[region.id]

    for region in in_order(regions.regions):
        raw, source = raws[region.id], region.source
        reads = [read_by(operation) for operation in region.operations]
        looked_at = [planes.get(r) for rs, _ in reads for r in rs] + [textures.get(t) for _, ts in reads for t in ts]
        keys[region.id] = (_Same(raw.raw), shape, region.operations, *map(_Same, looked_at), _Same(mesh))
        taken = [raws[other.id].raw for other in regions.split_from(region.id)]
        of = keys.get(source.region, ()) if isinstance(source, HueSource) else ()
        keys[region.id] = (*keys[region.id], *of)
        key = (keys[region.id], tuple(map(_Same, taken)))
        old = before.get(region.id)
        if old is not None and old.coverage is not None and old.coverage_from == key:
            plane = old.coverage
        else:
            plane = whole(region)
            for share in taken:
                plane = _part(plane, 255 - plane_at(share, (shape[1], shape[0])))
        planes[region.id] = plane
        done[region.id] = replace(raw, coverage=plane, coverage_from=key)
    return {region.id: done[region.id] for region in regions.regions}


def _part(plane: NDArray[np.uint8], share: NDArray[np.uint8]) -> NDArray[np.uint8]:
    return ((plane.astype(np.uint16) * share + 127) // 255).astype(np.uint8)


def _source_planes(
    regions: RegionSet, textures: Mapping[str, Raster], mesh: MeshView | None, before: Mapping[str, Made]
) -> dict[str, Made]:
    groups: dict[tuple, list[Region]] = {}
    homes = {region.id: division.id for division in regions.divisions for region in division.regions}
    for region in regions.regions:
        source = region.source
        if source.texture and source.texture not in textures:
            raise RegionError(f"The texture that region '{region.name}' is made from is gone. Give it another source.")
        if isinstance(source, FlagSource):
            group: tuple = ("flag", source.texture, source.edges, homes[region.id])
        else:
            group = ("faces", homes[region.id]) if isinstance(source, FacesSource) else (region.id,)
        groups.setdefault(group, []).append(region)
    made: dict[str, Made] = {}
    for members in groups.values():
        source = members[0].source
        if isinstance(source, PaintedSource):
            empty = np.zeros((regions.bake.size,) * 2, np.uint8)
            old = before.get(members[0].id)
            made[members[0].id] = old if old is not None and old.raw_from == PAINTED else painted(empty)
            continue
        key: tuple = (tuple(region.source for region in members), _Same(textures.get(source.texture)))
        if isinstance(source, FacesSource):
            key = (*key, _Same(mesh), regions.bake)
        if all(region.id in before and before[region.id].raw_from == key for region in members):
            made.update({region.id: before[region.id] for region in members})
            continue
        planes = _group_planes(members, textures, regions.bake, mesh)
        made.update({region.id: Made(plane, key) for region, plane in zip(members, planes, strict=True)})
    return made


def _group_planes(
    members: list[Region], textures: Mapping[str, Raster], settings: BakeSettings, mesh: MeshView | None
) -> Sequence[NDArray[np.uint8]]:
    source = members[0].source
    flags = [region.source for region in members if isinstance(region.source, FlagSource)]
    if isinstance(source, FlagSource):
        return [np.ascontiguousarray(p) for p in _flag_planes(textures[source.texture], flags, source.edges)]
    if isinstance(source, ChannelSource):
        return [_channel_plane(textures[source.texture], source)]
    if isinstance(source, HueSource):
        return [hue_share(textures[source.texture], source.color, source.other)]
    return _face_planes([r.source for r in members if isinstance(r.source, FacesSource)], settings, mesh)


def _face_planes(faces: list[FacesSource], settings: BakeSettings, view: MeshView | None) -> list[NDArray[np.uint8]]:
    if view is None:
        raise RegionError("The regions made of faces need the mesh. Bring it in at Asset.")
    labels = face_labels(faces, view.mesh.face_count)
    baked = bake_faces(
        view.mesh, labels, len(faces), size=settings.size, samples=settings.samples,
        padding_texels=settings.padding_texels,
    )  # fmt: skip
    return list(baked.coverages)


def _flag_planes(raster: Raster, sources: list[FlagSource], edges: str) -> NDArray[np.uint8]:
    image = to_rgb8(raster.pixels)
    colors: list[tuple[int, ...]] = [tuple(parse_hex(source.color)) for source in sources]
    stack = _picked_planes(raster, image, colors, sources, edges)
    for plane, source in zip(stack, sources, strict=True):
        if source.contiguous and source.seed is not None:
            keep_contiguous(plane, source.seed)
    return stack


def _picked_planes(
    raster: Raster, image: NDArray[np.uint8], colors: list[tuple[int, ...]], sources: list[FlagSource], edges: str
) -> NDArray[np.uint8]:
    if edges == "thresholds" and any(source.metric != "rgb" for source in sources):
        picked = [
            pick_by_color(image, (color[0], color[1], color[2]), s.near, s.far, s.metric)
            for color, s in zip(colors, sources, strict=True)
        ]
        return np.rint(resolve_overlap(np.stack(picked), Overlap.EXCLUSIVE) * 255).astype(np.uint8)
    if edges == "thresholds":
        return pick_coverages(image, colors, [s.near for s in sources], [s.far for s in sources])
    wanted = np.array(colors)
    others = [
        code
        for flag in find_flags(raster.pixels)
        if np.linalg.norm(wanted - (code := np.array(parse_hex(flag.color))), axis=1).min() > 26
    ]
    return unmix(image, colors + [tuple(int(v) for v in other) for other in others])[: len(colors)]


def _channel_plane(raster: Raster, source: ChannelSource) -> NDArray[np.uint8]:
    plane = np.rint(np.clip(raster.channel(source.channel), 0, 1) * 255).astype(np.uint8)
    return 255 - plane if source.invert else plane


def strongest_at(planes: Mapping[str, NDArray[np.uint8]], u: float, v: float) -> str | None:
    """The id of the region with the largest coverage at a texel, None where none covers it. planes: equal (H, W), at
    least one; u, v in 0..1, v down."""
    height, width = next(iter(planes.values())).shape
    y, x = min(height - 1, max(0, int(v * height))), min(width - 1, max(0, int(u * width)))
    best = max(planes, key=lambda region: planes[region][y, x])
    return best if planes[best][y, x] else None
