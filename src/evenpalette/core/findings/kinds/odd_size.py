"""Textures whose sizes a game reads otherwise than our maps do: measured, and said where it shows."""

import math
from collections.abc import Iterator

import numpy as np

from evenpalette.core.document.state import State
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Weight
from evenpalette.core.raster.raster import Raster
from evenpalette.core.raster.texture_unit import Sampled, Setting, grid

#: Codes of 8 bits that a read may differ by unseen: common practice, no source.
_UNSEEN = 6
#: Rows that are compared, spread over the picture.
_ROWS = 48


def find(look: Inspection) -> Iterator[Finding]:
    """Each texture that the recipe reads as it lies, whose size is not that of the others by a power of
    two, and which the kit therefore shows otherwise than the map: an area mean here, a trilinear read there."""
    state = look.state
    size = state.sources.size
    names = {t.id: t.name for t in state.project.asset.textures}
    held = {
        key: state.textures[key]
        for key in dict.fromkeys(_read_as_it_lies(state))
        if key in state.textures and key in names
    }
    for key, raster in held.items():
        if raster.size == size or all(_is_power(a, b) for a, b in zip(raster.size, size, strict=True)):
            continue
        codes = _apart(raster, size)
        if codes > _UNSEEN:
            width, height = raster.size
            text = (
                f"{names[key]} has {width} x {height} texels, the maps {size[0]} x {size[1]}: a game reads it between levels, the map "
                f"has its mean, and they differ by {codes:.0f} codes. Bring it in at {size[0]} x {size[1]}, or half or twice that"
            )
            yield FINDING.at(text, subject=key)


def _read_as_it_lies(state: State) -> Iterator[str]:
    """Textures of steps that are on, but for those that are laid by a placement or fetched texel by texel, which are
    read alike."""
    for step in state.bound_steps(None):
        exact = {m.looks_up for m in step.kind.maps if m.looks_up} | {
            m.key for m in step.kind.maps if m.looks_up or m.cells
        }
        for row in step.rows if step.amount else ():
            yield from (read.texture for key, read in row.maps.items() if key not in exact and read.placement.is_plain)


def _is_power(one: int, other: int) -> bool:
    larger, smaller = max(one, other), max(1, min(one, other))
    return larger % smaller == 0 and (larger // smaller).bit_count() == 1


def _apart(raster: Raster, size: tuple[int, int]) -> float:
    """By how many codes the two reads differ: the 95th percentile over some rows, 8 bits of what is stored."""
    wanted = raster.resized(*size).as_unit()
    texture = Sampled(raster, Setting(repeats=False, srgb_flag=False))
    u, v = grid(size)
    rows = np.unique(np.linspace(0, size[1] - 1, _ROWS).astype(int))
    # A driver goes by the longer of the two steps from pixel to pixel.
    lod = max(0.0, math.log2(max(raster.width / size[0], raster.height / size[1])))
    drawn = texture.at(u, v[rows], lod)
    return float(np.percentile(np.abs(drawn - wanted[rows]).max(-1), 95) * 255)


FINDING = FindingKind("odd-size", "delivery", 10, Weight.POOR, Cost.PICTURES, find)
