"""How a surface takes light: one model, as the text that views and kits run, and as NumPy for small pictures.

The metallic-roughness model of glTF 2.0 (appendix B) with KHR_materials_clearcoat and KHR_materials_anisotropy; the
formulas and their sources stand in `light.glsl`. Numbers that both need stand here and are written into the text; a
test holds the two to each other.
"""

from functools import cache
from importlib.resources import files

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.light.environment import BANDS, ROWS
from evenpalette.core.light.lamps import Light
from evenpalette.core.vectors import unit

#: What of the light a smooth surface that is no metal mirrors straight on (index of refraction 1.5, glTF 2.0).
DIELECTRIC = 0.04
#: No surface is smoother: a lamp that is a point would not be seen in it.
LEAST_ROUGHNESS = 0.045
#: B. Karis, "Physically Based Shading on Mobile", 2014, from memory: the fit of the split sum.
_FIT = ((-1.0, -0.0275, -0.572, 0.022), (1.0, 0.0425, 1.04, -0.04))
_FALL, _ENDS = -9.28, (-1.04, 1.04)

Vectors = NDArray[np.float64]


def _vector(values: tuple[float, ...]) -> str:
    return f"vec{len(values)}({', '.join(map(repr, values))})"


@cache
def light_glsl() -> str:
    """The model as GLSL 3.30. `#define EP_COATED`, EP_GRAINED and EP_ENVIRONED stand before it."""
    constants = f"""
const float EP_DIELECTRIC = {DIELECTRIC!r}, EP_LEAST_ROUGHNESS = {LEAST_ROUGHNESS!r}, EP_FALL = {_FALL!r};
const vec4 EP_FIT_BY_ROUGHNESS = {_vector(_FIT[0])}, EP_FIT = {_vector(_FIT[1])};
const vec2 EP_ENDS = {_vector(_ENDS)};
const float EP_BANDS = {BANDS}.0, EP_ROWS = {ROWS}.0;
"""
    return constants + (files("evenpalette.core.light") / "light.glsl").read_text("utf-8")


@dataclass(frozen=True)
class Finish:
    """How a surface takes light, as `EpFinish` of the text. base: linear RGB (..., 3); all else 0..1, one number or one
    for each place (...)."""

    base: Vectors
    metallic: float | Vectors = 0.0
    roughness: float | Vectors = 0.5
    occlusion: float | Vectors = 1.0
    coat: float | Vectors = 0.0
    coat_roughness: float | Vectors = 0.05
    anisotropy: float | Vectors = 0.0


def _dot(a: Vectors, b: Vectors) -> Vectors:
    return np.asarray(np.einsum("...i,...i->...", a, b))


def _mirrored(n: Vectors, to_eye: Vectors) -> Vectors:
    return np.asarray(2 * _dot(n, to_eye)[..., None] * n - to_eye)


def _sky(light: Light, direction: Vectors) -> Vectors:
    below, above = light.sky
    return np.asarray(below + (above - below) * (0.5 + 0.5 * direction[..., 1]))


def _mirrored_sky(light: Light, mirrored: Vectors, n: Vectors, roughness: Vectors) -> Vectors:
    return _sky(light, unit(mirrored + (n - mirrored) * (roughness * roughness)[..., None]))


def _rough(value: float | Vectors) -> Vectors:
    return np.clip(np.asarray(value, np.float64), LEAST_ROUGHNESS, 1.0)


def _lobe(nl: Vectors, nv: Vectors, nh: Vectors, roughness: Vectors) -> Vectors:
    a2 = roughness**4
    d = a2 / (np.pi * (nh * nh * (a2 - 1) + 1) ** 2)
    return np.asarray(d * 0.5 / (nl * np.sqrt(nv * nv * (1 - a2) + a2) + nv * np.sqrt(nl * nl * (1 - a2) + a2)))


def _split_sum(nv: Vectors, roughness: Vectors) -> tuple[Vectors, Vectors]:
    r = [roughness * by + plain for by, plain in zip(*_FIT, strict=True)]
    a = np.minimum(r[0] * r[0], np.exp2(_FALL * nv)) * r[0] + r[1]
    return np.asarray(_ENDS[0] * a + r[2]), np.asarray(_ENDS[1] * a + r[3])


def lit(surface: Finish, n: Vectors, along: Vectors | None, to_eye: Vectors, light: Light) -> Vectors:
    """Linear light (..., 3) that a surface sends to the eye under lamps and a sky; environments are for shaders alone.

    n, to_eye: unit vectors (..., 3). along: the direction in which anisotropy draws highlights out, a unit
    vector across n; None for none.
    """
    s = surface
    nv, roughness = np.clip(_dot(n, to_eye), 1e-3, 1), _rough(s.roughness)
    metallic, occlusion, coat = (np.asarray(v, np.float64)[..., None] for v in (s.metallic, s.occlusion, s.coat))
    anisotropy = np.asarray(s.anisotropy, np.float64)
    f0, inside = DIELECTRIC + (s.base - DIELECTRIC) * metallic, s.base * (1 - metallic)
    mirrored = plain = _mirrored(n, to_eye)
    across = np.cross(n, along) if along is not None else None
    if along is not None:
        bent = unit(np.cross(along, np.cross(to_eye, along)))
        mirrored = _mirrored(unit(n + (bent - n) * (anisotropy * (1 - 0.5 * roughness))[..., None]), to_eye)
    scale, bias = _split_sum(nv, roughness)
    once = f0 * scale[..., None] + bias[..., None]
    whole = 1 / np.maximum(scale + bias, 1e-3) - 1
    shine = np.minimum(once * (1 + f0 * whole[..., None]), 1)
    c = _sky(light, n)[..., None] * inside * (1 - shine)
    c = occlusion * (c + _mirrored_sky(light, mirrored, n, roughness)[..., None] * shine)
    coat_rough = _rough(s.coat_roughness)
    over = coat * (DIELECTRIC + (1 - DIELECTRIC) * (1 - nv) ** 5)[..., None]
    c = c * (1 - over) + over * occlusion * _mirrored_sky(light, plain, n, coat_rough)[..., None]
    for *toward, strength in light.lamps:
        lamp = np.asarray(toward)
        nl = _dot(n, lamp)
        h = unit(lamp + to_eye)
        nh, vh = np.clip(_dot(n, h), 0, 1), np.clip(_dot(to_eye, h), 0, 1)
        f = f0 + (1 - f0) * ((1 - vh) ** 5)[..., None]
        shining = np.maximum(nl, 1e-6)
        if along is None or across is None:
            bright = _lobe(shining, nv, nh, roughness)
        else:
            wide = roughness * roughness
            long = wide + (1 - wide) * anisotropy * anisotropy
            m = (_dot(along, h) / long) ** 2 + (_dot(across, h) / wide) ** 2 + nh * nh
            shade = shining * np.sqrt((long * _dot(along, to_eye)) ** 2 + (wide * _dot(across, to_eye)) ** 2 + nv**2)
            hide = nv * np.sqrt((long * _dot(along, lamp)) ** 2 + (wide * _dot(across, lamp)) ** 2 + shining**2)
            bright = 1 / (np.pi * long * wide * m * m) * 0.5 / (shade + hide)
        under = (1 - f) * inside + f * (np.pi * bright)[..., None]
        gloss = (np.pi * _lobe(shining, nv, nh, coat_rough))[..., None]
        c = c + (strength * np.maximum(nl, 0))[..., None] * (under * (1 - over) + over * gloss)
    return np.asarray(c)
