"""Two-tone: the white and the black of a pattern get a color each."""

import numpy as np

from evenpalette.core.color.encoding import decode_scalar, encode_scalar
from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import Block, line, numbers
from evenpalette.core.recipe.kind import MapInput, Op, Prepared, StepKind
from evenpalette.core.values import Input, ValueType

BLENDS = ("Linear light", "Squared and rooted", "Encoded values")


@njit(nogil=True, cache=True, fastmath=True)
def _lay(plane, weight, amount, pattern, black, white, blend, keep):  # type: ignore[no-untyped-def]
    low, high = encode_scalar(black), encode_scalar(white)
    for i in range(plane.size):
        w = weight[i] * amount
        if w == 0:
            continue
        t = min(max(pattern[i], np.float32(0)), np.float32(1))
        if blend == 0:
            made = black + (white - black) * t
        elif blend == 1:
            made = decode_scalar(np.sqrt(low * low + (high * high - low * low) * t))
        else:
            made = decode_scalar(low + (high - low) * t)
        made *= 1 + keep * (plane[i] - 1)
        plane[i] += (made - plane[i]) * w


@njit(nogil=True, cache=True, fastmath=True)
def _block(at, start, n):  # type: ignore[no-untyped-def]
    weight, pattern = line(at, 3, start, n), line(at, 4, start, n)
    v = numbers(at, 9)
    for k in range(3):
        _lay(line(at, k, start, n), weight, v[0], pattern, v[3 + k], v[6 + k], np.int64(v[1]), v[2])


def _numbers(values: Prepared) -> list[float]:
    return [values["blend"], values["keep"], *values["black"], *values["white"]]


KIND = StepKind(
    key="two_tone",
    label="Two-tone",
    summary="The white and the black of a pattern get a color each",
    inputs=(
        Input("white", "White becomes", ValueType.COLOR, "#d8b878"),
        Input("black", "Black becomes", ValueType.COLOR, "#4a2f28"),
        Input("keep", "Keep below", ValueType.NUMBER, 0.0, description="0 covers what is below, 1 multiplies it"),
        Input("blend", "Between", ValueType.CHOICE, BLENDS[0], choices=BLENDS, description="Encoded values leave a dark seam between bright colors; squared and rooted nearly removes it; linear light has none"),
    ),
    maps=(MapInput("pattern", "Pattern", (1.0,), "What is white and what is black", roles=("pattern", "mask", "other data")),),
    ops=(Op("base_color", Block(_block, _numbers, (("pattern", 1),)), """
vec3 ep_two_tone_base_color(vec3 c, vec3 white, vec3 black, float keep, int blend, float pattern) {
    pattern = clamp(pattern, 0.0, 1.0);
    vec3 made = mix(black, white, pattern);
    if (blend != 0) {
        vec3 low = ep_encode_srgb(black), high = ep_encode_srgb(white);
        vec3 e = blend == 1 ? sqrt(mix(low * low, high * high, pattern)) : mix(low, high, pattern);
        made = ep_decode_srgb(e);
    }
    return made * mix(vec3(1.0), c, keep);
}
""", ("white", "black", "keep", "blend", "pattern"), shared=("encoding",)),),
    examples=(
        {"white": "#ff3020", "black": "#20c040", "blend": "Linear light"},
        {"white": "#ff3020", "black": "#20c040", "blend": "Squared and rooted", "keep": 0.5},
        {"white": "#f0d080", "black": "#203050", "blend": "Encoded values"},
    ),
    own=("white", "black", "pattern"),
    formula="mix(black, white, p) in linear light; sqrt(mix(black^2, white^2, p)) or mix of encoded values; times mix(1, c, keep)",
    source="blending of saturated colors: common practice, no source; encoding by IEC 61966-2-1",
    order=21,
    words="pattern stripes print camouflage two colors",
)  # fmt: skip
