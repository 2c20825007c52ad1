"""A small lit ball that shows how a finish takes the light: for lists of finishes, without a graphics card."""

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import encode_srgb
from evenpalette.core.light.lamps import Light
from evenpalette.core.light.model import Finish, lit

#: Paint of the ball: a middle warm color, so that a metal's colored highlight is told from a varnish's white one; and
#: a yellow metal.
PAINT, METAL = (0.42, 0.19, 0.11), (0.80, 0.66, 0.42)
_SIZE, _SUPER = 28, 2
#: As wide as a lamp that is no point: a highlight that can be seen on so small a ball.
_LEAST_ROUGHNESS = 0.08


def lit_sample(finish: Mapping[str, float], light: Light | None = None, size: int = _SIZE) -> NDArray[np.uint8]:
    """The ball, uint8 RGBA (size, size, 4). finish: metallic, roughness, coat, coat_roughness, anisotropy, each
    0..1."""
    metallic = finish.get("metallic", 0.0)
    big = size * _SUPER
    y, x = (np.mgrid[:big, :big] + 0.5) / big * 2.1 - 1.05
    inside = x * x + y * y < 1
    n = np.stack([x, -y, np.sqrt(np.clip(1 - x * x - y * y, 1e-6, 1))], -1)
    n /= np.linalg.norm(n, axis=-1, keepdims=True)
    # Highlights are drawn out sideways.
    around = np.cross((0.0, 1.0, 0.0), n)
    surface = Finish(
        np.array(PAINT if metallic < 0.5 else METAL), metallic, max(finish.get("roughness", 0.5), _LEAST_ROUGHNESS),
        1.0, finish.get("coat", 0.0), max(finish.get("coat_roughness", 0.05), _LEAST_ROUGHNESS), finish.get("anisotropy", 0.0),
    )  # fmt: skip
    eye = np.broadcast_to(np.array([0.0, 0.0, 1.0]), n.shape)
    along = around / np.maximum(np.linalg.norm(around, axis=-1, keepdims=True), 1e-6) if surface.anisotropy else None
    c = lit(surface, n, along, eye, light or Light("side"))
    cover = inside.reshape(size, _SUPER, size, _SUPER).mean((1, 3))
    kept = (np.clip(c, 0, 1) * inside[..., None]).reshape(size, _SUPER, size, _SUPER, 3).mean((1, 3))
    mean = kept / np.maximum(cover, 1e-6)[..., None]
    return np.rint(np.dstack([encode_srgb(mean), cover]) * 255).astype(np.uint8)
