"""What is wrong with the regions, and where."""

from collections.abc import Mapping
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.finding import Finding
from evenpalette.core.kernels import njit, prange
from evenpalette.core.regions.model import Division, FlagSource, Overlap
from evenpalette.core.regions.sources.flags import nearest_pure


def used_mask(face_map: NDArray[np.int32] | None, shape: tuple[int, int]) -> NDArray[np.bool_]:
    """Texels that some face lies on, at the wanted (height, width); all of them without a mesh."""
    if face_map is None:
        return np.ones(shape, bool)
    used = (face_map >= 0).astype(np.uint8)
    return cv2.resize(used, (shape[1], shape[0]), interpolation=cv2.INTER_NEAREST) > 0


@njit(nogil=True, cache=True, parallel=True)
def _add(plane, used, total, held, most):  # type: ignore[no-untyped-def]
    for y in prange(plane.shape[0]):
        row_held, row_most = np.int64(0), np.uint8(0)
        for x in range(plane.shape[1]):
            value = plane[y, x]
            total[y, x] += value
            if used[y, x]:
                row_held += value
                row_most = max(row_most, value)
        held[y], most[y] = row_held, row_most


@dataclass(frozen=True)
class Held:
    """What planes hold: their sum at each texel, uint16 (h, w); the sum and the largest value of each over used
    texels."""

    total: NDArray[np.uint16]
    sums: dict[str, int]
    most: dict[str, int]


def held_by(planes: Mapping[str, NDArray[np.uint8]], used: NDArray[np.bool_]) -> Held:
    """Look at planes, uint8 (h, w), once each. used: bool (h, w)."""
    total = np.zeros(used.shape, np.uint16)
    sums, most = {}, {}
    for key, plane in planes.items():
        held, largest = np.empty(used.shape[0], np.int64), np.empty(used.shape[0], np.uint8)
        _add(plane, used, total, held, largest)
        sums[key], most[key] = int(held.sum()), int(largest.max())
    return Held(total, sums, most)


def shares(planes: dict[str, NDArray[np.uint8]], used: NDArray[np.bool_]) -> dict[str, float]:
    """Each region's part of the used UV area, 0..1."""
    total = max(1, int(np.count_nonzero(used)))
    return {key: held / 255 / total for key, held in held_by(planes, used).sums.items()}


def find_gaps_and_overlaps(
    regions: Division, planes: dict[str, NDArray[np.uint8]], used: NDArray[np.bool_]
) -> list[Finding]:
    """Gaps, overlaps, impure and repeated flags, empty regions and repeated names of one division."""
    findings: list[Finding] = []
    if not regions.regions:
        return findings
    planes = {region.id: planes[region.id] for region in regions.regions if region.id in planes}
    if planes:
        inside = cv2.erode(used.view(np.uint8), np.ones((3, 3), np.uint8), borderValue=0).view(np.bool_)
        held = held_by(planes, used)
        gaps = inside & (held.total < 128)
        if gaps.any():
            findings.append(_at("gap", f"Gap: {int(gaps.sum()):,} used texels are in no region", gaps, regions))
        overlaps = inside & (held.total > 264)
        if overlaps.any() and regions.overlap is Overlap.EXCLUSIVE:
            text = f"Overlap: the regions of {int(overlaps.sum()):,} texels sum past one"
            findings.append(_at("overlap", text, overlaps, regions))
        for region in regions.regions:
            if region.id in planes and held.most[region.id] < 128:
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
    """A texel in the middle of the largest connected piece of a mask with any, as (u, v), and how many pieces it
    has."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=8)
    largest = 1 + int(stats[1:, cv2.CC_STAT_AREA].argmax())
    left, top, width, height = (int(value) for value in stats[largest, :4])
    rows, columns = np.nonzero(labels[top : top + height, left : left + width] == largest)
    middle = len(rows) // 2
    place = (left + columns[middle] + 0.5) / mask.shape[1], (top + rows[middle] + 0.5) / mask.shape[0]
    place = float(place[0]), float(place[1])
    return place, count - 1
