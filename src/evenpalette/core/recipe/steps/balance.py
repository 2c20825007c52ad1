"""Balance: shadows, middle tones and highlights take on a hue of their own, the luminance stays."""

import numpy as np

from evenpalette.core.color.encoding import encode_scalar
from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import Block, line, numbers, three
from evenpalette.core.recipe.kind import Op, Prepared, StepKind
from evenpalette.core.values import Input, ValueType

#: Luminance weights of BT.709.
_LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)


@njit(nogil=True, cache=True, fastmath=True)
def _balance(r, g, b, weight, amount, low, middle, high, strength, luma):  # type: ignore[no-untyped-def]
    for i in range(r.size):
        w = weight[i] * amount
        if w == 0:
            continue
        light = luma[0] * r[i] + luma[1] * g[i] + luma[2] * b[i]
        if light <= 0:
            continue
        t = encode_scalar(min(light, np.float32(1)))
        s, h = (1 - t) * (1 - t), t * t
        m = 1 - s - h
        x = max(r[i] + light * strength * (s * low[0] + m * middle[0] + h * high[0]), np.float32(0))
        y = max(g[i] + light * strength * (s * low[1] + m * middle[1] + h * high[1]), np.float32(0))
        z = max(b[i] + light * strength * (s * low[2] + m * middle[2] + h * high[2]), np.float32(0))
        made = luma[0] * x + luma[1] * y + luma[2] * z
        scale = light / max(made, np.float32(1e-6))
        r[i] += (x * scale - r[i]) * w
        g[i] += (y * scale - g[i]) * w
        b[i] += (z * scale - b[i]) * w


def _hue(color: np.ndarray) -> np.ndarray:
    """What a color adds for one of luminance: its own light over its luminance, less one; nothing for grays."""
    light = float(color @ _LUMA)
    return (color / max(light, 1e-3) - 1 if light > 1e-3 else np.zeros(3)).astype(np.float32)


@njit(nogil=True, cache=True, fastmath=True)
def _block(at, start, n):  # type: ignore[no-untyped-def]
    r, g, b = three(at, 0, start, n)
    v = numbers(at, 14)
    _balance(r, g, b, line(at, 3, start, n), v[0], v[1:4], v[4:7], v[7:10], v[10], v[11:14])


def _numbers(values: Prepared) -> list[float]:
    hues = [_hue(values[key]) for key in ("shadows", "midtones", "highlights")]
    return [*np.concatenate(hues), float(values["strength"]), *_LUMA]


KIND = StepKind(
    key="balance",
    label="Balance",
    summary="A hue for shadows, middle tones and highlights, without changing how light they are",
    inputs=(
        Input("shadows", "Shadows", ValueType.COLOR, "#808080", description="Any gray leaves them as they are"),
        Input("midtones", "Middle tones", ValueType.COLOR, "#808080", description="Any gray leaves them as they are"),
        Input("highlights", "Highlights", ValueType.COLOR, "#808080", description="Any gray leaves them as they are"),
        Input("strength", "Strength", ValueType.NUMBER, 0.4, 0.0, 1.0),
    ),
    ops=(
        Op(
            "base_color",
            Block(_block, _numbers),
            """
vec3 ep_balance_base_color(vec3 c, vec3 shadows, vec3 midtones, vec3 highlights, float strength) {
    const vec3 luma = vec3(0.2126, 0.7152, 0.0722);
    float light = dot(c, luma);
    if (light <= 0.0) return c;
    float t = ep_encode_srgb(vec3(min(light, 1.0))).x;
    vec3 part = vec3((1.0 - t) * (1.0 - t), 0.0, t * t);
    part.y = 1.0 - part.x - part.z;
    vec3 l = vec3(dot(shadows, luma), dot(midtones, luma), dot(highlights, luma));
    vec3 made = c;
    if (l.x > 1e-3) made += light * strength * part.x * (shadows / l.x - 1.0);
    if (l.y > 1e-3) made += light * strength * part.y * (midtones / l.y - 1.0);
    if (l.z > 1e-3) made += light * strength * part.z * (highlights / l.z - 1.0);
    made = max(made, 0.0);
    return made * (light / max(dot(made, luma), 1e-6));
}
""",
            ("shadows", "midtones", "highlights", "strength"),
            shared=("encoding",),
        ),
    ),
    examples=(
        {"shadows": "#30406a", "midtones": "#808080", "highlights": "#ffe0a0", "strength": 0.5},
        {"shadows": "#808080", "midtones": "#b06040", "highlights": "#808080", "strength": 0.8},
    ),
    own=("shadows", "midtones", "highlights"),
    formula="c + Y strength sum(part_k (color_k / Y(color_k) - 1)), scaled back to Y; parts (1-t)^2, 2t(1-t), t^2 of the encoded luminance t",
    source="three-way balance, common practice, no source; luminance by ITU-R BT.709-6",
    order=42,
    words="shadows highlights midtones warm cool",
)
