"""Finish map: how the surface takes the light, from the channels of packed textures."""

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.attributes import COAT, METALLIC, OCCLUSION, ROUGHNESS
from evenpalette.core.recipe.blocks import Block, line, numbers
from evenpalette.core.recipe.kind import MapInput, Op, Prepared, StepKind
from evenpalette.core.values import Input, ValueType


@njit(nogil=True, cache=True, fastmath=True)
def _read(plane, weight, amount, stored, low, high):  # type: ignore[no-untyped-def]
    for i in range(plane.size):
        if stored[i] >= 0:
            plane[i] += (low + (high - low) * stored[i] - plane[i]) * weight[i] * amount


#: Attribute, its word, and the roles of textures that have it.
_READ = (
    (ROUGHNESS, "Roughness", ("roughness", "packed data", "other data")),
    (METALLIC, "Metallic", ("metallic", "packed data", "other data")),
    (OCCLUSION, "Occlusion", ("occlusion", "packed data", "other data")),
    (COAT, "Coat", ("packed data", "mask", "other data")),
)


@njit(nogil=True, cache=True, fastmath=True)
def _block(at, start, n):  # type: ignore[no-untyped-def]
    v = numbers(at, 3)
    _read(line(at, 0, start, n), line(at, 1, start, n), v[0], line(at, 2, start, n), v[1], v[2])


def _op(attribute: str) -> Op:
    def given(values: Prepared) -> list[float]:
        return [values[f"{attribute}_low"], values[f"{attribute}_high"]]

    glsl = (
        f"float ep_finish_map_{attribute}(float c, float low, float high, float stored) {{\n"
        "    return stored < 0.0 ? c : mix(low, high, stored);\n}\n"
    )
    return Op(
        attribute,
        Block(_block, given, ((f"{attribute}_map", 1),)),
        glsl,
        (f"{attribute}_low", f"{attribute}_high", f"{attribute}_map"),
        needs=(f"{attribute}_map",),
    )


KIND = StepKind(
    key="finish_map",
    label="Finish map",
    summary="Metallic, roughness, occlusion and coat from the channels of a packed texture",
    inputs=tuple(
        Input(f"{attribute}_{end}", f"{label}, {color}", ValueType.NUMBER, value, unit="share", description=f"Where its channel is {color}")
        for attribute, label, _ in _READ
        for end, color, value in (("low", "black", 0.0), ("high", "white", 1.0))
    ),
    maps=tuple(
        MapInput(f"{attribute}_map", label, (-1.0,), f"The channel that holds it; without one the {label.lower()} below stays", roles=roles, needed=False)
        for attribute, label, roles in _READ
    ),
    ops=tuple(_op(attribute) for attribute, _, _ in _READ),
    examples=({"roughness_low": 0.2, "roughness_high": 0.9, "occlusion_low": 0.4},),
    own=tuple(f"{attribute}_map" for attribute, _, _ in _READ),
    formula="each attribute with a channel: mix(black, white, channel)",
    source="glTF 2.0 metallicRoughnessTexture and occlusionTexture; packing by channels is common practice, no source",
    order=44,
)  # fmt: skip
