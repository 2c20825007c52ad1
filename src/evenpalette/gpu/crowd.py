"""Many copies of one model: where they stand, which variant each is, and the buffer that one draw call reads."""

from collections.abc import Sequence

import moderngl
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.pcg import pcg

#: One copy: (x, z) on the ground, cosine and sine of its turn, the row of its variant, its number, its phase in
#: seconds, and with which others it is shaded.
COPY = np.dtype(
    [("place", "<f4", 2), ("turn", "<f4", 2), ("row", "<i4"), ("number", "<u4"), ("phase", "<f4"), ("group", "<i4")]
)
#: The same for a vertex array: per instance.
FORMAT = "2f 2f 1i 1u 1f 1i/i"
NAMES = ("copy_place", "copy_turn", "copy_row", "copy_number", "copy_phase", "copy_group")
#: What a vertex shader says to set a copy on its place.
GLSL = """
in vec2 copy_place; in vec2 copy_turn; in int copy_row; in uint copy_number; in float copy_phase; in int copy_group;
vec3 copy_turned(vec3 p) { return vec3(p.x * copy_turn.x + p.z * copy_turn.y, p.y, p.z * copy_turn.x - p.x * copy_turn.y); }
"""
MOST = 10_000
Copies = NDArray[np.void]


def copies(count: int, laid: str, step: float, seed: int = 1) -> Copies:
    """Copies numbered from 0: 'grid', 'row' (along x), or 'ground' (by chance, none nearer to another than half a
    step).

    A copy keeps its place and turn when others are added behind it in a row or on the ground. step: between neighbors.
    Raises ValueError for another way.
    """
    count = max(1, min(int(count), MOST))
    made = np.zeros(count, COPY)
    numbers = np.arange(count, dtype=np.uint32)
    made["number"], made["turn"] = numbers, (1.0, 0.0)
    if laid == "row":
        made["place"][:, 0] = numbers * step
    elif laid in ("grid", "ground"):
        x, z = _spiral(count)
        made["place"] = np.stack([x, z], 1) * step
        if laid == "ground":
            chance = _shares(numbers, seed, 3)
            made["place"] += (chance[:2].T - 0.5) * (0.5 * step)
            angle = chance[2] * 2 * np.pi
            made["turn"] = np.stack([np.cos(angle), np.sin(angle)], 1)
    else:
        raise ValueError(f"'{laid}' is no way to lay copies: grid, row, ground.")
    made["phase"] = _shares(numbers, seed + 7, 1)[0] * 5
    return made


def _spiral(count: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Cells of a grid around the middle, from the inside out, so that more copies go around those that are there."""
    side = int(np.ceil(np.sqrt(count))) + 2
    x, z = (axis.reshape(-1) for axis in np.mgrid[-side : side + 1, -side : side + 1])
    ring = np.maximum(np.abs(x), np.abs(z))
    order = np.lexsort((np.arctan2(z, x), ring))[:count]
    return x[order].astype(float), z[order].astype(float)


def _shares(numbers: NDArray[np.uint32], seed: int, planes: int) -> NDArray[np.float64]:
    """Numbers of 0 to 1 by chance for each copy, (planes, n), the same for a number whatever the others are."""
    base = pcg(numbers + pcg(seed))
    return np.stack([pcg(base + np.uint32(k)) for k in range(planes)]) / 2.0**32


def by_share(
    numbers: NDArray[np.uint32], weights: Sequence[float], first_row: int = 1, seed: int = 11
) -> NDArray[np.int32]:
    """A row for each number, each as often as its weight says; the same for a number whatever the others are."""
    total = np.cumsum(np.maximum(np.asarray(weights, np.float64), 0))
    if not len(total) or total[-1] <= 0:
        return np.full(len(numbers), first_row, np.int32)
    at = _shares(np.asarray(numbers, np.uint32), seed, 1)[0] * total[-1]
    return np.asarray(first_row + np.searchsorted(total, at, "right").clip(0, len(total) - 1), np.int32)


def by_place(places: NDArray[np.float32], step: float) -> NDArray[np.uint32]:
    """The number of a copy by where it stands, as docs/kit.md gives it: places (n, 2) in whole steps of a grid."""
    x, z = (np.rint(places[:, k].astype(np.float64) / step).astype(np.int64).astype(np.uint32) for k in (0, 1))
    with np.errstate(over="ignore"):
        return pcg(x + pcg(np.uint32(0) + pcg(z)))


class CrowdBuffer:
    """Copies where a draw call finds them; a copy that changes is written alone."""

    def __init__(self, ctx: moderngl.Context) -> None:
        self._ctx = ctx
        self._buffer: moderngl.Buffer | None = None
        self._held = np.zeros(0, COPY)
        self.written = 0

    @property
    def count(self) -> int:
        """How many copies there are."""
        return len(self._held)

    @property
    def buffer(self) -> moderngl.Buffer:
        """What a vertex array is made with, by FORMAT and NAMES."""
        assert self._buffer is not None
        return self._buffer

    def set(self, wanted: Copies) -> bool:
        """Have these copies; returns whether the buffer is another one than before."""
        size = max(len(wanted), 1) * COPY.itemsize
        if self._buffer is None or self._buffer.size < size:
            if self._buffer is not None:
                self._buffer.release()
            self._buffer = self._ctx.buffer(reserve=max(size, 64 * COPY.itemsize), dynamic=True)
            self._buffer.write(wanted.tobytes())
            self._held, self.written = wanted.copy(), len(wanted)
            return True
        common = min(len(wanted), len(self._held))
        changed = np.flatnonzero(wanted[:common] != self._held[:common]).tolist()
        self.written = len(changed) + max(0, len(wanted) - common)
        if len(changed) > 64:
            self._buffer.write(wanted.tobytes())
        else:
            for index in changed:
                self._buffer.write(wanted[index : index + 1].tobytes(), offset=index * COPY.itemsize)
            if len(wanted) > common:
                self._buffer.write(wanted[common:].tobytes(), offset=common * COPY.itemsize)
        self._held = wanted.copy()
        return False

    def release(self) -> None:
        """Give the memory back."""
        if self._buffer is not None:
            self._buffer.release()
