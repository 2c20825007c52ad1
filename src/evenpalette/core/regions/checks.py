"""What is wrong with the regions, and where."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.regions.flags import nearest_pure
from evenpalette.core.regions.model import Division, FlagSource, Overlap


@dataclass(frozen=True)
class Finding:
    """Something to look at: a sentence, the station it belongs to, and where it is.

    place: (u, v) with v down, or None. region: the region's id, or ''. code: a stable word for scripts.
    subject: id of the texture, step, parameter or division it is about, or ''.
    """

    code: str
    station: str
    text: str
    region: str = ""
    place: tuple[float, float] | None = None
    subject: str = ""


def used_mask(face_map: NDArray[np.int32] | None, shape: tuple[int, int]) -> NDArray[np.bool_]:
    """Texels that some face lies on, at the wanted (height, width); all of them without a mesh."""
    if face_map is None:
        return np.ones(shape, bool)
    used = (face_map >= 0).astype(np.uint8)
    return cv2.resize(used, (shape[1], shape[0]), interpolation=cv2.INTER_NEAREST) > 0


def shares(planes: dict[str, NDArray[np.uint8]], used: NDArray[np.bool_]) -> dict[str, float]:
    """Each region's part of the used UV area, 0..1."""
    total = max(1, int(used.sum()))
    return {key: float(plane[used].sum(dtype=np.int64)) / 255 / total for key, plane in planes.items()}


def find_gaps_and_overlaps(
    regions: Division, planes: dict[str, NDArray[np.uint8]], used: NDArray[np.bool_]
) -> list[Finding]:
    """Gaps, overlaps, impure and repeated flags, empty regions and repeated names of one division."""
    findings: list[Finding] = []
    if not regions.regions:
        return findings
    planes = {region.id: planes[region.id] for region in regions.regions if region.id in planes}
    if planes:
        inside = cv2.erode(used.astype(np.uint8), np.ones((3, 3), np.uint8), borderValue=0) > 0
        total = np.zeros(used.shape, np.uint16)
        for plane in planes.values():
            total += plane
        gaps = inside & (total < 128)
        if int(gaps.sum()):
            findings.append(_at("gap", f"Gap: {int(gaps.sum()):,} used texels are in no region", gaps, regions))
        overlaps = inside & (total > 264)
        if int(overlaps.sum()) and regions.overlap is Overlap.EXCLUSIVE:
            text = f"Overlap: the regions of {int(overlaps.sum()):,} texels sum past one"
            findings.append(_at("overlap", text, overlaps, regions))
        for region in regions.regions:
            if region.id in planes and not (planes[region.id][used] >= 128).any():
                findings.append(Finding("empty", "regions", f"{region.name} covers no used texel", region.id))
    seen_names: dict[str, str] = {}
    seen_flags: dict[str, str] = {}
    for region in regions.regions:
        if isinstance(region.source, FlagSource):
            color = region.source.color
            if nearest_pure(color) != color:
                r, g, b = parse_hex(color)
                text = f"{region.name}: the flag in the image is {r}, {g}, {b}, not quite pure"
                findings.append(Finding("impure-flag", "regions", text, region.id, subject=region.source.texture))
        if region.name.lower() in seen_names:
            findings.append(Finding("same-name", "regions", f"Two regions are called {region.name}", region.id))
        if region.flag in seen_flags:
            text = f"{region.name} has the same flag color as {seen_flags[region.flag]}"
            findings.append(Finding("same-flag", "regions", text, region.id))
        seen_names[region.name.lower()] = region.id
        seen_flags[region.flag] = region.name
    return findings


def _at(code: str, text: str, mask: NDArray[np.bool_], division: Division) -> Finding:
    """A finding of a division, placed in the largest spot of the mask."""
    return Finding(code, "regions", text, "", spot(mask)[0], division.id)


def spot(mask: NDArray[np.bool_]) -> tuple[tuple[float, float], int]:
    """A texel in the middle of the largest connected piece of a mask with any, as (u, v), and how many pieces it has."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=8)
    largest = 1 + int(stats[1:, cv2.CC_STAT_AREA].argmax())
    left, top, width, height = (int(value) for value in stats[largest, :4])
    rows, columns = np.nonzero(labels[top : top + height, left : left + width] == largest)
    middle = len(rows) // 2
    place = (left + columns[middle] + 0.5) / mask.shape[1], (top + rows[middle] + 0.5) / mask.shape[0]
    place = float(place[0]), float(place[1])
    return place, count - 1
