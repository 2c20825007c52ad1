"""Gathered glow: light of glowing regions on their surroundings, baked in white and colored at runtime."""

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.recipe.blocks import Block, line, numbers
from evenpalette.core.recipe.kind import MapInput, Op, Prepared, StepKind
from evenpalette.core.values import Input, ValueType

#: Lamps of one step, and what its inputs are called by.
LAMPS = ("first", "second", "third", "fourth")


@njit(nogil=True, cache=True, fastmath=True)
def _mix(plane, below, weight, amount, first, second, third, fourth, lights, strength, share):  # type: ignore[no-untyped-def]
    for i in range(plane.size):
        light = first[i] * lights[0] + second[i] * lights[1] + third[i] * lights[2] + fourth[i] * lights[3]
        made = (plane[i] + below[i] * light) * strength
        plane[i] += (made - plane[i]) * share * weight[i] * amount


def _lights(values: Prepared) -> np.ndarray:
    """How bright each lamp is, float32 (4, 3)."""
    return np.stack(
        [
            np.asarray(values[lamp])
            * np.float32(2.0 ** float(values[f"{lamp}_stops"]) * float(values[f"{lamp}_amount"]) * float(values[f"{lamp}_scale"]))
            for lamp in LAMPS
        ]
    ).astype(np.float32)  # fmt: skip


@njit(nogil=True, cache=True, fastmath=True)
def _block(at, start, n):  # type: ignore[no-untyped-def]
    weight = line(at, 3, start, n)
    v = numbers(at, 15)
    for k in range(3):
        first, second = line(at, 7 + k, start, n), line(at, 10 + k, start, n)
        third, fourth = line(at, 13 + k, start, n), line(at, 16 + k, start, n)
        lights = v[3 + 4 * k : 7 + 4 * k]
        _mix(
            line(at, k, start, n),
            line(at, 4 + k, start, n),
            weight,
            v[0],
            first,
            second,
            third,
            fourth,
            lights,
            v[1],
            v[2],
        )


def _numbers(values: Prepared) -> list[float]:
    return [values["strength"], values["share"], *_lights(values).T.reshape(-1)]


_READS = (("base_color", 3), *((f"{lamp}_map", 3) for lamp in LAMPS))


def _of_lamp(number: int, lamp: str) -> tuple[Input, ...]:
    return (
        Input(lamp, f"Light {number}", ValueType.COLOR, "#ffffff", description="The color of the glowing region"),
        Input(f"{lamp}_stops", f"Stops {number}", ValueType.NUMBER, 0.0, -6.0, 6.0, description="As its glow has them"),
        Input(f"{lamp}_amount", f"Amount {number}", ValueType.NUMBER, 1.0, description="How much of that glow there is"),
        Input(f"{lamp}_scale", f"Scale {number}", ValueType.NUMBER, 1.0, 0.0, 64.0, description="What the stored light is multiplied by; the bake sets it"),
    )  # fmt: skip


_NAMES = ", ".join(f"{lamp}, {lamp}_stops, {lamp}_amount, {lamp}_scale" for lamp in LAMPS)
_ARGUMENTS = ", ".join(f"vec3 {lamp}, float {lamp}_stops, float {lamp}_amount, float {lamp}_scale" for lamp in LAMPS)
_MAPS = ", ".join(f"vec4 {lamp}_map" for lamp in LAMPS)
_SUM = " + ".join(f"{lamp}_map.rgb * {lamp} * (exp2({lamp}_stops) * {lamp}_amount * {lamp}_scale)" for lamp in LAMPS)

KIND = StepKind(
    key="gathered_glow",
    label="Gathered glow",
    summary="Light of glowing regions on what stands around them: baked in white, colored by the glow itself",
    inputs=(
        Input("share", "Mixed in", ValueType.NUMBER, 1.0, description="How much of the gathered light; 0 is the plain glow"),
        Input("strength", "Strength", ValueType.NUMBER, 1.0, 0.0, 4.0, description="Keeps the look of the source: the bake turns it down where it lights itself"),
        *(held for number, lamp in enumerate(LAMPS, 1) for held in _of_lamp(number, lamp)),
    ),
    maps=tuple(
        MapInput(f"{lamp}_map", f"Gathered {number}", (0.0, 0.0, 0.0, 1.0), "Light of this lamp in white, from a bake", whole=True, roles=("gathered light",), needed=number == 1)
        for number, lamp in enumerate(LAMPS, 1)
    ),
    ops=(
        Op(
            "emissive", Block(_block, _numbers, _READS),
            f"vec3 ep_gathered_glow_emissive(vec3 c, float share, float strength, {_ARGUMENTS}, {_MAPS}, vec3 base_color) {{\n"
            f"    vec3 light = {_SUM};\n"
            "    return mix(c, (c + base_color * light) * strength, share);\n}\n",
            ("share", "strength", *_NAMES.split(", "), *(f"{lamp}_map" for lamp in LAMPS)),
            reads=("base_color",), needs=tuple(f"{lamp}_map" for lamp in LAMPS),
        ),
    ),
    examples=(
        {"share": 0.7, "strength": 0.8, "first": "#ff8030", "first_stops": 1.0, "second": "#3060ff", "third": "#ffffff", "fourth": "#20ff60"},
        {"first": "#ffb060", "fourth_scale": 2.0},
    ),
    formula="emissive = mix(c, (c + base color * sum of map * light * 2^stops * amount * scale) * strength, mixed in)",
    source="radiosity (Goral et al. 1984): what arrives is linear in the lamps, a diffuse surface sends on its base color's share; the maps by core/baking/glow",
    order=66,
    own=("share",),
    words="bounce indirect gi global illumination light spill emissive lightmap",
)  # fmt: skip
