"""Moth Lantern: lathed paper body, brass frame, cap, tassel, base ring, knot; a moth painted on the paper."""

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import encode_srgb
from evenpalette.core.color.hexcode import hex_to_linear, parse_hex
from evenpalette.core.document.state import State
from evenpalette.core.edits import asset, bakes, parameters, recipe, tone, variants
from evenpalette.core.files import safe_name
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.read import parse_mesh
from evenpalette.core.raster.padding import nearest_covered
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.recipe import Binding
from evenpalette.core.recipe.steps import KINDS

from .common import regions_of_flags
from .pattern import noise, normal_from_height, smoothstep
from .shapes import ObjWriter, lathe, rect_uv, tube

SIZE = 1024
PANELS = 8
#: A texel of the paper is this much wider than high on the model; what is painted on it must be drawn that much higher.
TALL = 2.5
RECTS = {
    "Paper": (0.015, 0.015, 0.645, 0.615),
    "Frame": (0.665, 0.015, 0.985, 0.315),
    "Cap": (0.665, 0.335, 0.985, 0.615),
    "Tassel": (0.015, 0.635, 0.325, 0.985),
    "Base ring": (0.345, 0.635, 0.645, 0.985),
    "Knot": (0.665, 0.635, 0.985, 0.985),
}
FLAGS = {
    "Paper": "#ff0000", "Frame": "#00ff00", "Cap": "#0000ff", "Tassel": "#ffff00",
    "Base ring": "#00ffff", "Knot": "#ff00ff", "Moth": "#ffffff",
}  # fmt: skip
TINTS = {
    "Paper": "#ee7a3c", "Frame": "#c99a4e", "Cap": "#2f5f7c", "Tassel": "#cf2f4e",
    "Base ring": "#6d5648", "Knot": "#efc152", "Moth": "#fbe3b8",
}  # fmt: skip


def _body_profile(count: int) -> list[tuple[float, float]]:
    t = np.linspace(0, 1, count)
    height = 1.0 - 2.0 * t
    radius = 0.36 + 0.80 * np.sin(np.pi * (0.06 + 0.88 * t)) ** 0.62
    return list(zip(radius, height, strict=True))


def build_mesh() -> Mesh:
    """The lantern as an OBJ mesh with six material groups."""
    obj = ObjWriter()
    obj.group("Paper")
    body = lathe(_body_profile(25), 96, bulge=0.055, lobes=PANELS)
    obj.grid(body, rect_uv(RECTS["Paper"], 25, 97), closed=True)
    obj.group("Frame")
    left, top, right, bottom = RECTS["Frame"]
    rings = [(0.50, 1.0), (1.165, 0.32), (1.165, -0.32), (0.50, -1.0)]
    ring_height = (bottom - top) * 0.125
    for index, (radius, height) in enumerate(rings):
        section = [(radius + 0.035 * np.cos(a), height + 0.035 * np.sin(a)) for a in np.linspace(np.pi, -np.pi, 9)]
        y = top + index * (ring_height + 0.006)
        obj.grid(lathe(section, 64), rect_uv((left, y, right, y + ring_height), 9, 65), closed=True)
    start = top + 4 * (ring_height + 0.006)
    rib_width = (right - left) / PANELS
    profile = np.array(_body_profile(25))
    for rib in range(PANELS):
        angle = 2 * np.pi * rib / PANELS
        path = np.stack(
            [(profile[:, 0] + 0.008) * np.sin(angle), profile[:, 1], (profile[:, 0] + 0.008) * np.cos(angle)], -1
        )
        x = left + rib * rib_width
        obj.grid(tube(path, 0.022, 6), rect_uv((x, start, x + rib_width - 0.006, bottom), 25, 7))
    obj.group("Cap")
    cap = [
        (0.05, 1.62),
        (0.13, 1.60),
        (0.16, 1.50),
        (0.17, 1.36),
        (0.30, 1.25),
        (0.52, 1.17),
        (0.70, 1.07),
        (0.74, 1.02),
        (0.70, 0.98),
        (0.40, 0.97),
    ]
    obj.grid(lathe(cap, 64), rect_uv(RECTS["Cap"], len(cap), 65), closed=True)
    obj.group("Base ring")
    base = [
        (0.40, -0.97),
        (0.58, -0.99),
        (0.62, -1.05),
        (0.58, -1.13),
        (0.44, -1.17),
        (0.30, -1.25),
        (0.12, -1.29),
        (0.02, -1.30),
    ]
    obj.grid(lathe(base, 64), rect_uv(RECTS["Base ring"], len(base), 65), closed=True)
    obj.group("Tassel")
    tassel = [
        (0.03, -1.42),
        (0.10, -1.45),
        (0.115, -1.53),
        (0.085, -1.58),
        (0.12, -1.66),
        (0.165, -1.90),
        (0.20, -2.14),
        (0.17, -2.16),
        (0.02, -2.12),
    ]
    obj.grid(lathe(tassel, 48, bulge=0.10, lobes=24), rect_uv(RECTS["Tassel"], len(tassel), 49), closed=True)
    obj.group("Knot")
    left, top, right, bottom = RECTS["Knot"]
    middle = (top + bottom) / 2
    ball = [(0.10 * np.sin(a) + 0.004, -1.36 + 0.085 * np.cos(a)) for a in np.linspace(0.02, np.pi - 0.02, 11)]
    obj.grid(lathe(ball, 32), rect_uv((left, top, right, middle - 0.006), 11, 33), closed=True)
    angles = np.linspace(0, 2 * np.pi, 41)
    loop = np.stack([0.17 * np.sin(angles), 1.77 + 0.17 * np.cos(angles), 0.02 * np.sin(2 * angles)], -1)
    obj.grid(tube(loop, 0.035, 8), rect_uv((left, middle + 0.006, right, bottom), 41, 9))
    return parse_mesh(obj.text(), "moth-lantern.obj")


def _grid() -> tuple[NDArray, NDArray]:
    v, u = np.mgrid[:SIZE, :SIZE]
    return (u + 0.5) / SIZE, (v + 0.5) / SIZE


def _local(rect: tuple[float, float, float, float]) -> tuple[NDArray, NDArray]:
    u, v = _grid()
    return (u - rect[0]) / (rect[2] - rect[0]), (v - rect[1]) / (rect[3] - rect[1])


def _moth_mask(factor: int = 4) -> NDArray:
    """Moths on every second panel, antialiased, 0..1."""
    big = np.zeros((SIZE * factor // 2, SIZE * factor // 2), np.uint8)
    left, top, right, bottom = RECTS["Paper"]
    scale = big.shape[0]
    panel = (right - left) / PANELS

    def at(points: list[tuple[float, float]], side: int, cx: float, cy: float, s: float) -> NDArray:
        return (
            np.array([[(cx + side * x * s) * scale, (cy + y * s * TALL) * scale] for x, y in points])
            .round()
            .astype(np.int32)
        )

    fore = [
        (0.02, -0.10),
        (0.22, -0.40),
        (0.58, -0.62),
        (0.95, -0.62),
        (0.90, -0.36),
        (0.70, -0.10),
        (0.42, 0.04),
        (0.05, 0.06),
    ]
    hind = [(0.05, 0.05), (0.40, 0.08), (0.62, 0.22), (0.56, 0.48), (0.34, 0.66), (0.20, 0.50), (0.06, 0.26)]
    for index in range(PANELS):
        if index % 2:
            continue
        cx, cy, s = left + (index + 0.5) * panel, (top + bottom) / 2 - 0.004, panel * 0.43
        for side in (-1, 1):
            cv2.fillPoly(big, [at(fore, side, cx, cy, s)], 255)
            cv2.fillPoly(big, [at(hind, side, cx, cy, s)], 255)
            center = tuple(int(v) for v in at([(0.60, -0.40)], side, cx, cy, s)[0])
            cv2.ellipse(big, center, (int(0.095 * s * scale), int(0.095 * s * TALL * scale)), 0, 0, 360, 0, -1)
            feeler = at([(0.02, -0.20), (0.10, -0.42), (0.24, -0.58)], side, cx, cy, s)
            cv2.polylines(big, [feeler], False, 255, max(2, int(0.085 * s * scale)))
        body = tuple(int(v) for v in at([(0.0, 0.06)], 1, cx, cy, s)[0])
        cv2.ellipse(big, body, (int(0.085 * s * scale), int(0.36 * s * TALL * scale)), 0, 0, 360, 255, -1)
    big = cv2.GaussianBlur(big, (0, 0), 2.2)
    big = np.where(big > 110, 255, 0).astype(np.uint8)
    return cv2.resize(big, (SIZE, SIZE), interpolation=cv2.INTER_AREA).astype(np.float64) / 255


def build_id_map() -> NDArray:
    """Flag colors, islands grown until they meet, so that no mip level mixes nothing in; the moths with antialiased
    edges, as a resized ID image has them."""
    image = np.zeros((SIZE, SIZE, 3))
    for name, (left, top, right, bottom) in RECTS.items():
        color = [int(FLAGS[name][i : i + 2], 16) for i in (1, 3, 5)]
        pad = 8
        image[
            int(top * SIZE) - pad : int(bottom * SIZE) + pad + 1, int(left * SIZE) - pad : int(right * SIZE) + pad + 1
        ] = color
    image = image.reshape(-1, 3)[nearest_covered(image.max(-1) > 0, SIZE)]
    moth = _moth_mask()[..., None]
    image = image * (1 - moth) + 255 * moth
    return np.round(image).astype(np.uint8)


def build_detail() -> tuple[NDArray, NDArray]:
    """The painter's light and dark, 0..1 linear, and a height for the normal map."""
    gray, height = np.full((SIZE, SIZE), 0.7), np.zeros((SIZE, SIZE))
    fibers = noise(SIZE, 60, 14, 1, 4)
    long_fibers = noise(SIZE, 90, 4, 2, 3)
    speckle = noise(SIZE, 90, 90, 3, 2)
    for name, rect in RECTS.items():
        x, y = _local(rect)
        inside = (x > -0.05) & (x < 1.05) & (y > -0.05) & (y < 1.05)
        if name == "Paper":
            across = np.abs(((x * PANELS) % 1) - 0.5) * 2
            glow = 0.62 + 0.38 * np.exp(-(((y - 0.52) / 0.34) ** 2)) * (1 - 0.35 * across**2)
            crease = smoothstep(0.86, 1.0, across) * 0.10
            g = glow * (0.90 + 0.14 * (fibers - 0.5) + 0.10 * smoothstep(0.72, 0.95, long_fibers)) - crease
            h = fibers * 0.5 + smoothstep(0.7, 0.95, long_fibers) * 0.5
        elif name == "Frame":
            brushed = noise(SIZE, 6, 220, 5, 2)
            edge = np.abs(((y * 8) % 1) - 0.5) * 2
            g = 0.60 + 0.24 * (brushed - 0.5) + 0.18 * smoothstep(0.3, 0.0, edge) - 0.12 * smoothstep(0.8, 1.0, edge)
            h = brushed * 0.35
        elif name == "Cap":
            dents = noise(SIZE, 26, 26, 6, 1)
            rings = 0.5 + 0.5 * np.cos(y * 2 * np.pi * 9)
            g = (
                0.58
                + 0.34 * (dents - 0.5)
                + 0.06 * rings
                + 0.08 * smoothstep(0.66, 0.74, y) * smoothstep(0.86, 0.78, y)
            )
            h = dents * 1.2 + rings * 0.25
        elif name == "Tassel":
            strands = 0.5 + 0.5 * np.cos(x * 2 * np.pi * 48 + 2.0 * (noise(SIZE, 10, 4, 7, 2) - 0.5))
            g = 0.46 + 0.34 * strands + 0.22 * (noise(SIZE, 160, 6, 8, 2) - 0.5)
            wrap = smoothstep(0.24, 0.25, y) * smoothstep(0.41, 0.40, y)
            g = g * (1 - wrap) + wrap * (0.55 + 0.25 * np.cos(y * 2 * np.pi * 60))
            h = strands * 0.9
        elif name == "Base ring":
            grain = noise(SIZE, 5, 44, 9, 3)
            lines = 0.5 + 0.5 * np.cos((y * 26 + 5 * (grain - 0.5)) * 2 * np.pi)
            g = 0.50 + 0.20 * lines + 0.28 * (grain - 0.5)
            h = lines * 0.5
        else:
            rope = 0.5 + 0.5 * np.cos((x * 14 + y * 22) * 2 * np.pi)
            g = 0.52 + 0.32 * rope + 0.12 * (speckle - 0.5)
            h = rope * 1.6
        gray[inside], height[inside] = g[inside], h[inside]
    moth = _moth_mask()
    _left, _top, _right, _bottom = RECTS["Paper"]
    x, _ = _local(RECTS["Paper"])
    u = ((x * PANELS) % 1) - 0.5
    veins = 0.5 + 0.5 * np.cos(np.abs(u) * 90 + 6 * (fibers - 0.5))
    painted = 0.78 + 0.14 * veins - 0.22 * smoothstep(0.08, 0.0, np.abs(u)) + 0.10 * (fibers - 0.5)
    gray = gray * (1 - moth) + painted * moth
    return np.clip(gray + 0.05 * (speckle - 0.5), 0.03, 1.0), height


def build_soot(openness: NDArray) -> NDArray:
    """Soot gathers under the cap, at the foot, and in corners, 0..1."""
    wisps, grain = noise(SIZE, 7, 5, 20, 4), noise(SIZE, 70, 70, 21, 3)
    soot = np.zeros((SIZE, SIZE))
    for name, rect in RECTS.items():
        x, y = _local(rect)
        inside = (x > -0.05) & (x < 1.05) & (y > -0.05) & (y < 1.05)
        if name == "Paper":
            value = 1.05 * smoothstep(0.30, 0.0, y + 0.16 * (wisps - 0.5)) + 0.40 * smoothstep(
                0.90, 1.02, y + 0.10 * (wisps - 0.5)
            )
        elif name == "Cap":
            value = 0.85 * smoothstep(0.55, 0.95, y + 0.5 * (wisps - 0.5)) + 0.35 * smoothstep(0.62, 0.8, wisps)
        else:
            value = 0.55 * smoothstep(0.55, 0.85, wisps)
        soot[inside] = value[inside]
    corners = smoothstep(0.75, 0.35, openness)
    soot = np.clip(soot * (0.55 + 0.75 * (grain - 0.25)) + 0.30 * corners * wisps, 0, 1)
    return cv2.GaussianBlur(soot, (0, 0), 0.8)


def paint(gray: NDArray, id_map: NDArray, soot: NDArray, openness: NDArray) -> NDArray:
    """The painted original, 8-bit sRGB: tint times gray in linear light, a little hue drift, soot, occlusion."""
    flags = {name: np.array([int(FLAGS[name][i : i + 2], 16) for i in (1, 3, 5)]) for name in FLAGS}
    moth = _moth_mask()[..., None]
    tint, filled = np.ones((SIZE, SIZE, 3)), np.zeros((SIZE, SIZE), bool)
    for name, rect in RECTS.items():
        left, top, right, bottom = rect
        pad = 8
        block = np.s_[
            int(top * SIZE) - pad : int(bottom * SIZE) + pad + 1, int(left * SIZE) - pad : int(right * SIZE) + pad + 1
        ]
        assert (id_map[block][0, 0] == flags[name]).all()
        tint[block], filled[block] = hex_to_linear(TINTS[name]), True
    tint = tint.reshape(-1, 3)[nearest_covered(filled, SIZE)]
    tint = tint * (1 - moth) + hex_to_linear(TINTS["Moth"]) * moth
    drift = np.stack([noise(SIZE, 9, 9, 30 + i, 3) for i in range(3)], -1)
    color = tint * gray[..., None] * (1 + 0.035 * (drift - 0.5))
    color = color * (1 - soot[..., None]) + hex_to_linear("#241d18") * soot[..., None]
    return np.round(encode_srgb(color * openness[..., None]) * 255).astype(np.uint8)


def build_glow(id_map: np.ndarray, gray: np.ndarray) -> np.ndarray:
    """Where the flame shines through, uint8: brightest in the middle of a paper panel, dim through the painted moth."""
    paper, moth = ((id_map == np.array(parse_hex(FLAGS[name]))).all(-1) for name in ("Paper", "Moth"))
    inside = cv2.distanceTransform((paper | moth).astype(np.uint8), cv2.DIST_L2, 5)
    depth = np.clip(inside / np.percentile(inside[inside > 0], 98), 0, 1)
    through = np.where(moth, 0.30, 1.0) * (paper | moth)
    light = (0.35 + 0.65 * smoothstep(0.0, 1.0, depth)) * cv2.GaussianBlur(through.astype(np.float32), (0, 0), 1.5)
    return np.round(np.clip(light * (0.7 + 0.3 * gray / gray.max()) * (paper | moth), 0, 1) * 255).astype(np.uint8)


def build() -> State:
    """The whole project."""
    mesh = build_mesh()
    state = asset.set_mesh(asset.rename_project(State(), "Moth Lantern"), mesh)
    state, baked = bakes.bake_now(
        state, "occlusion", {"rays": 64, "reach": 0.17}, size=SIZE, name="lantern-occlusion", ramp={"strength": 0.75},
    )  # fmt: skip
    occlusion = state.textures[baked].as_unit()[..., 0]
    openness = np.clip((occlusion - 0.25) / 0.75, 0, 1)
    id_map = build_id_map()
    gray, height = build_detail()
    soot = np.round(build_soot(openness) * 255).astype(np.uint8)
    painted = paint(gray, id_map, soot / 255.0, occlusion)
    state = asset.add_texture(state, Raster(painted, Encoding.SRGB), "lantern-painted.png")
    state = asset.add_texture(state, Raster(id_map, Encoding.DATA), "lantern-id.png")
    state = asset.add_texture(state, Raster(normal_from_height(height, 0.55), Encoding.DATA), "lantern-normal.png")
    state = asset.add_texture(state, Raster.gray(soot), "lantern-soot.png")
    state = asset.add_texture(state, Raster.gray(build_glow(id_map, gray)), "lantern-glow-mask.png")
    # The bake stands where a file of its role would.
    textures = list(state.project.asset.textures)
    textures.insert(3, textures.pop(0))
    state = state.with_project(asset=state.project.asset.model_copy(update={"textures": tuple(textures)}))
    state = regions_of_flags(state, "lantern-id.png", FLAGS)
    state = _make_variants(_make_recipe(state))
    # The frame, the cap and the base ring catch the flame, in whatever color a variant has it.
    return bakes.with_all_made(bakes.gather_glow(state, size=512, rays=128, bounces=1))


def _region(state: State, name: str) -> str:
    return next(r.id for r in state.project.regions.regions if r.name == name)


def _make_recipe(state: State) -> State:
    state = tone.add_missing_tints(state)
    state = recipe.add_step(state, "hue_shift", (_region(state, "Paper"),), step_id="step-drift")
    state = recipe.update_step(state, "step-drift", name="Paper drift")
    state = parameters.name_input(state, "step-drift", "angle", "Paper hue drift", "Paper")
    faded = tuple(_region(state, name) for name in ("Paper", "Moth", "Tassel"))
    state = recipe.add_step(state, "grade", faded, step_id="step-fade")
    state = recipe.update_step(state, "step-fade", name="Fade")
    state = parameters.name_input(state, "step-fade", "saturation", "Sun fade", "Age")
    state = _make_finish(state)
    state = recipe.add_step(state, "strands", (_region(state, "Tassel"),), step_id="step-strands")
    state = recipe.update_step(state, "step-strands", name="Silk of the tassel")
    row = recipe.step_of(state.project.recipe, "step-strands").rows[0].id
    for key, value in (("root", "#c9c9c9"), ("tip", "#ffffff")):
        state = recipe.bind_input(state, "step-strands", key, Binding(value=value), row)
    state = recipe.bind_input(state, "step-strands", "angle", Binding(value=0.75))
    state = parameters.name_input(state, "step-strands", "second_highlight", "Silk sheen", "Tassel")
    state = recipe.add_step(state, "cover", None, step_id="step-soot")
    state = recipe.update_step(state, "step-soot", name="Soot")
    state = recipe.bind_input(state, "step-soot", "color", Binding(value="#241d18"))
    state = parameters.name_input(state, "step-soot", "color", "Soot color", "Age")
    state = parameters.name_input(state, "step-soot", "amount", "Soot", "Age")
    state = recipe.bind_input(state, "step-soot", "finish", Binding(value=True))
    state = recipe.add_step(state, "shade", None, step_id="step-shade")
    state = parameters.name_input(state, "step-shade", "amount", "Occlusion", "Age")
    lit = tuple(_region(state, name) for name in ("Paper", "Moth"))
    state = recipe.add_step(state, "glow", lit, step_id="step-glow")
    mask = next(t.id for t in state.project.asset.textures if t.name == "lantern-glow-mask.png")
    state = recipe.bind_input(state, "step-glow", "mask", Binding(value=f"{mask}:0"))
    state = parameters.name_input(state, "step-glow", "color", "Flame color", "Light")
    state = parameters.name_input(state, "step-glow", "amount", "Flame", "Light")
    flame = next(p.id for p in state.project.recipe.parameters if p.name == "Flame")
    state = parameters.update_parameter(state, flame, default=0.0)
    return tone.compare_methods(tone.make_tone(state), ("fit", "bt601", "bt709", "lightness"))


#: What each region is made of: starting points of the kind Finish.
FINISHES = {
    "Paper": "Matte", "Moth": "Matte", "Frame": "Brushed metal", "Cap": "Lacquer", "Tassel": "Chalk",
    "Base ring": "Lacquer", "Knot": "Wax",
}  # fmt: skip


def _make_finish(state: State) -> State:
    points = {point.name: point.values for point in KINDS["finish"].starting_points}
    names = list(FINISHES)
    state = recipe.add_step(state, "finish", (_region(state, names[0]),), step_id="step-finish")
    for name in names[1:]:
        state = recipe.add_row(state, "step-finish", (_region(state, name),), f"row-finish-{safe_name(name)}")
    for row, name in zip(recipe.step_of(state.project.recipe, "step-finish").rows, names, strict=True):
        state = parameters.set_row_values(state, "step-finish", row.id, points[FINISHES[name]])
    return state


VARIANTS: dict[str, tuple[str | None, dict[str, object]]] = {
    "Ember": (None, {}),
    "Harbour Night": (None, {
        "Paper tint": "#6fa3cf", "Moth tint": "#f4e6c0", "Frame tint": "#b9bdc0", "Cap tint": "#5b3348",
        "Tassel tint": "#e9c94f", "Base ring tint": "#3c434c", "Knot tint": "#d8dde2", "Flame": 1.0, "Flame color": "#ffb45e",
    }),
    "Harbour Night, old": ("Harbour Night", {"Soot": 1.0, "Sun fade": 0.55, "Occlusion": 1.0, "Paper hue drift": 14.0, "Flame": 0.35}),
    "Plum Rain": (None, {
        "Paper tint": "#a3569c", "Moth tint": "#ffc9de", "Frame tint": "#caa05a", "Cap tint": "#2c5a4a",
        "Tassel tint": "#f0a03c", "Base ring tint": "#4a3a52", "Knot tint": "#f3d9a0",
    }),
    "Straw": (None, {
        "Paper tint": "#f5c95e", "Moth tint": "#8a3d24", "Frame tint": "#7a6048", "Cap tint": "#6b4a2c",
        "Tassel tint": "#3f7d72", "Base ring tint": "#5c4a35", "Knot tint": "#c8502e",
    }),
    "Celadon": (None, {
        "Paper tint": "#9fd0b0", "Moth tint": "#ffffff", "Frame tint": "#d9a441", "Cap tint": "#544379",
        "Tassel tint": "#d46a7e", "Base ring tint": "#38584f", "Knot tint": "#f1e2b6",
    }),
    "Ember, lit": (None, {"Flame": 1.0, "Flame color": "#ffae4a"}),
    "Celadon, lit": ("Celadon", {"Flame": 0.8, "Flame color": "#d8ffc8"}),
    "Snow Fair": (None, {
        "Paper tint": "#f4f1ea", "Moth tint": "#b8443c", "Frame tint": "#8d97a0", "Cap tint": "#b8443c",
        "Tassel tint": "#f4f1ea", "Base ring tint": "#5f6b74", "Knot tint": "#b8443c", "Soot": 0.35,
    }),
    "Midnight Ferry": (None, {
        "Paper tint": "#34466e", "Moth tint": "#ffe9a8", "Frame tint": "#c9ccd2", "Cap tint": "#1f2536",
        "Tassel tint": "#8fb4d9", "Base ring tint": "#20242e", "Knot tint": "#ffe9a8", "Flame": 1.0, "Flame color": "#9fc8ff",
    }),
    "Moss Hollow": (None, {
        "Paper tint": "#8f9a52", "Moth tint": "#e9dfb4", "Frame tint": "#7d6a3c", "Cap tint": "#4b5a34",
        "Tassel tint": "#b56a3a", "Base ring tint": "#4a4330", "Knot tint": "#d8b45e", "Soot": 0.8, "Sun fade": 0.8,
    }),
    "Rose Quay": (None, {
        "Paper tint": "#e58a86", "Moth tint": "#fff3df", "Frame tint": "#d8a05c", "Cap tint": "#7a2f3d",
        "Tassel tint": "#7a2f3d", "Base ring tint": "#5a3a36", "Knot tint": "#ffd9b0",
    }),
}  # fmt: skip


def _make_variants(state: State) -> State:
    parameters = {p.name: p.id for p in state.project.recipe.parameters}
    for name, (parent, values) in VARIANTS.items():
        by_name = {v.name: v.id for v in state.project.variants}
        state = variants.add_variant(state, name, by_name.get(parent))
        for key, value in values.items():
            state = variants.set_value(state, state.project.active_variant, parameters[key], value)
    return variants.activate(state, state.project.variants[0].id)
