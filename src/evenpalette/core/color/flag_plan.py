"""Planning flag colors: far apart, and for touching regions no third flag on the way between two.

A filtered or antialiased edge runs along the straight line between two flags in RGB. A third flag near that line would
be read where it is not.
"""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.hexcode import format_hex, parse_hex
from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import RegionError

MAX_FLAGS = 64
#: The corners of the RGB cube but black, in the order new regions take them, then colors halfway between.
FLAG_ORDER = (
    "#ff0000", "#00ff00", "#0000ff", "#ffff00", "#00ffff", "#ff00ff", "#ffffff",
    "#ff8000", "#80ff00", "#00ff80", "#0080ff", "#8000ff", "#ff0080", "#808080",
)  # fmt: skip
#: A third flag closer than this to the line between two (8-bit RGB) can be mistaken for their edge.
CLEARANCE = 40.0
#: The pure corners of the RGB cube but black.
_CORNERS = 7


@dataclass(frozen=True)
class FlagPlan:
    """flags: '#rrggbb' in order. smallest_distance: between any two, 0..442. smallest_clearance: of any third flag from
    the line between two touching ones; the wanted one is 40. crossing: (a, b, third) triples that fail it."""

    flags: tuple[str, ...]
    smallest_distance: float
    smallest_clearance: float
    crossing: tuple[tuple[int, int, int], ...]


def _candidates() -> NDArray[np.float64]:
    corners = np.array([parse_hex(flag) for flag in FLAG_ORDER[:_CORNERS]], np.float64)
    levels = (0, 64, 128, 192, 255)
    grid = np.array([(r, g, b) for r in levels for g in levels for b in levels if r + g + b >= 128], np.float64)
    return np.concatenate([corners, grid[[not (row == corners).all(1).any() for row in grid]]])


def clearances(colors: NDArray, pair: tuple[int, int]) -> NDArray[np.float64]:
    """Distance of every color from the segment between two of them; infinite for the two themselves."""
    distance = _distance_to_segment(colors, colors[pair[0]], colors[pair[1]])
    distance[list(pair)] = np.inf
    return distance


def plan_flags(count: int, touching: list[tuple[int, int]] | None = None) -> FlagPlan:
    """Flags for `count` regions (1 to 64). touching: pairs of regions with a common border; None means all may touch
    only by chance and nothing is promised about edges. Pure corners of the RGB cube come first, then the candidate that
    is farthest from all taken ones while keeping clear of the lines of touching pairs. Raises RegionError."""
    if not 1 <= count <= MAX_FLAGS:
        raise RegionError(f"Flags can be planned for 1 to {MAX_FLAGS} regions, not {count}.")
    pairs = [(min(a, b), max(a, b)) for a, b in touching or [] if a != b]
    beside: list[list[int]] = [[] for _ in range(count)]
    for a, b in pairs:
        if b < count and a not in beside[b]:
            beside[b].append(a)
    pool = _candidates()
    chosen: list[int] = []
    # Of each candidate: how near the closest taken flag is, and the closest line between two touching taken ones.
    apart, off_lines = np.full(len(pool), 1000.0), np.full(len(pool), np.inf)
    for index in range(count):
        taken = pool[chosen]
        clear = off_lines
        # The lines that this flag itself will draw to its neighbors must keep clear of the flags already there.
        for a in beside[index]:
            thirds = np.delete(taken, a, axis=0)
            if len(thirds):
                clear = np.minimum(clear, _segments_from(pool, taken[a], thirds).min(1))
        usable = apart > 1
        good = usable & (clear >= CLEARANCE)
        score = np.where(good, apart, np.where(usable, np.minimum(apart, clear) - 1000, -np.inf))
        place = np.arange(len(pool))
        corner_bonus = np.where((place < _CORNERS) & good, 1000.0 * (_CORNERS - place), 0.0)
        best = int((score + corner_bonus - place * 1e-6).argmax())
        chosen.append(best)
        apart = np.minimum(apart, np.linalg.norm(pool - pool[best], axis=1))
        for a in beside[index]:
            off_lines = np.minimum(off_lines, _distance_to_segment(pool, pool[chosen[a]], pool[best]))
    colors = pool[chosen]
    flags = tuple(format_hex(tuple(int(v) for v in color)) for color in colors)  # type: ignore[arg-type]
    return _measure(colors, flags, pairs)


def _measure(colors: NDArray, flags: tuple[str, ...], pairs: list[tuple[int, int]]) -> FlagPlan:
    distances = np.linalg.norm(colors[:, None] - colors[None], axis=-1)
    np.fill_diagonal(distances, np.inf)
    smallest, crossing = np.inf, []
    for a, b in pairs:
        clear = clearances(colors, (a, b))
        smallest = min(smallest, float(clear.min()))
        crossing += [(a, b, int(third)) for third in np.flatnonzero(clear < CLEARANCE)]
    distance = float(distances.min()) if len(colors) > 1 else float("inf")
    return FlagPlan(flags, distance, float(smallest), tuple(crossing))


def _distance_to_segment(points: NDArray, a: NDArray, b: NDArray) -> NDArray[np.float64]:
    along = b - a
    t = np.clip(((points - a) @ along) / max(float(along @ along), 1e-12), 0, 1)
    return np.linalg.norm(points - (a + t[:, None] * along), axis=1)


def _segments_from(points: NDArray, a: NDArray, thirds: NDArray) -> NDArray[np.float64]:
    """Distance of each of `thirds` (t, 3) from the segment between each candidate (n, 3) and a: (n, t)."""
    along = points - a
    t = np.clip((along @ (thirds - a).T) / np.maximum((along * along).sum(1), 1e-12)[:, None], 0, 1)
    return np.asarray(np.linalg.norm(thirds[None] - (a + t[..., None] * along[:, None]), axis=-1))
