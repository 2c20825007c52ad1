"""Pennant: a swallow-tailed cloth with a tileable weave, divided by a channel mask."""

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import encode_srgb
from evenpalette.core.color.hexcode import hex_to_linear
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits import asset, parameters, recipe, regions, tone
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.read import parse_mesh
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.recipe import Binding, Pick

from .common import with_variants
from .pattern import noise, normal_from_height, smoothstep
from .shapes import ObjWriter, tube

SIZE = 1024
CLOTH = (0.03, 0.03, 0.83, 0.97)
POLE = (0.87, 0.03, 0.97, 0.97)


def build_mesh() -> Mesh:
    """A hanging cloth with a notch at its foot, waving, on a short pole."""
    obj = ObjWriter()
    obj.group("Cloth")
    rows, columns = 49, 41
    t, s = np.meshgrid(np.linspace(0, 1, rows), np.linspace(-1, 1, columns), indexing="ij")
    length = 2.6 - 0.62 * (1 - np.abs(s)) * t
    x = s * (0.82 - 0.10 * t)
    y = 1.35 - t * length
    z = 0.16 * t * np.sin(4.6 * t + 1.6 * s) + 0.05 * t * np.sin(7 * s + 3 * t)
    left, top, right, bottom = CLOTH
    u = left + (x / 1.64 + 0.5) * (right - left)
    v = top + (1.35 - y) / 2.6 * (bottom - top)
    obj.grid(np.stack([x, y, z], -1), np.stack([u, v], -1))
    obj.group("Pole")
    path = np.stack([np.linspace(-1.05, 1.05, 15), np.full(15, 1.38), np.zeros(15)], -1)
    left, top, right, bottom = POLE
    uu, vv = np.meshgrid(np.linspace(left, right, 13), np.linspace(top, bottom, 15))
    obj.grid(tube(path, 0.055, 12), np.stack([uu, vv], -1))
    return parse_mesh(obj.text(), "pennant.obj")


def _cloth_coordinates() -> tuple[NDArray, NDArray]:
    v, u = np.mgrid[:SIZE, :SIZE]
    u, v = (u + 0.5) / SIZE, (v + 0.5) / SIZE
    left, top, right, bottom = CLOTH
    return (u - left) / (right - left) * 2 - 1, (v - top) / (bottom - top)


def _lantern_emblem(big: int, center: NDArray, unit: float) -> NDArray:
    """A lantern cut from cloth: body with open bands, cap, hook and tassel."""
    emblem = np.zeros((big, big), np.uint8)

    def at(x: float, y: float) -> tuple[int, int]:
        return int(center[0] + x * unit), int(center[1] + y * unit)

    def scaled(v: float) -> int:
        return int(v * unit)

    cv2.ellipse(emblem, at(0, 0), (scaled(0.36), scaled(0.33)), 0, 0, 360, 255, -1)
    for y in (-0.14, 0.0, 0.14):
        cv2.ellipse(emblem, at(0, y - 0.10), (scaled(0.50), scaled(0.12)), 0, 25, 155, 0, scaled(0.030))
    cv2.fillConvexPoly(emblem, np.array([at(-0.24, -0.30), at(0.24, -0.30), at(0.12, -0.42), at(-0.12, -0.42)]), 255)
    cv2.circle(emblem, at(0, -0.49), scaled(0.065), 255, scaled(0.03))
    cv2.fillConvexPoly(emblem, np.array([at(-0.15, 0.31), at(0.15, 0.31), at(0.10, 0.38), at(-0.10, 0.38)]), 255)
    for x in (-0.07, 0.0, 0.07):
        cv2.line(emblem, at(x, 0.38), at(x * 1.5, 0.58), 255, scaled(0.030))
    return emblem


def build_mask() -> NDArray:
    """R field, G bands, B emblem, A pole; antialiased by drawing at four times the size."""
    factor = 4
    big = SIZE * factor
    left, top, right, bottom = CLOTH

    def point(s: float, t: float) -> list[float]:
        return [(left + (s + 1) / 2 * (right - left)) * big, (top + t * (bottom - top)) * big]

    def fill(polygons: list[list[tuple[float, float]]]) -> NDArray:
        plane = np.zeros((big, big), np.uint8)
        cv2.fillPoly(
            plane, [np.array([point(*p) for p in polygon]).round().astype(np.int32) for polygon in polygons], 255
        )
        return plane

    def chevron(at: float, thick: float) -> list[tuple[float, float]]:
        return [
            (-1.1, at + 0.16),
            (0, at - 0.06),
            (1.1, at + 0.16),
            (1.1, at + 0.16 + thick),
            (0, at - 0.06 + thick),
            (-1.1, at + 0.16 + thick),
        ]

    bands = fill(
        [chevron(0.66, 0.055), chevron(0.76, 0.025), [(-1.1, -0.05), (1.1, -0.05), (1.1, 0.085), (-1.1, 0.085)]]
    )
    emblem = _lantern_emblem(big, np.array(point(0, 0.36)), (right - left) * big * 0.5)
    pole = np.zeros((big, big), np.uint8)
    pole[:, int(0.85 * big) :] = 255
    planes = [cv2.resize(p, (SIZE, SIZE), interpolation=cv2.INTER_AREA).astype(np.int32) for p in (bands, emblem, pole)]
    planes[1] = np.minimum(planes[1], 255 - planes[0])
    field = np.clip(255 - planes[0] - planes[1] - planes[2], 0, 255)
    return np.stack([field, planes[0], planes[1], planes[2]], -1).astype(np.uint8)


def build() -> State:
    """The whole project."""
    s, t = _cloth_coordinates()
    v, u = np.mgrid[:SIZE, :SIZE]
    warp = 0.5 + 0.5 * np.cos(u * 2 * np.pi / 8)
    weft = 0.5 + 0.5 * np.cos(v * 2 * np.pi / 8)
    over = ((u // 8 + v // 8) % 2).astype(float)
    weave = over * warp + (1 - over) * weft
    slub = noise(SIZE, 4, 120, 50, 3)
    fade = smoothstep(0.1, 1.05, t)
    mask = build_mask()
    pole = mask[..., 3] / 255
    grain = noise(SIZE, 60, 5, 51, 3)
    gray = (0.58 + 0.20 * weave + 0.16 * (slub - 0.5)) * (1 - 0.10 * fade)
    gray = gray * (1 - pole) + pole * (0.55 + 0.4 * (grain - 0.5))
    folds = 0.72 + 0.28 * (0.5 + 0.5 * np.sin(4.6 * t + 1.6 * s + 0.8))
    openness = np.where(pole > 0.5, 0.9, folds)
    dust = np.clip(
        smoothstep(0.62, 1.0, t + 0.25 * (noise(SIZE, 6, 6, 52, 4) - 0.5)) * (0.3 + 0.7 * noise(SIZE, 50, 50, 53, 2)),
        0,
        1,
    ) * (1 - pole)
    colors = [hex_to_linear(c) for c in ("#b8352f", "#f2d9a2", "#f0b63e", "#8a6a4a")]
    tint = sum((mask[..., i : i + 1] / 255) * colors[i] for i in range(4))
    drift = np.stack([noise(SIZE, 8, 8, 60 + i, 3) for i in range(3)], -1)
    color = tint * gray[..., None] * (1 + 0.03 * (drift - 0.5))
    color = color * (1 - dust[..., None]) + hex_to_linear("#8d7c66") * dust[..., None]
    painted = np.round(encode_srgb(color * openness[..., None]) * 255).astype(np.uint8)
    state = asset.rename_project(State(), "Pennant")
    state = asset.set_mesh(state, build_mesh())
    height = 0.5 * slub * (1 - pole) + 0.3 * grain * pole
    for pixels, encoding, name in (
        (painted, Encoding.SRGB, "pennant-painted.png"),
        (mask, Encoding.DATA, "pennant-channels.png"),
        (normal_from_height(height, 0.5), Encoding.DATA, "pennant-normal.png"),
        (np.round(openness * 255).astype(np.uint8)[..., None], Encoding.DATA, "pennant-occlusion.png"),
        (np.round(dust * 255).astype(np.uint8)[..., None], Encoding.DATA, "pennant-dust-mask.png"),
    ):
        state = asset.add_texture(state, Raster(np.ascontiguousarray(pixels), encoding), name)
    hang = np.round(np.clip(t, 0, 1) * (1 - pole) * 255).astype(np.uint8)[..., None]
    state = asset.add_texture(state, Raster(np.ascontiguousarray(hang), Encoding.DATA), "pennant-hang.png", Role.DATA)
    state = asset.add_texture(state, Raster(_weave_tile(), Encoding.DATA), "weave-relief.png", Role.PATTERN)
    return with_variants(_make_recipe(_make_regions(state)), VARIANTS)


def _weave_tile() -> NDArray:
    """A tileable normal map of a plain weave, uint8 (32, 32, 3): four threads each way."""
    v, u = np.mgrid[:32, :32]
    warp, weft = 0.5 + 0.5 * np.cos((u + 0.5) * 2 * np.pi / 8), 0.5 + 0.5 * np.cos((v + 0.5) * 2 * np.pi / 8)
    over = ((u // 8 + v // 8) % 2).astype(float)
    height = np.tile(over * warp * (0.4 + 0.6 * weft) + (1 - over) * weft * (0.4 + 0.6 * warp), (3, 3))
    return np.ascontiguousarray(normal_from_height(height * 2.0, 0.4)[32:64, 32:64])


def _make_regions(state: State) -> State:
    texture = next(t for t in state.project.asset.textures if t.name == "pennant-channels.png")
    state = regions.regions_from_channels(state, texture.id)
    for region, name in zip(state.project.regions.regions, ("Field", "Bands", "Emblem", "Pole"), strict=True):
        state = regions.update_region(state, region.id, name=name)
    return state


def _make_recipe(state: State) -> State:
    state = tone.add_missing_tints(state)
    cloth = tuple(r.id for r in state.project.regions.regions if r.name != "Pole")
    state = recipe.add_step(state, "grade", cloth, step_id="step-age")
    state = recipe.update_step(state, "step-age", name="Bleach")
    state = parameters.name_input(state, "step-age", "saturation", "Bleach", "Age")
    state = _make_cloth(state, cloth)
    state = recipe.add_step(state, "cover", None, step_id="step-dust")
    state = recipe.update_step(state, "step-dust", name="Road dust")
    state = recipe.bind_input(state, "step-dust", "color", Binding(value="#8d7c66"))
    state = parameters.name_input(state, "step-dust", "amount", "Road dust", "Age")
    state = recipe.add_step(state, "shade", None, step_id="step-folds")
    state = recipe.update_step(state, "step-folds", name="Folds")
    return tone.compare_methods(tone.make_tone(state), ("fit", "bt601", "bt709", "lightness"))


def _make_cloth(state: State, cloth: tuple[str, ...]) -> State:
    """Every copy hangs in a slightly other dye, fades toward its foot, and is woven. The seeds leave the first copy as
    it is painted, since the tone is fitted to it."""
    named = {t.name: t.id for t in state.project.asset.textures}
    field = next(r.id for r in state.project.regions.regions if r.name == "Field")
    state = recipe.add_step(state, "hue_shift", (field,), step_id="step-dye")
    state = recipe.update_step(state, "step-dye", name="Dye of each copy")
    row = recipe.step_of(state.project.recipe, "step-dye").rows[0].id
    state = recipe.bind_input(state, "step-dye", "angle", Binding(pick=Pick(low=-9.0, high=9.0, seed=7)), row)
    state = recipe.bind_input(state, "step-dye", "saturation", Binding(pick=Pick(low=0.88, high=1.06, seed=371)))
    state = recipe.add_step(state, "fade", cloth, step_id="step-hang")
    state = recipe.update_step(state, "step-hang", name="Fade to the foot")
    row = recipe.step_of(state.project.recipe, "step-hang").rows[0].id
    for key, value in (("root", "#ffffff"), ("tip", "#d9c3a0"), ("gradient", f"{named['pennant-hang.png']}:0")):
        state = recipe.bind_input(state, "step-hang", key, Binding(value=value), row)
    for key, number in (("start", 0.35), ("power", 1.6), ("keep", 1.0)):
        state = recipe.bind_input(state, "step-hang", key, Binding(value=number))
    state = parameters.name_input(state, "step-hang", "tip", "Foot of the cloth", "Age", row)
    state = recipe.add_step(state, "normal_detail", cloth, step_id="step-weave")
    state = recipe.update_step(state, "step-weave", name="Weave")
    state = recipe.bind_input(state, "step-weave", "detail", Binding(value=named["weave-relief.png"]))
    state = recipe.bind_input(state, "step-weave", "detail_placed", Binding(value="scale=28"))
    return recipe.bind_input(state, "step-weave", "strength", Binding(value=0.8))


VARIANTS = {
    "Market Red": {},
    "River Stall": {"Field tint": "#2c6d8f", "Bands tint": "#dfe8ea", "Emblem tint": "#f6d98b"},
    "Tea Quarter": {"Field tint": "#3f7d4e", "Bands tint": "#f1e3b4", "Emblem tint": "#c2452f", "Pole tint": "#4a3a2c"},
    "Night Row": {"Field tint": "#473a78", "Bands tint": "#e0963e", "Emblem tint": "#f7f0dc", "Bleach": 0.8},
}
