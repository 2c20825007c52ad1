"""Kernels that work on a block of texels, and the driver that walks them one after the other while the block is in the
nearest cache.

A block kernel is a compiled function of three int64 (`at`, `start`, `n`): at `at` lie the words that say what it works
on, `start` is the block's first texel in the tile, `n` how many it has. Words: the address of its numbers (float32),
then for each of its lines where it begins and how many bytes further it is a texel later: 4 for a plane of the tile, 0
for a line that holds one block alone; behind them what the kernel says. A kernel must not raise, and what its words
point to must be kept alive.
"""

from collections.abc import Callable, Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.kernels import Kernel, bytes_at, call_address, code_address, floats_at, njit, words_at

F32 = NDArray[np.float32]
#: What kernels and uniforms receive: numbers as float, integers, switches and choices as int, colors as linear (3,)
#: float32, placements as `Placement`.
Prepared = Mapping[str, Any]

#: Texels of a block: the lines of a dozen planes lie in the nearest caches, and what the driver does costs little.
BLOCK = 512
#: Whether a row has a weight in a block. What becomes of a texel must not depend on what else lies in its block: a part
#: of a picture is what the whole is, bit by bit.
NONE, SOME = 0, 1


@njit(nogil=True, cache=True)
def line(at, k, start, n):  # type: ignore[no-untyped-def]
    """Line k of a block: float32 (n,)."""
    held = words_at(at, 2 * k + 3)
    return floats_at(held[2 * k + 1] + start * held[2 * k + 2], n)


@njit(nogil=True, cache=True)
def three(at, k, start, n):  # type: ignore[no-untyped-def]
    """Line k and the two behind it: red, green, blue."""
    return line(at, k, start, n), line(at, k + 1, start, n), line(at, k + 2, start, n)


@njit(nogil=True, cache=True)
def stored_line(at, k, start, count):  # type: ignore[no-untyped-def]
    """Line k of a block where it is stored: so many uint8, texel by texel."""
    held = words_at(at, 2 * k + 3)
    return bytes_at(held[2 * k + 1] + start * held[2 * k + 2], count)


@njit(nogil=True, cache=True)
def numbers(at, count):  # type: ignore[no-untyped-def]
    """The numbers of a kernel: float32 (count,)."""
    return floats_at(words_at(at, 1)[0], count)


@njit(nogil=True, cache=True)
def said(at, lines, count):  # type: ignore[no-untyped-def]
    """The words behind so many lines: int64 (count,)."""
    return words_at(at + 8 * (2 * lines + 1), count)


@njit(nogil=True, cache=True)
def row_count(at, lines):  # type: ignore[no-untyped-def]
    """How many rows a kernel of so many lines works on."""
    return said(at, lines, 1)[0]


@njit(nogil=True, cache=True)
def row_has(at, lines, k):  # type: ignore[no-untyped-def]
    """Whether row k has a weight in this block: NONE or SOME."""
    return words_at(said(at, lines, 3 * k + 4)[3 * k + 3], 1)[0]


@njit(nogil=True, cache=True)
def row_weight(at, lines, k, start, n):  # type: ignore[no-untyped-def]
    """The weights of row k in a block: float32 (n,)."""
    held = said(at, lines, 3 * k + 4)
    return floats_at(held[3 * k + 1] + start * held[3 * k + 2], n)


@njit(nogil=True, cache=True)
def walk(code, texels):  # type: ignore[no-untyped-def]
    """Run instructions over a tile block by block. code: int64 (instructions, 3), for each a kernel's address, its
    words, and the address of a word that is 0 where there is nothing to do in this block; 0 for always."""
    for start in range(0, texels, BLOCK):
        n = min(BLOCK, texels - start)
        for k in range(code.shape[0]):
            when = code[k, 2]
            if when == 0 or words_at(when, 1)[0] != 0:
                call_address(code[k, 0], code[k, 1], start, n)


@njit(nogil=True, cache=True)
def rows_apart(at, start, n):  # type: ignore[no-untyped-def]
    """Every row's kernel on what was there before the step. What a texel is changed to by one row alone it becomes;
    where several change it, what they change is summed.

    Said: how many planes, how many rows, for each plane its line, then for each row its kernel's address, its words,
    and where it is said whether it has a weight.
    """
    about = words_at(at, 3)
    count, rows = about[1], about[2]
    held = words_at(at, 3 + 2 * count + 3 * rows)
    each = 3 + 2 * count
    present = 0
    for k in range(rows):
        if words_at(held[each + 3 * k + 2], 1)[0] != NONE:
            present += 1
    if present == 0:
        return
    size = count * BLOCK if present > 1 else 1
    before, total, changed = np.empty(size, np.float32), np.empty(size, np.float32), np.zeros(size, np.uint8)
    if present > 1:
        for p in range(count):
            plane = floats_at(held[3 + 2 * p] + start * held[4 + 2 * p], n)
            for i in range(n):
                before[p * BLOCK + i] = plane[i]
            for i in range(n):
                total[p * BLOCK + i] = plane[i]
    for k in range(rows):
        if words_at(held[each + 3 * k + 2], 1)[0] == NONE:
            continue
        call_address(held[each + 3 * k], held[each + 3 * k + 1], start, n)
        if present > 1:
            for p in range(count):
                plane = floats_at(held[3 + 2 * p] + start * held[4 + 2 * p], n)
                for i in range(n):
                    at_texel = p * BLOCK + i
                    was, now = before[at_texel], plane[i]
                    if now != was:
                        total[at_texel] = now if changed[at_texel] == 0 else total[at_texel] + (now - was)
                        changed[at_texel] = 1
                        plane[i] = was
    if present > 1:
        for p in range(count):
            plane = floats_at(held[3 + 2 * p] + start * held[4 + 2 * p], n)
            for i in range(n):
                plane[i] = total[p * BLOCK + i]


def address_of(array: NDArray) -> int:
    """Where an array's values begin."""
    return int(array.__array_interface__["data"][0])


#: Where a line begins and how many bytes further it is a texel later.
Line = tuple[int, int]


#: Words, numbers and lines that `Held` takes at a time.
_CHUNK, _LINES = 4096, 24
#: Lines begin 64 bytes further each than blocks do: those that lie whole pages apart are in each other's way.
_LINE_BYTES = 4 * BLOCK + 64


class Words(NamedTuple):
    """The words of a kernel, where they lie, and its numbers."""

    held: NDArray[np.int64]
    address: int
    numbers: F32


class Held:
    """Memory that words, numbers and lines lie in, as long as this is alive."""

    def __init__(self) -> None:
        self._arrays: list[NDArray] = []
        self._room: dict[type, tuple[NDArray, int, int]] = {}
        self._free: list[Line] = []
        self._constants: dict[float, Line] = {}

    def _put(self, values: Sequence[float] | NDArray, dtype: type) -> tuple[NDArray, int]:
        count = len(values)
        chunk, address, taken = self._room.get(dtype, (None, 0, 0))
        if chunk is None or taken + count > chunk.size:
            chunk = np.empty(max(_CHUNK, count), dtype)
            address, taken = address_of(chunk), 0
            self._arrays.append(chunk)
        self._room[dtype] = chunk, address, taken + count
        view = chunk[taken : taken + count]
        view[:] = values
        return view, address + taken * chunk.itemsize

    def words(self, given: Sequence[float] | F32, lines: Sequence[Line], more: Sequence[int] = ()) -> Words:
        """The words of a kernel."""
        floats, first = self._put(given, np.float32)
        return Words(*self._put([first, *(part for pair in lines for part in pair), *more], np.int64), floats)

    def word(self) -> tuple[NDArray[np.int64], int]:
        """A word of its own, 0 at first, and where it lies."""
        return self._put([0], np.int64)

    def lines(self, count: int) -> list[Line]:
        """Room for so many planes of a block."""
        while len(self._free) < count:
            room = np.empty(_LINES * _LINE_BYTES + 64, np.uint8)
            self._arrays.append(room)
            first = address_of(room)
            first += -first % 64
            self._free += [(first + k * _LINE_BYTES, 0) for k in range(_LINES)]
        found, self._free = self._free[:count], self._free[count:]
        return found

    def filled(self, value: float) -> Line:
        """A line of one value, not to be written to."""
        if value not in self._constants:
            made = np.full(BLOCK, value, np.float32)
            self._arrays.append(made)
            self._constants[value] = address_of(made), 0
        return self._constants[value]

    def presence(self, count: int, value: int = NONE) -> list[int]:
        """Addresses of words that say NONE or SOME."""
        first = self._put([value] * count, np.int64)[1]
        return [first + 8 * k for k in range(count)]


def _anything(_rows: Sequence[Prepared]) -> bool:
    return True


@dataclass(frozen=True)
class Block:
    """One row's operation as a block kernel; called, it runs over whole planes.

    kernel: lines are the planes of the attribute, the weight, then what it reads; numbers are the amount and what
    `numbers` makes of the row's values. reads: maps and attributes in the order of its lines, and how many of the
    planes of each.
    """

    kernel: Kernel
    numbers: Callable[[Prepared], Sequence[float]]
    reads: tuple[tuple[str, int], ...] = ()

    def __call__(
        self, planes: Sequence[F32], weight: F32, amount: float, values: Prepared, reads: Mapping[str, Sequence[F32]]
    ) -> None:
        """In place on planes of n texels, float32."""
        found = [plane for key, count in self.reads for plane in reads[key][:count]]
        run(self.kernel, [*planes, weight, *found], [amount, *self.numbers(values)])


@dataclass(frozen=True)
class Mask:
    """A step's own mask as a block kernel; called, it runs over whole planes.

    kernel: lines are where the mask goes, then what it reads; numbers are what `numbers` makes of the row's values.
    reads: as in `Block`.
    """

    kernel: Kernel
    numbers: Callable[[Prepared], Sequence[float]]
    reads: tuple[tuple[str, int], ...]

    def __call__(self, values: Prepared, reads: Mapping[str, Sequence[F32]]) -> F32:
        """0..1, float32 (n,)."""
        found = [plane for key, count in self.reads for plane in reads[key][:count]]
        out = np.empty_like(found[0])
        run(self.kernel, [out, *found], self.numbers(values))
        return out


@dataclass(frozen=True)
class RowsBlock:
    """All rows of an operation in one block kernel; called, it runs over whole planes.

    kernel: lines are the planes of the attribute; behind them the words say how many rows there are, and for each the
    line of its weights and where it is said whether it has any (see `row_weight` and `row_has`). numbers: of each row's
    values, with its amount. fits: whether these rows can be done together, which each of them decides for itself.
    """

    kernel: Kernel
    numbers: Callable[[Sequence[Prepared], Sequence[float]], Sequence[float]]
    fits: Callable[[Sequence[Prepared]], bool] = _anything

    def __call__(
        self, planes: Sequence[F32], weights: F32, rows: Sequence[Prepared], amounts: Sequence[float] | None = None
    ) -> bool:
        """In place on planes of n texels, weights (rows, n), float32; whether it could."""
        fits = self.fits(rows)
        if fits:
            run_rows(self.kernel, planes, weights, self.numbers(rows, amounts or [1.0] * len(rows)))
        return fits


def run_rows(kernel: Kernel, planes: Sequence[F32], weights: F32, given: Sequence[float] | F32) -> None:
    """Run a kernel of all rows over whole planes of n texels, weights (rows, n), float32."""
    held = Held()
    there = held.presence(1, SOME)[0]
    rows = [word for weight in weights for word in (*_plane(weight), there)]
    made = held.words(given, [_plane(plane) for plane in planes], [len(weights), *rows])
    walk(np.array([[code_address(kernel), made.address, 0]], np.int64), planes[0].size)


def run(kernel: Kernel, planes: Sequence[F32], given: Sequence[float]) -> None:
    """Run one kernel over whole planes of n texels, float32."""
    held = Held()
    made = held.words(given, [_plane(plane) for plane in planes])
    walk(np.array([[code_address(kernel), made.address, 0]], np.int64), planes[0].size)


def _plane(plane: F32) -> Line:
    assert plane.flags.c_contiguous, "a line is a plane without gaps"
    assert plane.dtype == np.float32, "a line is of 32-bit floats"
    return address_of(plane), 4
