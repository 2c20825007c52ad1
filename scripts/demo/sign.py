"""Stall Sign: a painted board with worn edges in a wooden frame, its boards from an atlas, its finish from a packed
map."""

from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.baking.bake import BakeWish, bake
from evenpalette.core.baking.kinds import bake_kind
from evenpalette.core.color.encoding import encode_srgb
from evenpalette.core.color.hexcode import hex_to_linear, parse_hex
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits import asset, parameters, recipe, tone
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.read import parse_mesh
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.mesh.topology import find_topology
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.binding import bind_recipe
from evenpalette.core.recipe.evaluate import evaluate
from evenpalette.core.recipe.recipe import Binding

from .common import regions_of_flags, with_variants
from .pattern import noise, normal_from_height, smoothstep
from .shapes import ObjWriter, Rect, rect_uv, tube

SIZE = 1024
WIDE, HIGH, THICK = 1.25, 0.78, 0.05
FRONT: Rect = (0.02, 0.02, 0.98, 0.62)
BACK: Rect = (0.02, 0.66, 0.50, 0.96)
FRAME: Rect = (0.54, 0.66, 0.98, 0.80)
IRON: Rect = (0.54, 0.84, 0.98, 0.98)
FLAGS = {
    "Board": "#ff0000",
    "Border": "#00ff00",
    "Emblem": "#0000ff",
    "Back": "#ffff00",
    "Frame": "#00ffff",
    "Iron": "#ff00ff",
}
TINTS = {
    "Board": "#2f6f73",
    "Border": "#d8b15a",
    "Emblem": "#f0dfb8",
    "Back": "#8a6a48",
    "Frame": "#5a3f2c",
    "Iron": "#4b4d50",
}
PLANKS = 5


def _cell(rect: Rect, index: int, count: int) -> Rect:
    """One of several equal strips of a rectangle, with a little room between them."""
    left, top, right, bottom = rect
    high = (bottom - top) / count
    return left, top + index * high, right, top + (index + 1) * high - 0.008


def build_mesh() -> Mesh:
    """A board, a frame of four bars around it, two rings and a bar to hang from. y is up, the front looks along +z."""
    obj = ObjWriter()
    obj.group("Board")
    x, y = np.meshgrid(np.linspace(-WIDE, WIDE, 17), np.linspace(HIGH, -HIGH, 11))
    obj.grid(np.stack([x, y, np.full_like(x, THICK)], -1), rect_uv(FRONT, 11, 17))
    obj.group("Back")
    obj.grid(np.stack([-x, y, np.full_like(x, -THICK)], -1), rect_uv(BACK, 11, 17))
    obj.group("Frame")
    bars = (
        ((-WIDE, HIGH), (WIDE, HIGH)),
        ((WIDE, -HIGH), (-WIDE, -HIGH)),
        ((-WIDE, -HIGH), (-WIDE, HIGH)),
        ((WIDE, HIGH), (WIDE, -HIGH)),
    )
    for index, (start, end) in enumerate(bars):
        t = np.linspace(-0.02, 1.02, 13)[:, None]
        path = np.concatenate([np.array(start) * (1 - t) + np.array(end) * t, np.zeros((13, 1))], -1)
        obj.grid(tube(path, 0.085, 12), rect_uv(_cell(FRAME, index, 4), 13, 13))
    obj.group("Iron")
    path = np.stack([np.linspace(-1.5, 1.5, 17), np.full(17, HIGH + 0.42), np.zeros(17)], -1)
    obj.grid(tube(path, 0.045, 12), rect_uv(_cell(IRON, 0, 3), 17, 13))
    for index, at in enumerate((-0.8, 0.8)):
        angles = np.linspace(0, 2 * np.pi, 25)
        ring = np.stack(
            [np.full(25, at) + 0.02 * np.sin(angles), HIGH + 0.25 + 0.215 * np.cos(angles), 0.12 * np.sin(angles)], -1
        )
        obj.grid(tube(ring, 0.028, 10), rect_uv(_cell(IRON, index + 1, 3), 25, 11))
    return parse_mesh(obj.text(), "stall-sign.obj")


def _emblem(big: int) -> NDArray:
    """A tea bowl with steam between two leaves, drawn large, uint8 (big, big)."""
    plane = np.zeros((big, big), np.uint8)
    left, top, right, bottom = FRONT
    unit = (bottom - top) * big * 0.36
    center = np.array([(left + right) / 2 * big, (top + 0.56 * (bottom - top)) * big])

    def at(x: float, y: float) -> tuple[int, int]:
        return int(center[0] + x * unit), int(center[1] + y * unit)

    def scaled(v: float) -> int:
        return max(1, int(v * unit))

    cv2.ellipse(plane, at(0, 0.10), (scaled(0.72), scaled(0.62)), 0, 0, 180, 255, -1)
    cv2.ellipse(plane, at(0, 0.10), (scaled(0.56), scaled(0.10)), 0, 0, 360, 0, -1)
    cv2.fillPoly(plane, [np.array([at(-0.30, 0.66), at(0.30, 0.66), at(0.38, 0.80), at(-0.38, 0.80)])], 255)
    for x in (-0.32, 0.0, 0.32):
        t = np.linspace(0, 1, 40)
        wave = np.array([at(x + 0.09 * np.sin(7 * s + 9 * x), -0.12 - 0.62 * s) for s in t])
        cv2.polylines(plane, [wave], False, 255, scaled(0.085), cv2.LINE_AA)
    for side in (-1, 1):
        t = np.linspace(0, 1, 30)
        bow = 0.24 * np.sin(np.pi * t)
        leaf = [at(side * (1.15 + 0.75 * s), 0.32 - 0.55 * s - b) for s, b in zip(t, bow, strict=True)]
        leaf += [
            at(side * (1.15 + 0.75 * s), 0.32 - 0.55 * s + b * 0.7) for s, b in zip(t[::-1], bow[::-1], strict=True)
        ]
        cv2.fillPoly(plane, [np.array(leaf)], 255)
        cv2.line(plane, at(side * 1.15, 0.32), at(side * 1.78, -0.14), 0, scaled(0.035))
    return plane


def build_id_map() -> NDArray:
    """Flag colors without soft edges, uint8 (SIZE, SIZE, 3); what is on no island carries its neighbor's."""
    v, u = (np.mgrid[:SIZE, :SIZE] + 0.5) / SIZE
    found = np.zeros((SIZE, SIZE, 3), np.uint8)
    found[:] = parse_hex(FLAGS["Board"])
    found[v > 0.64] = parse_hex(FLAGS["Back"])
    found[(v > 0.64) & (u > 0.52)] = parse_hex(FLAGS["Frame"])
    found[(v > 0.82) & (u > 0.52)] = parse_hex(FLAGS["Iron"])
    left, top, right, bottom = FRONT
    x, y = (u - left) / (right - left), (v - top) / (bottom - top)
    edge = np.minimum(np.minimum(x, 1 - x) * 2 * WIDE, np.minimum(y, 1 - y) * 2 * HIGH)
    found[(v < 0.64) & (edge > 0.15) & (edge < 0.21)] = parse_hex(FLAGS["Border"])
    emblem = cv2.resize(_emblem(SIZE * 4), (SIZE, SIZE), interpolation=cv2.INTER_AREA) > 127
    found[emblem] = parse_hex(FLAGS["Emblem"])
    return found


def build_atlas() -> NDArray:
    """Four boards, 2 by 2, uint8 gray-brown (384, 384, 3): grain along u, each tileable in itself."""
    side, rows = 192, []
    for first in (0, 2):
        row = []
        for k in (first, first + 1):
            grain = noise(side, 2 + k, 20 + 6 * k, 80 + k, 4)
            rings = 0.5 + 0.5 * np.sin(
                2 * np.pi * (np.arange(side)[:, None] / side * (2 + k) + 0.9 * noise(side, 2, 3, 90 + k, 2))
            )
            light = 0.76 + 0.10 * (grain - 0.5) + 0.04 * (rings - 0.5) + 0.03 * k
            warm = np.array([1.0, 0.97 - 0.01 * k, 0.92 - 0.02 * k])
            row.append(np.clip(light[..., None] * warm, 0, 1))
        rows.append(np.concatenate(row, 1))
    return np.round(encode_srgb(np.concatenate(rows, 0).astype(np.float32)) * 255).astype(np.uint8)


def build() -> State:
    """The whole project."""
    mesh = build_mesh()
    v, u = (np.mgrid[:SIZE, :SIZE] + 0.5) / SIZE
    id_map = build_id_map()
    is_ = {name: (id_map == np.array(parse_hex(flag))).all(-1) for name, flag in FLAGS.items()}
    front = v < 0.64
    _, top, _, bottom = FRONT
    across = (v - top) / (bottom - top) * PLANKS
    groove = np.where(front, smoothstep(0.0, 0.05, np.abs(across - np.round(across))), 1.0)
    groove = np.where(
        is_["Back"],
        smoothstep(0.0, 0.05, np.abs((v - BACK[1]) / (BACK[3] - BACK[1]) * PLANKS % 1 - 0.5) * 2 % 1),
        groove,
    )
    grain = noise(SIZE, 5, 90, 70, 4)
    raised = cv2.GaussianBlur((is_["Emblem"] | is_["Border"]).astype(np.float32), (0, 0), 1.6)
    height = 0.8 * groove + 0.10 * (grain - 0.5) + 0.35 * raised
    occlusion = bake_kind("occlusion")
    wish = BakeWish(occlusion, occlusion.values({"rays": 64, "reach": 0.3}))
    openness = bake(wish, Texels(mesh, find_topology(mesh), (512, 512))).values[..., 0]
    openness = cv2.resize(cv2.GaussianBlur(openness, (0, 0), 1.5), (SIZE, SIZE), interpolation=cv2.INTER_CUBIC)
    openness = np.clip(0.3 + 0.74 * openness, 0, 1) * (0.85 + 0.15 * groove)
    worn = build_worn(u, v, groove, front)
    gray = np.clip(0.66 + 0.22 * (grain - 0.5) + 0.05 * raised, 0.05, 1) * (0.78 + 0.22 * groove)
    tint = sum(mask[..., None] * hex_to_linear(TINTS[name]) for name, mask in is_.items())
    drift = np.stack([noise(SIZE, 7, 7, 72 + k, 3) for k in range(3)], -1)
    color = tint * gray[..., None] * (1 + 0.04 * (drift - 0.5))
    color = (
        color * (1 - worn[..., None])
        + hex_to_linear("#9a7b56") * (1 + 0.12 * (grain[..., None] - 0.5)) * worn[..., None]
    )
    painted = np.round(encode_srgb((color * openness[..., None]).astype(np.float32)) * 255).astype(np.uint8)
    rough = np.where(
        is_["Iron"], 0.42, np.where(is_["Emblem"] | is_["Border"], 0.30, np.where(is_["Board"], 0.46, 0.72))
    )
    rough = np.clip(rough + 0.22 * (noise(SIZE, 12, 30, 75, 4) - 0.5) + 0.3 * worn, 0.05, 1)
    metal = np.where(is_["Iron"], 1.0, np.where(is_["Border"], 0.75, 0.0)) * (1 - worn)
    packed = np.round(np.stack([openness, rough, metal], -1) * 255).astype(np.uint8)
    state = asset.rename_project(State(), "Stall Sign")
    state = asset.set_mesh(state, mesh)
    for pixels, name, role in (
        (painted, "sign-painted.png", Role.PAINTED), (id_map, "sign-id.png", Role.ID_MAP), (normal_from_height(height, 0.9), "sign-normal.png", Role.NORMAL),
        (packed, "sign-finish.png", Role.DATA), (np.round(worn * 255).astype(np.uint8)[..., None], "sign-worn.png", Role.MASK),
        (build_atlas(), "boards-atlas.png", Role.COLOR), (_relief(), "wood-relief.png", Role.PATTERN),
    ):  # fmt: skip
        encoding = Encoding.SRGB if role in (Role.PAINTED, Role.COLOR) else Encoding.DATA
        state = asset.add_texture(state, Raster(np.ascontiguousarray(pixels), encoding), name, role)
    return with_variants(_make_recipe(regions_of_flags(state, "sign-id.png", FLAGS)), VARIANTS)


def build_worn(u: NDArray, v: NDArray, groove: NDArray, front: NDArray) -> NDArray:
    """Where paint has gone, 0..1: along the rim, the plank edges and in flakes."""
    left, top, right, bottom = FRONT
    x, y = (u - left) / (right - left), (v - top) / (bottom - top)
    rim = 1 - np.clip(np.minimum(np.minimum(x, 1 - x) * 2 * WIDE, np.minimum(y, 1 - y) * 2 * HIGH) / 0.5, 0, 1)
    flakes, fine = noise(SIZE, 10, 20, 76, 4), noise(SIZE, 36, 54, 77, 3)
    amount = 0.50 * rim**2 + 0.34 * (1 - groove) + 0.30 * (flakes - 0.5) + 0.12 * (fine - 0.5)
    return np.where(front, smoothstep(0.28, 0.46, amount), 0.0)


def _relief() -> NDArray:
    """A tileable normal map of bare wood, uint8 (128, 128, 3)."""
    return normal_from_height(noise(128, 2, 22, 78, 3) * 1.2, 1.0)


def _make_recipe(state: State) -> State:
    named = {t.name: t.id for t in state.project.asset.textures}
    region = {r.name: r.id for r in state.project.regions.regions}
    state = tone.add_missing_tints(state)
    state = recipe.add_step(state, "tile", (region["Board"], region["Back"]), step_id="step-boards")
    state = recipe.update_step(state, "step-boards", name="Boards")
    row = recipe.step_of(state.project.recipe, "step-boards").rows[0].id
    for key, value in (
        ("atlas", named["boards-atlas.png"]),
        ("atlas_placed", f"scale=2,{PLANKS}"),
        ("tint", "#fff4e4"),
    ):
        state = recipe.bind_input(state, "step-boards", key, Binding(value=value), row)
    for key, number in (
        ("columns", 2.0),
        ("rows", 2.0),
        ("count", 4.0),
        ("seed", 3.0),
        ("soften", 0.04),
        ("keep", 1.0),
    ):
        state = recipe.bind_input(state, "step-boards", key, Binding(value=number))
    state = parameters.name_input(state, "step-boards", "seed", "Order of boards", "Wood")
    state = _on_boards(state)
    state = recipe.add_step(state, "finish_map", None, step_id="step-finish")
    state = recipe.update_step(state, "step-finish", name="Finish")
    line = recipe.step_of(state.project.recipe, "step-finish").rows[0].id
    for key, channel in (("roughness_map", 1), ("metallic_map", 2)):
        state = recipe.bind_input(
            state, "step-finish", key, Binding(value=f"{named['sign-finish.png']}:{channel}"), line
        )
    state = recipe.bind_input(state, "step-finish", "roughness_high", Binding(value=1.0))
    state = parameters.name_input(state, "step-finish", "roughness_high", "Roughness", "Wood")
    state = recipe.add_step(state, "cover", None, step_id="step-worn")
    state = recipe.update_step(state, "step-worn", name="Worn edges")
    for key, text in (
        ("color", "#9a7b56"),
        ("mask", f"{named['sign-worn.png']}:0"),
        ("detail", named["wood-relief.png"]),
        ("detail_placed", "scale=4,6"),
    ):
        state = recipe.bind_input(state, "step-worn", key, Binding(value=text))
    for key, number in (("roughness", 0.85), ("levels", 0.7), ("strength", 1.0)):
        state = recipe.bind_input(state, "step-worn", key, Binding(value=number))
    state = recipe.bind_input(state, "step-worn", "finish", Binding(value=True))
    state = parameters.name_input(state, "step-worn", "color", "Bare wood", "Wear")
    state = parameters.name_input(state, "step-worn", "amount", "Wear", "Wear")
    state = recipe.add_step(state, "shade", None, step_id="step-shade")
    state = recipe.bind_input(state, "step-shade", "occlusion", Binding(value=f"{named['sign-finish.png']}:0"))
    return tone.compare_methods(tone.make_tone(state), ("fit", "bt601", "bt709", "lightness"))


def _on_boards(state: State) -> State:
    """The painted texture with the boards of the recipe in it, as if it had been painted on them: the tone would
    otherwise carry their opposite."""
    project, painted = state.project, state.project.tone.painted
    assert painted is not None
    boards = project.recipe.model_copy(update={"steps": (recipe.step_of(project.recipe, "step-boards"),)})
    values = {p.id: p.default for p in project.recipe.parameters}
    white = replace(state.sources, base=Raster(np.ones((SIZE, SIZE, 1), np.float32), Encoding.DATA))
    shade = evaluate(bind_recipe(boards, state.region_ids, values), white, float_output=True).pixels
    worn = next(state.textures[t.id] for t in project.asset.textures if t.name == "sign-worn.png").as_unit()
    color = state.textures[painted].as_linear_rgb() * (1 + (shade - 1) * (1 - worn))
    return asset.replace_texture(
        state, painted, Raster(np.round(encode_srgb(color.astype(np.float32)) * 255).astype(np.uint8), Encoding.SRGB)
    )


VARIANTS: dict[str, dict[str, object]] = {
    "Tea Bowl": {},
    "Red Kettle": {"Board tint": "#a03a30", "Border tint": "#e4c472", "Emblem tint": "#f6e8c4", "Wear": 0.9},
    "Night Brew": {
        "Board tint": "#27304e",
        "Border tint": "#b9bec8",
        "Emblem tint": "#ffd98a",
        "Frame tint": "#2e2a2c",
        "Order of boards": 7.0,
    },
    "Mint House": {
        "Board tint": "#8fbfa0",
        "Border tint": "#5b7a54",
        "Emblem tint": "#3c5a48",
        "Frame tint": "#b08a5c",
        "Wear": 0.8,
    },
    "Old Quay": {
        "Board tint": "#6d7f86",
        "Border tint": "#8c7a58",
        "Emblem tint": "#d9d2bd",
        "Wear": 1.0,
        "Roughness": 1.0,
    },
    "New Paint": {
        "Board tint": "#d9a23a",
        "Border tint": "#7a2f2a",
        "Emblem tint": "#5c2320",
        "Wear": 0.45,
        "Roughness": 0.6,
    },
}
