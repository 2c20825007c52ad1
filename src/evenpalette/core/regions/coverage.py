"""From what the document says about regions to their coverage planes."""

from collections.abc import Mapping

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.errors import RegionError
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.raster.raster import Raster
from evenpalette.core.regions.bake import bake_faces
from evenpalette.core.regions.faces import face_labels
from evenpalette.core.regions.flags import find_flags, to_rgb8
from evenpalette.core.regions.model import BakeSettings, ChannelSource, FacesSource, FlagSource, Overlap, RegionSet
from evenpalette.core.regions.pick import keep_contiguous, pick_by_color, pick_coverages
from evenpalette.core.regions.unmix import unmix

Planes = dict[str, NDArray[np.uint8]]


def compute_coverages(regions: RegionSet, textures: Mapping[str, Raster], mesh: Mesh | None = None) -> Planes:
    """The raw coverage of every region from its source: region id to uint8 (height, width), all of one size.

    mesh: what face regions are baked from. The size is that of the largest source. Flags of one image are read together, so that their coverages sum to at
    most 1. Raises RegionError when a region's texture is missing.
    """
    planes: Planes = {}
    by_image: dict[tuple[str, str], list[tuple[str, FlagSource]]] = {}
    faces: list[tuple[str, FacesSource]] = []
    for region in regions.regions:
        source = region.source
        if isinstance(source, FacesSource):
            faces.append((region.id, source))
            continue
        if source.texture not in textures:
            raise RegionError(f"The texture that region '{region.name}' is made from is gone. Give it another source.")
        if isinstance(source, FlagSource):
            by_image.setdefault((source.texture, source.edges), []).append((region.id, source))
        else:
            planes[region.id] = _channel_plane(textures[source.texture], source)
    for (texture, edges), members in by_image.items():
        stack = _flag_planes(textures[texture], [source for _, source in members], edges)
        planes.update({region_id: stack[i] for i, (region_id, _) in enumerate(members)})
    if faces:
        planes.update(_face_planes(faces, regions.bake, mesh))
    return _same_size(planes)


def _face_planes(faces: list[tuple[str, FacesSource]], settings: BakeSettings, mesh: Mesh | None) -> Planes:
    if mesh is None:
        raise RegionError("The regions made of faces need the mesh. Bring it in at Asset.")
    labels = face_labels([source for _, source in faces], mesh.face_count)
    baked = bake_faces(
        mesh, labels, len(faces), size=settings.size, samples=settings.samples, padding_texels=settings.padding_texels
    )
    return {region_id: baked.coverages[i] for i, (region_id, _) in enumerate(faces)}


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


def _same_size(planes: Planes) -> Planes:
    if not planes:
        return planes
    height, width = max((plane.shape for plane in planes.values()), key=lambda shape: shape[0] * shape[1])
    return {
        key: np.ascontiguousarray(
            plane
            if plane.shape == (height, width)
            else cv2.resize(plane, (width, height), interpolation=cv2.INTER_LINEAR)
        )
        for key, plane in planes.items()
    }


def resolve_overlap(raw: NDArray[np.float32], overlap: Overlap) -> NDArray[np.float32]:
    """Raw coverages (regions, ...) of 0..1 to resolved ones under the policy; float32, same shape."""
    if overlap is Overlap.EXCLUSIVE:
        return raw / np.maximum(1.0, raw.sum(0)).astype(np.float32)
    if overlap is Overlap.LAYERED:
        resolved = raw.copy()
        open_share = np.ones_like(raw[0]) if len(raw) else np.ones(0, np.float32)
        for index in range(len(raw) - 1, -1, -1):
            resolved[index] = raw[index] * open_share
            open_share = open_share * (1 - raw[index])
        return resolved
    return raw


#: The same policies as GLSL, for a constant number of regions `n` in `float c[n]`.
OVERLAP_GLSL = {
    Overlap.EXCLUSIVE: """
    float total = 0.0;
    for (int i = 0; i < {n}; ++i) total += c[i];
    for (int i = 0; i < {n}; ++i) c[i] /= max(1.0, total);
""",
    Overlap.LAYERED: """
    float open_share = 1.0;
    for (int i = {n} - 1; i >= 0; --i) {{ float raw = c[i]; c[i] = raw * open_share; open_share *= 1.0 - raw; }}
""",
    Overlap.ADDITIVE: "",
}
