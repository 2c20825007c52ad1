"""Ramps: colors along a line, with stops, hard edges and three ways between; from a palette, from a picture, loud ones.

The path through a picture's colors is a principal curve: T. Hastie, W. Stuetzle, "Principal curves", JASA 84(406),
1989,
in DIN99b: every color goes to the nearest place on the curve, every place to the mean of the colors near it.
"""

from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import decode_srgb, encode_srgb
from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.color.oklab import linear_to_oklab, oklab_to_linear
from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.tones.palettes.census import take_census

MOST_STOPS = 32
_NODES, _ROUNDS = 48, 30


class Between(StrEnum):
    """How a ramp goes from one stop to the next: in linear light, in OKLab, or not at all until the next stop."""

    LINEAR = "linear"
    OKLAB = "oklab"
    STEPPED = "stepped"


@dataclass(frozen=True)
class Stop:
    """A color at a place 0..1. color: '#rrggbb'."""

    position: float
    color: str


@dataclass(frozen=True)
class Ramp:
    """Stops in order of position; two stops at one place are a hard edge."""

    stops: tuple[Stop, ...]
    between: Between = Between.LINEAR

    def __post_init__(self) -> None:
        if not 1 <= len(self.stops) <= MOST_STOPS:
            raise EvenPaletteError(f"A ramp has 1 to {MOST_STOPS} stops, not {len(self.stops)}.")
        places = [stop.position for stop in self.stops]
        if any(not 0 <= place <= 1 for place in places) or places != sorted(places):
            raise EvenPaletteError("The stops of a ramp lie between 0 and 1, in order.")

    def at(self, places: NDArray) -> NDArray[np.float32]:
        """Linear Rec. 709 at places 0..1 (any shape), float32 (..., 3). Before the first stop and after the last it is
        theirs; on a hard edge that of the later stop."""
        t = np.clip(np.asarray(places, np.float64), 0, 1)
        at = np.array([stop.position for stop in self.stops])
        colors = decode_srgb(np.array([parse_hex(stop.color) for stop in self.stops]) / 255).astype(np.float64)
        after = np.searchsorted(at, t, "right")
        low, high = np.clip(after - 1, 0, len(at) - 1), np.clip(after, 0, len(at) - 1)
        span = at[high] - at[low]
        share = np.where(span > 0, (t - at[low]) / np.where(span > 0, span, 1), 0.0)
        share = np.where(after == 0, 0.0, share)[..., None]
        if self.between is Between.STEPPED:
            return colors[low].astype(np.float32)
        if self.between is Between.OKLAB:
            lab = linear_to_oklab(colors).astype(np.float64)
            return np.clip(oklab_to_linear(lab[low] + (lab[high] - lab[low]) * share), 0, 1)
        return (colors[low] + (colors[high] - colors[low]) * share).astype(np.float32)

    def strip(self, width: int = 256, height: int = 1) -> Raster:
        """The ramp as an 8-bit sRGB texture; texel i shows place i / (width - 1), so that both ends are in it."""
        places = np.linspace(0, 1, width) if width > 1 else np.zeros(1)
        codes = np.rint(encode_srgb(self.at(places)) * 255).astype(np.uint8)
        return Raster(np.ascontiguousarray(np.repeat(codes[None], height, 0)), Encoding.SRGB)


#: A loud ramp, to see how a gray is mapped before colors are chosen: every tenth has a hue of its own.
LOUD = Ramp(tuple(
    Stop(round(i / 10 + e / 10, 3), c)
    for i, c in enumerate(("#000000", "#6a00ff", "#0050ff", "#00b4ff", "#00e0a0", "#30d000", "#d0e000", "#ffb000", "#ff4000", "#ffffff"))
    for e in (0, 1)
))  # fmt: skip


def of_palette(palette: NDArray[np.uint8], between: Between = Between.LINEAR) -> Ramp:
    """A ramp through palette entries, uint8 (n, 3 or more), evenly spaced; of more than 32 every so manieth."""
    chosen = palette[np.unique(np.linspace(0, len(palette) - 1, min(len(palette), MOST_STOPS)).round().astype(int))]
    places = np.linspace(0, 1, len(chosen)) if len(chosen) > 1 else [0.0]
    return Ramp(tuple(Stop(float(p), _hex(c)) for p, c in zip(places, chosen, strict=True)), between)


def simplified(ramp: Ramp, most: int) -> Ramp:
    """A ramp with at most so many stops, 2 up, that is near to another: stops are taken in where what is left out shows
    most, in OKLab (U. Ramer 1972; D. Douglas, T. Peucker 1973)."""
    if len(ramp.stops) <= most:
        return ramp
    if ramp.between is Between.STEPPED:
        kept = sorted({round(k) for k in np.linspace(0, len(ramp.stops) - 1, most)})
        return Ramp(tuple(ramp.stops[k] for k in kept), ramp.between)
    places = np.unique(np.concatenate([np.linspace(0, 1, 257), [stop.position for stop in ramp.stops]]))
    colors = ramp.at(places)
    wanted = linear_to_oklab(colors).astype(np.float64)
    held = [0, len(places) - 1]
    while True:
        stops = tuple(Stop(float(places[k]), _hex(np.rint(encode_srgb(colors[k]) * 255))) for k in held)
        made = Ramp(stops, ramp.between)
        if len(held) >= most:
            return made
        off = ((linear_to_oklab(made.at(places)) - wanted) ** 2).sum(-1)
        off[held] = -1
        held = sorted([*held, int(off.argmax())])


def _hex(color: NDArray) -> str:
    return "#{:02x}{:02x}{:02x}".format(*(int(v) for v in color[:3]))


def _projected(points: NDArray, nodes: NDArray) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """For each point the place on a polyline, in nodes, and the squared distance."""
    best, place = np.full(len(points), np.inf), np.zeros(len(points))
    for k in range(len(nodes) - 1):
        along = nodes[k + 1] - nodes[k]
        length = float(along @ along)
        share = np.clip((points - nodes[k]) @ along / length, 0, 1) if length > 1e-12 else np.zeros(len(points))
        apart = ((points - nodes[k] - share[:, None] * along) ** 2).sum(1)
        closer = apart < best
        best[closer], place[closer] = apart[closer], k + share[closer]
    return place, best


def best_path(picture: Raster, stops: int, importance: NDArray | None = None) -> Ramp:
    """The ramp of so many stops, 2 to 32, that passes through a picture's colors most closely, from dark to light.

    importance: weights (height, width). Raises EvenPaletteError.
    """
    if not 2 <= stops <= MOST_STOPS:
        raise EvenPaletteError(f"A ramp through a picture has 2 to {MOST_STOPS} stops, not {stops}.")
    census = take_census([picture], [importance])
    points, weights = census.points[:, :3].astype(np.float64), census.weights
    codes = census.codes[:, :3]
    if len(points) > 20_000:
        kept = np.argsort(-weights, kind="stable")[:20_000]
        points, weights, codes = points[kept], weights[kept], codes[kept]
    mean = np.average(points, 0, weights)
    scatter = ((points - mean) * weights[:, None]).T @ (points - mean)
    direction = np.linalg.eigh(scatter)[1][:, -1]
    along = (points - mean) @ direction
    if not len(points) or np.ptp(along) < 1e-6:
        color = _hex(np.rint(codes[0]))
        return Ramp(tuple(Stop(float(p), color) for p in np.linspace(0, 1, stops)))
    order = np.argsort(along)
    reached = np.cumsum(weights[order]) / weights.sum()
    place = np.empty(len(points))
    place[order] = reached * (_NODES - 1)
    nodes = np.empty((_NODES, 3))
    for turn in range(_ROUNDS):
        wide = _NODES / 4 * (0.9 / (_NODES / 4)) ** (turn / (_ROUNDS - 1))
        near = np.exp(-0.5 * ((place[None] - np.arange(_NODES)[:, None]) / wide) ** 2) * weights
        held = near.sum(1)
        nodes = np.where(held[:, None] > 1e-9, near @ points / np.maximum(held, 1e-9)[:, None], nodes if turn else mean)
        # As many colors before each node as its place says: the ramp's range is used evenly along its length.
        steps = np.linalg.norm(np.diff(nodes, axis=0), axis=1)
        length = np.concatenate([[0], np.cumsum(steps)])
        even = np.linspace(0, length[-1], _NODES)
        nodes = np.stack([np.interp(even, length, nodes[:, a]) for a in range(3)], 1)
        place, _ = _projected(points, nodes)
    if nodes[0, 0] > nodes[-1, 0]:
        place = _NODES - 1 - place
    return _with_stops(place / (_NODES - 1), codes, weights, stops)


def _with_stops(place: NDArray, codes: NDArray, weights: NDArray, count: int) -> Ramp:
    """Stops evenly spaced whose colors, joined in linear light, are nearest to colors at their places (least
    squares)."""
    low, high = np.quantile(place, 0.002), np.quantile(place, 0.998)
    t = np.clip((place - low) / max(high - low, 1e-9), 0, 1) * (count - 1)
    first = np.minimum(t.astype(int), count - 2)
    share = t - first
    basis = np.zeros((len(t), count))
    rows = np.arange(len(t))
    basis[rows, first], basis[rows, first + 1] = 1 - share, share
    # In the encoded values, which are even to the eye, with a little pull to the straight line where nothing lies.
    target = encode_srgb(decode_srgb(codes / 255)).astype(np.float64)
    root = np.sqrt(weights / weights.sum())[:, None]
    smooth = np.diff(np.eye(count), 2, axis=0) * 1e-2 if count > 2 else np.zeros((0, count))
    found = np.linalg.lstsq(
        np.concatenate([basis * root, smooth]), np.concatenate([target * root, np.zeros((len(smooth), 3))]), rcond=None
    )[0]
    colors = np.rint(np.clip(found, 0, 1) * 255)
    return Ramp(tuple(Stop(i / (count - 1), _hex(c)) for i, c in enumerate(colors)), Between.OKLAB)
