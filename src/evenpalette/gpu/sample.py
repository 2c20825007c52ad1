"""A small lit ball that shows how a finish takes the light: for lists of finishes, without a graphics card.

The metallic-roughness model of glTF 2.0, appendix B.3, with KHR_materials_clearcoat and KHR_materials_anisotropy (E.
Heitz, JCGT 3(2), 2014), under the lamps of a set-up; the sky, mirrored along the normal's bend, fills what they leave.
"""

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import encode_srgb
from evenpalette.gpu.lights import Light

#: Paint of the ball: a middle warm color, so that a metal's colored highlight is told from a varnish's white one.
PAINT = (0.42, 0.19, 0.11)
_SIZE, _SUPER = 28, 2


def lit_sample(finish: Mapping[str, float], light: Light | None = None, size: int = _SIZE) -> NDArray[np.uint8]:
    """The ball, uint8 RGBA (size, size, 4). finish: metallic, roughness, coat, coat_roughness, anisotropy, each
    0..1."""
    light = light or Light("side", filmic=False)
    metallic, coat = finish.get("metallic", 0.0), finish.get("coat", 0.0)
    across = max(finish.get("roughness", 0.5), 0.08) ** 2
    along = across + (1 - across) * finish.get("anisotropy", 0.0) ** 2
    coat_width = max(finish.get("coat_roughness", 0.05), 0.08) ** 2
    big = size * _SUPER
    y, x = (np.mgrid[:big, :big] + 0.5) / big * 2.1 - 1.05
    inside = x * x + y * y < 1
    n = np.stack([x, -y, np.sqrt(np.clip(1 - x * x - y * y, 1e-6, 1))], -1)
    eye = np.array([0.0, 0.0, 1.0])
    t = np.cross((0.0, 1.0, 0.0), n)
    t /= np.maximum(np.linalg.norm(t, axis=-1, keepdims=True), 1e-6)
    b = np.cross(n, t)
    base = np.array(PAINT) if metallic < 0.5 else np.array([0.80, 0.66, 0.42])
    f0 = 0.04 * (1 - metallic) + base * metallic
    nv = np.clip(n @ eye, 1e-3, 1)
    up = 0.5 + 0.5 * (2 * n[..., 2:] * n - eye)[..., 1]
    sky = light.sky[0] + (light.sky[1] - light.sky[0]) * (0.5 + 0.5 * n[..., 1])
    mirrored = light.sky[0] + 2.2 * (light.sky[1] - light.sky[0]) * np.clip(up, 0, 1) ** 3 * (1 - 0.6 * across)
    c = sky[..., None] * base * (1 - metallic) + mirrored[..., None] * f0 + 0.05 * coat * mirrored[..., None]
    over = coat * (0.04 + 0.96 * (1 - nv[..., None]) ** 5)
    for *toward, strength in light.lamps:
        lamp = np.array(toward)
        nl = np.clip(n @ lamp, 0, 1)
        h = lamp + eye
        h = h / np.linalg.norm(h)
        grazing = (1 - h @ eye) ** 5
        shine = _lobe(n, t, b, lamp, eye, h, along, across)[..., None] * (f0 + (1 - f0) * grazing)
        under = (1 - f0) * base * (1 - metallic) + np.pi * shine
        c += (
            strength
            * nl[..., None]
            * (under * (1 - over) + over * np.pi * _lobe(n, t, b, lamp, eye, h, coat_width, coat_width)[..., None])
        )
    c *= (0.55 + 0.45 * nv)[..., None]
    cover = inside.reshape(size, _SUPER, size, _SUPER).mean((1, 3))
    mean = (np.clip(c, 0, 1) * inside[..., None]).reshape(size, _SUPER, size, _SUPER, 3).mean((1, 3)) / np.maximum(
        cover, 1e-6
    )[..., None]
    return np.rint(np.dstack([encode_srgb(mean), cover]) * 255).astype(np.uint8)


def _lobe(
    n: NDArray, t: NDArray, b: NDArray, lamp: NDArray, eye: NDArray, h: NDArray, along: float, across: float
) -> NDArray:
    """D times V of the drawn-out lobe for a plane of normals and tangents."""
    m = ((t @ h) / along) ** 2 + ((b @ h) / across) ** 2 + (n @ h) ** 2
    d = 1 / (np.pi * along * across * m * m)
    nl, nv = np.clip(n @ lamp, 1e-3, 1), np.clip(n @ eye, 1e-3, 1)
    shade = nl * np.sqrt((along * (t @ eye)) ** 2 + (across * (b @ eye)) ** 2 + nv**2)
    hide = nv * np.sqrt((along * (t @ lamp)) ** 2 + (across * (b @ lamp)) ** 2 + nl**2)
    return np.asarray(0.5 / (shade + hide) * d)
