"""How a texture is laid when a step reads it."""

import math
from dataclasses import fields, replace
from enum import IntEnum

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import ValueProblem


class Wrap(IntEnum):
    """What lies beyond a texture's (or tile's) border; the numbers are those in shaders."""

    REPEAT = 0
    MIRROR = 1
    CLAMP = 2


class Filter(IntEnum):
    """How values between texels and mip levels come about; the numbers are those in shaders."""

    TRILINEAR = 0
    BILINEAR = 1
    NEAREST = 2


#: The largest scale, offset and drift, and the most tiles along a side: what fixed-point phases hold without a doubt.
MOST, MOST_TILES = 4096.0, 64
#: After so many repeats everything that repeats is as it was, tiles by chance too.
PERIOD = 64.0


@dataclass(frozen=True)
class Placement:
    """An affine way to lay a texture: `uv' = turn * scale * uv + offset + drift * seconds`, then the tile, then the
    wrap.

    scale: repeats along u and v; negative ones flip. turn: in turns, from u towards v, about uv (0, 0). offset: in
    repeats. drift: offset per second. tiles: columns and rows of a grid in the texture, tile: which of them is read,
    counted from the left of the first row. part: left, top, width and height of a free rectangle that is read instead,
    as shares of the texture. Inside a grid or a part the wrap holds for the tile. As text, what differs from this:
    'scale=2,2; turn=0.125; offset=0,0.5; drift=0.1,0; tiles=4,4; tile=5; wrap=mirror; filter=nearest', '' for none.
    """

    scale: tuple[float, float] = (1.0, 1.0)
    turn: float = 0.0
    offset: tuple[float, float] = (0.0, 0.0)
    drift: tuple[float, float] = (0.0, 0.0)
    tiles: tuple[int, int] = (1, 1)
    tile: int = 0
    wrap: Wrap = Wrap.REPEAT
    filter: Filter = Filter.TRILINEAR
    part: tuple[float, float, float, float] = (0.0, 0.0, 1.0, 1.0)

    @classmethod
    def parse(cls, text: str) -> "Placement":
        """The placement of this text. Raises ValueProblem."""
        parts: dict[str, object] = {}
        for part in text.split(";"):
            key, equals, given = (piece.strip() for piece in part.partition("="))
            if not key and not equals:
                continue
            try:
                parts[key] = _READERS[key](given)
            except (KeyError, ValueError, OverflowError):
                known = ", ".join(_READERS)
                raise ValueProblem(
                    f"A placement has {known}, as 'scale=2,2; turn=0.25', not '{part.strip()[:60]}'."
                ) from None
        made = cls(**parts)  # type: ignore[arg-type]
        count = made.tiles[0] * made.tiles[1]
        return made if made.tile < count else replace(made, tile=count - 1)

    def __str__(self) -> str:
        plain = Placement()
        changed = (f.name for f in fields(self) if getattr(self, f.name) != getattr(plain, f.name))
        return "; ".join(f"{name}={_text(getattr(self, name))}" for name in changed)

    @property
    def is_plain(self) -> bool:
        """Whether it reads every texel where it is."""
        return self == Placement()

    @property
    def linear(self) -> NDArray[np.float64]:
        """`turn * scale`, (2, 2)."""
        angle = self.turn * math.tau
        # Quarter turns are exact, so that texels of a turned read stay texels.
        quarter = round(self.turn * 4)
        exact = self.turn * 4 == quarter
        cos = (1.0, 0.0, -1.0, 0.0)[quarter % 4] if exact else math.cos(angle)
        sin = (0.0, 1.0, 0.0, -1.0)[quarter % 4] if exact else math.sin(angle)
        return np.array([[cos, -sin], [sin, cos]]) @ np.diag(self.scale)

    @property
    def is_whole(self) -> bool:
        """Whether the whole texture is read, and not a tile or a part of it."""
        return self.share == (0.0, 0.0, 1.0, 1.0)

    @property
    def share(self) -> tuple[float, float, float, float]:
        """Left, top, width and height of its tile, or its part, as shares of the texture."""
        columns, rows = self.tiles
        if self.tiles == (1, 1):
            return self.part
        return (self.tile % columns) / columns, (self.tile // columns) / rows, 1 / columns, 1 / rows

    def moved(self, seconds: float) -> tuple[float, float]:
        """offset + drift * seconds; brought near 0 by whole periods where it repeats, so that long runs stay exact."""
        where = (o + d * seconds for o, d in zip(self.offset, self.drift, strict=True))
        u, v = (w if self.wrap is Wrap.CLAMP else math.fmod(w, PERIOD) for w in where)
        return u, v

    def uniform(self) -> tuple[float, ...]:
        """As the sixteen numbers of a mat4, column by column: the linear part by columns; offset and drift; the tile's
        left, top, width and height; wrap, filter, 0, 0."""
        m = self.linear
        return (
            float(m[0, 0]), float(m[1, 0]), float(m[0, 1]), float(m[1, 1]), *self.offset, *self.drift, *self.share,
            float(self.wrap), float(self.filter), 0.0, 0.0,
        )  # fmt: skip

    def at(self, seconds: float) -> "Placement":
        """The same placement at a moment, with nothing left that drifts."""
        return replace(self, offset=self.moved(seconds), drift=(0.0, 0.0)) if any(self.drift) else self


def _number(text: str) -> float:
    value = float(text)
    if not math.isfinite(value) or abs(value) > MOST:
        raise ValueError(text)
    return value


def _pair(text: str) -> tuple[float, float]:
    u, v = (_number(part) for part in (text.split(",") if "," in text else (text, text)))
    return u, v


def _rectangle(text: str) -> tuple[float, float, float, float]:
    left, top, wide, high = (_number(piece) for piece in text.split(","))
    if min(left, top) < 0 or min(wide, high) <= 0 or max(left + wide, top + high) > 1 + 1e-6:
        raise ValueError(text)
    return left, top, wide, high


def _tiles(text: str) -> tuple[int, int]:
    columns, rows = (int(part) for part in (text.split(",") if "," in text else (text, text)))
    if not (1 <= columns <= MOST_TILES and 1 <= rows <= MOST_TILES):
        raise ValueError(text)
    return columns, rows


def _place(text: str) -> int:
    value = int(text)
    if not 0 <= value < MOST_TILES * MOST_TILES:
        raise ValueError(text)
    return value


_READERS = {
    "scale": _pair, "turn": _number, "offset": _pair, "drift": _pair, "tiles": _tiles, "tile": _place, "part": _rectangle,
    "wrap": lambda text: Wrap[text.upper()], "filter": lambda text: Filter[text.upper()],
}  # fmt: skip


def _text(value: object) -> str:
    if isinstance(value, IntEnum):
        return value.name.lower()
    if isinstance(value, tuple):
        return ",".join(_text(part) for part in value)
    return f"{value:.9g}"
