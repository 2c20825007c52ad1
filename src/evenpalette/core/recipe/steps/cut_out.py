"""Cut-out: holes by a mask, with a threshold or soft."""

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import Block, line, numbers
from evenpalette.core.recipe.kind import MapInput, Op, Prepared, StepKind
from evenpalette.core.values import Input, ValueType


@njit(nogil=True, cache=True, fastmath=True)
def _cut(plane, weight, amount, mask, threshold, scale):  # type: ignore[no-untyped-def]
    for i in range(plane.size):
        t = min(max((mask[i] - threshold) * scale + np.float32(0.5), np.float32(0)), np.float32(1))
        plane[i] += (plane[i] * t - plane[i]) * weight[i] * amount


@njit(nogil=True, cache=True, fastmath=True)
def _block(at, start, n):  # type: ignore[no-untyped-def]
    v = numbers(at, 3)
    _cut(line(at, 0, start, n), line(at, 1, start, n), v[0], line(at, 2, start, n), v[1], v[2])


def _numbers(values: Prepared) -> list[float]:
    return [values["threshold"], 1 / max(float(values["softness"]), 0.01)]


KIND = StepKind(
    key="cut_out",
    label="Cut-out",
    summary="Opacity by a mask: holes, torn edges, lace",
    inputs=(
        Input("threshold", "Threshold", ValueType.NUMBER, 0.5, description="What is darker is cut out"),
        Input("softness", "Softness", ValueType.NUMBER, 0.2, 0.01, 1.0, description="Width of the edge in mask values"),
    ),
    maps=(MapInput("mask", "Mask", (1.0,), "White stays", roles=("opacity", "mask", "pattern", "other data")),),
    ops=(Op("opacity", Block(_block, _numbers, (("mask", 1),)), """
float ep_cut_out_opacity(float c, float threshold, float softness, float mask) {
    return c * clamp((mask - threshold) / max(softness, 0.01) + 0.5, 0.0, 1.0);
}
""", ("threshold", "softness", "mask")),),
    examples=({"threshold": 0.4, "softness": 0.9},),
    own=("threshold", "mask"),
    formula="c clamp((m - threshold) / softness + 0.5)",
    source="alpha test with a soft edge: common practice, no source",
    order=55,
    words="hole holes alpha opacity torn lace",
)  # fmt: skip
