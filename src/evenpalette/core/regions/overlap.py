"""What happens where coverages of one division overlap: the same policies for NumPy, for tiles and as GLSL.

Exclusive: divided by max(1, sum). Layered: later regions come first, earlier ones get what is left. Additive: kept.
Coverages are kept in 8 bits, so shares that belong together may sum to a little less than one; under a dark tint that
little would shine through. Sums within rounding of one are therefore one, and between there and twice as far they are
brought up gradually, so that no texel jumps.
"""

from collections.abc import Sequence
from enum import StrEnum
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.kernels import njit


class Overlap(StrEnum):
    """What happens where coverages overlap. The same formulas run on the CPU and in shaders."""

    EXCLUSIVE = "exclusive"  # divided by max(1, sum)
    LAYERED = "layered"  # later regions come first, earlier ones get what is left
    ADDITIVE = "additive"  # kept as they are; a row's sum over its regions is clamped to 1


#: Sums at least this are one: each of up to eight shares may have lost half a code.
WITHIN_ROUNDING = 4 / 255
_BLOCK = 1024
POLICIES = (Overlap.EXCLUSIVE, Overlap.LAYERED, Overlap.ADDITIVE)


def gain(total: NDArray[np.float32]) -> NDArray[np.float32]:
    """By what shares of this sum are multiplied: 1 / sum from just below one on, 1 well below it."""
    closeness = np.clip((total - np.float32(1 - 2 * WITHIN_ROUNDING)) * np.float32(1 / WITHIN_ROUNDING), 0, 1)
    return np.asarray(1 + closeness * (1 / np.maximum(total, np.float32(1e-6)) - 1), np.float32)


def resolve_overlap(raw: NDArray[np.float32], overlap: Overlap) -> NDArray[np.float32]:
    """Raw coverages (regions, ...) of 0..1 to resolved ones under the policy; float32, same shape."""
    if not len(raw):
        return raw
    if overlap is Overlap.LAYERED:
        resolved = np.empty_like(raw)
        rest = np.ones_like(raw[0])
        for index in range(len(raw) - 1, -1, -1):
            resolved[index] = np.minimum(raw[index], rest)
            rest = rest - resolved[index]
        return resolved * gain(1 - rest)
    total = raw.sum(0)
    return raw * gain(np.minimum(total, 1) if overlap is Overlap.ADDITIVE else total)


@njit(nogil=True, cache=True, fastmath=True)
def _scale_by_table(raw, table, out):  # type: ignore[no-untyped-def]
    """Every share times what its texel's sum, in 255ths, has in the table."""
    count, texels = raw.shape
    total, factor = np.empty(_BLOCK, np.int32), np.empty(_BLOCK, np.float32)
    for start in range(0, texels, _BLOCK):
        n = min(_BLOCK, texels - start)
        total[:n] = 0
        for k in range(count):
            line = raw[k, start : start + n]
            for i in range(n):
                total[i] += line[i]
        for i in range(n):
            factor[i] = table[total[i]]
        for k in range(count):
            line, made = raw[k, start : start + n], out[k, start : start + n]
            for i in range(n):
                made[i] = np.float32(line[i]) * factor[i]


@njit(nogil=True, cache=True, fastmath=True)
def _take_in_turn(raw, table, out):  # type: ignore[no-untyped-def]
    """Later regions first, each what is left of 255; then times what the table has for their sum."""
    count, texels = raw.shape
    rest = np.empty(_BLOCK, np.int32)
    for start in range(0, texels, _BLOCK):
        n = min(_BLOCK, texels - start)
        rest[:n] = 255
        for k in range(count - 1, -1, -1):
            line, made = raw[k, start : start + n], out[k, start : start + n]
            for i in range(n):
                share = min(np.int32(line[i]), rest[i])
                rest[i] -= share
                made[i] = share
        for k in range(count):
            made = out[k, start : start + n]
            for i in range(n):
                made[i] *= table[255 - rest[i]]


@lru_cache(maxsize=64)
def share_factors(count: int, overlap: Overlap) -> NDArray[np.float32]:
    """By what a share in 255ths is multiplied, for every sum of so many shares."""
    sums = np.arange(255 * count + 1, dtype=np.float32) / np.float32(255)
    return np.asarray(gain(np.minimum(sums, 1) if overlap is Overlap.ADDITIVE else sums) / np.float32(255), np.float32)


def resolve_tile(
    raw: NDArray[np.uint8], overlap: Overlap, out: NDArray[np.float32] | None = None
) -> NDArray[np.float32]:
    """`resolve_overlap` of 8-bit coverages (regions, texels), in one pass: sums are whole numbers, so the factors come
    from a table. out: where to put them."""
    out = np.empty(raw.shape, np.float32) if out is None else out
    table = share_factors(len(raw), overlap)
    (_take_in_turn if overlap is Overlap.LAYERED else _scale_by_table)(raw, table, out)
    return out


GLSL = f"""
float ep_gain(float total) {{
    float closeness = clamp((total - {1 - 2 * WITHIN_ROUNDING:.9f}) * {1 / WITHIN_ROUNDING:.6f}, 0.0, 1.0);
    return mix(1.0, 1.0 / max(total, 1e-6), closeness);
}}
"""


def overlap_glsl(names: Sequence[str], overlap: Overlap) -> list[str]:
    """Statements that resolve the coverages held in these float variables, in place."""
    if not names:
        return []
    total = " + ".join(names)
    if overlap is Overlap.LAYERED:
        lines = ["float rest = 1.0;"]
        lines += [f"{name} = min({name}, rest); rest -= {name};" for name in reversed(names)]
        lines.append("float gain = ep_gain(1.0 - rest);")
    elif overlap is Overlap.ADDITIVE:
        lines = [f"float gain = ep_gain(min({total}, 1.0));"]
    else:
        lines = [f"float gain = ep_gain({total});"]
    return ["{", *(f"    {line}" for line in lines), *(f"    {name} *= gain;" for name in names), "}"]
