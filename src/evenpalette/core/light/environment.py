"""Environments: small pictures made here, for light from all sides: blurred for every roughness and as harmonics.

Directions: y is up; a picture's u runs around from +z over +x, its v from the zenith down. All are neutral gray, since
colors are judged in them.
"""

from collections.abc import Callable
from functools import cache

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.raster.reading import bilinear

F32 = NDArray[np.float32]
#: Rows and columns of a picture; bands of roughness 0, 1/4 ... 1, as the shader has them.
ROWS, COLUMNS, BANDS = 64, 128, 5
#: Blurred bands are worked out on so many rows, and drawn larger.
_COARSE = 16


def directions(rows: int, columns: int) -> tuple[F32, F32]:
    """Unit vectors (rows, columns, 3) and the solid angle (rows, columns) of each pixel of a picture."""
    polar = (np.arange(rows) + 0.5) / rows * np.pi
    turn = (np.arange(columns) + 0.5) / columns * 2 * np.pi
    sin = np.sin(polar)[:, None]
    made = np.stack(
        [sin * np.sin(turn), np.broadcast_to(np.cos(polar)[:, None], (rows, columns)), sin * np.cos(turn)], -1
    )
    area = np.broadcast_to(sin * (np.pi / rows) * (2 * np.pi / columns), (rows, columns))
    return made.astype(np.float32), area.astype(np.float32)


def _panel(
    d: F32, toward: tuple[float, float, float], half_width: float, half_height: float, soft: float = 0.06
) -> F32:
    """1 inside a rectangle that is looked at in a direction, its half sizes in tangents, with soft edges."""
    axis = np.array(toward) / np.linalg.norm(toward)
    side = np.cross((0.0, 1.0, 0.0), axis)
    side /= np.linalg.norm(side)
    depth = d @ axis
    x, y = d @ side / np.maximum(depth, 1e-3), d @ np.cross(axis, side) / np.maximum(depth, 1e-3)
    inside = [np.clip((half - np.abs(at)) / soft + 0.5, 0, 1) for at, half in ((x, half_width), (y, half_height))]
    return (inside[0] * inside[1] * (depth > 0)).astype(np.float32)


def _room(d: F32) -> F32:
    """A gray room with a tall window to the left, a lamp strip to the right and a door ajar behind."""
    walls = 0.10 + 0.10 * np.clip(d[..., 1], 0, 1) + 0.02 * np.clip(-d[..., 1], 0, 1)
    panes = _panel(d, (-0.8, 0.35, 0.5), 0.42, 0.75) - 0.9 * _panel(d, (-0.8, 0.35, 0.5), 0.02, 0.8, 0.02)
    return (
        walls
        + 4.6 * np.clip(panes, 0, 1)
        + 1.8 * _panel(d, (0.85, 0.5, 0.35), 0.1, 0.9)
        + 1.0 * _panel(d, (0.2, 0.05, -1.0), 0.12, 0.6)
    ).astype(np.float32)


def _yard(d: F32) -> F32:
    """An open yard under an overcast sky: brightest overhead (CIE overcast, 1 + 2 sin over 3), a low sun behind
    cloud."""
    up = d[..., 1]
    sky = 0.62 * (1 + 2 * np.clip(up, 0, 1)) / 3
    ground = 0.16 + 0 * up
    sun = np.array([0.5, 0.45, 0.7]) / np.linalg.norm([0.5, 0.45, 0.7])
    glow = 2.4 * np.exp((np.clip(d @ sun, -1, 1) - 1) * 14)
    horizon = np.clip(up / 0.08 + 0.5, 0, 1)
    return (ground + (sky + glow - ground) * horizon).astype(np.float32)


MADE: dict[str, Callable[[F32], F32]] = {"room": _room, "yard": _yard}


@dataclass(frozen=True, eq=False)
class Environment:
    """bands: float32 (BANDS * ROWS, COLUMNS), radiance as surfaces of each roughness mirror it. harmonics: nine numbers
    from which the shader makes the light that falls on a surface, divided by pi: what white paper sends back."""

    bands: F32
    harmonics: tuple[float, ...]


@cache
def environment(key: str) -> Environment:
    """The environment of this name, one of MADE."""
    return blurred(MADE[key](directions(ROWS, COLUMNS)[0]))


def blurred(picture: F32) -> Environment:
    """Any picture of an environment (ROWS, COLUMNS), radiance, as surfaces meet it."""
    d, area = directions(ROWS, COLUMNS)
    bands = [picture, *(_enlarged(band) for band in _mirrored(picture, d, area))]
    return Environment(np.concatenate(bands).astype(np.float32), harmonics_of(picture, d, area))


def _mirrored(picture: F32, d: F32, area: F32) -> F32:
    """What surfaces of every roughness but 0 mirror, looked at along their normals, float32 (BANDS - 1, _COARSE,
    2 _COARSE): the sum over the picture of D(n.h) n.l / 4, h between n and l, brought to one (B. Karis, SIGGRAPH 2013
    course on physically based shading, from memory)."""
    normals = directions(_COARSE, _COARSE * 2)[0].reshape(-1, 3)
    light, weights = d.reshape(-1, 3).T.copy(), np.stack([(picture * area).reshape(-1), area.reshape(-1)], -1)
    found = np.empty((BANDS - 1, len(normals)), np.float32)
    for start in range(0, len(normals), 64):
        nl = np.clip(normals[start : start + 64] @ light, 0, 1)
        nh2 = (1 + nl) / 2
        for k in range(1, BANDS):
            a2 = (k / (BANDS - 1)) ** 4
            lobe = nh2 * np.float32(a2 - 1)
            lobe += 1
            lobe *= lobe
            seen, whole = (np.divide(nl, lobe, out=lobe) @ weights).T
            found[k - 1, start : start + 64] = seen / whole
    return found.reshape(BANDS - 1, _COARSE, _COARSE * 2)


def _enlarged(coarse: F32) -> F32:
    """A coarse picture at full size, bilinear, around the seam."""
    rows, columns = coarse.shape
    y, x = (np.arange(ROWS) + 0.5) * rows / ROWS, (np.arange(COLUMNS) + 0.5) * columns / COLUMNS
    return bilinear(coarse, *np.broadcast_arrays(x[None], y[:, None]), repeats=(True, False))


def harmonics_of(picture: F32, d: F32, area: F32) -> tuple[float, ...]:
    """Nine factors: irradiance / pi at n is h0 + h1 y + h2 z + h3 x + h4 xy + h5 yz + h6 (3z^2 - 1) + h7 xz + h8 (x^2 -
    y^2).

    R. Ramamoorthi, P. Hanrahan, "An efficient representation for irradiance environment maps", 2001: the basis squared,
    times 1, 2/3, 1/4 (their A_l over pi).
    """
    x, y, z = (d[..., k].astype(np.float64) for k in range(3))
    terms = (1 + 0 * x, y, z, x, x * y, y * z, 3 * z * z - 1, x * z, x * x - y * y)
    norms = (0.282095, 0.488603, 0.488603, 0.488603, 1.092548, 1.092548, 0.315392, 1.092548, 0.546274)
    shares = (1, 2 / 3, 2 / 3, 2 / 3, 0.25, 0.25, 0.25, 0.25, 0.25)
    weighed = picture.astype(np.float64) * area
    return tuple(
        float(norm**2 * share * (weighed * term).sum()) for norm, share, term in zip(norms, shares, terms, strict=True)
    )
