"""Noise: gradient noise that tiles over the texture."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from evenpalette.core.kernels import njit, prange
from evenpalette.core.regions.operation_kind import Around, OperationKind, Plane
from evenpalette.core.values import Input, ValueType


@njit(nogil=True, cache=True, inline="always")
def _hash(x, y, seed):  # type: ignore[no-untyped-def]
    """pcg3d of Jarzynski and Olano, "Hash Functions for GPU Rendering", JCGT 9(3), 2020: its first word."""
    a = np.uint32(x) * np.uint32(1664525) + np.uint32(1013904223)
    b = np.uint32(y) * np.uint32(1664525) + np.uint32(1013904223)
    c = np.uint32(seed) * np.uint32(1664525) + np.uint32(1013904223)
    a = np.uint32(a + b * c)
    b = np.uint32(b + c * a)
    c = np.uint32(c + a * b)
    a = np.uint32(a ^ (a >> np.uint32(16)))
    b = np.uint32(b ^ (b >> np.uint32(16)))
    c = np.uint32(c ^ (c >> np.uint32(16)))
    return np.uint32(a + b * c)


@njit(nogil=True, cache=True, inline="always")
def _slope(x, y, dx, dy, seed):  # type: ignore[no-untyped-def]
    angle = _hash(x, y, seed) * (2 * np.pi / 4294967296.0)
    return np.cos(angle) * dx + np.sin(angle) * dy


@njit(nogil=True, cache=True, parallel=True)
def _noise(out, cells, octaves, roughness, seed):  # type: ignore[no-untyped-def]
    height, width = out.shape
    for row in prange(height):
        for column in range(width):
            total, share, weight = 0.0, 1.0, 0.0
            period = cells
            for octave in range(octaves):
                x, y = (column + 0.5) / width * period, (row + 0.5) / height * period
                left, top = int(x), int(y)
                fx, fy = x - left, y - top
                right, bottom = (left + 1) % period, (top + 1) % period
                sx = fx * fx * fx * (fx * (fx * 6 - 15) + 10)
                sy = fy * fy * fy * (fy * (fy * 6 - 15) + 10)
                key = seed * 16 + octave
                a = _slope(left, top, fx, fy, key)
                b = _slope(right, top, fx - 1, fy, key)
                c = _slope(left, bottom, fx, fy - 1, key)
                d = _slope(right, bottom, fx - 1, fy - 1, key)
                above, below = a + (b - a) * sx, c + (d - c) * sx
                total += share * (above + (below - above) * sy)
                weight += share
                share *= roughness
                period *= 2
            out[row, column] = min(max(0.5 + 0.8 * total / weight, 0.0), 1.0)


def tileable_noise(shape: tuple[int, int], cells: int, octaves: int, roughness: float, seed: int) -> Plane:
    """Gradient noise of 0..1 around 0.5, float32 (height, width), that continues across the tile's borders.

    cells: lattice cells along a side; each octave doubles them and weighs `roughness` of the one before.
    """
    out = np.empty(shape, np.float32)
    _noise(out, cells, octaves, roughness, seed)
    return out


def run(_: Plane, values: Mapping[str, Any], around: Around) -> Plane:
    """The noise of these settings at the size of the coverage."""
    return tileable_noise(
        around.shape, int(values["cells"]), int(values["octaves"]), float(values["roughness"]), int(values["seed"])
    )


OPERATION = OperationKind(
    "noise", "Noise", "Tileable noise; a Levels after it makes it sparser or harder",
    (
        Input("cells", "Cells", ValueType.INTEGER, 8, 1, 256, description="Lattice cells along a side of the tile"),
        Input("octaves", "Octaves", ValueType.INTEGER, 3, 1, 8, description="How many finer layers"),
        Input("roughness", "Roughness", ValueType.NUMBER, 0.5, 0.0, 1.0, description="Weight of each finer layer"),
        Input("seed", "Seed", ValueType.INTEGER, 1, 0, 9999),
    ),
    run, makes=True, order=80,
    source="gradient noise, Perlin 2002, from memory; hash: Jarzynski and Olano, JCGT 9(3), 2020",
)  # fmt: skip
