"""Tea Tin: a printed label as 8-bit index art, with rows of colors for day, dusk and night, on a lacquered tin."""

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import encode_srgb
from evenpalette.core.color.hexcode import hex_to_linear
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits import asset, face_sets, palette, parameters, recipe, regions, variants
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.read import parse_mesh
from evenpalette.core.raster.padding import nearest_covered
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.recipe import Binding
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.tones.palettes.reduce import Order

from .pattern import noise, normal_from_height, smoothstep
from .shapes import ObjWriter, lathe, rect_uv

SIZE, COLORS = 1024, 28
LABEL, BODY, LID = (0.02, 0.02, 0.98, 0.56), (0.02, 0.60, 0.98, 0.72), (0.02, 0.76, 0.98, 0.98)


def build_mesh() -> Mesh:
    """A round tin: rim and foot, the label between, a stepped lid with a knob."""
    obj = ObjWriter()

    def turned(name: str, profile: list[tuple[float, float]], rect: tuple[float, float, float, float]) -> None:
        obj.group(name)
        obj.grid(lathe(profile, 72), rect_uv(rect, len(profile), 73), closed=True)

    turned("Label", [(0.802, y) for y in np.linspace(0.62, -0.86, 10)], LABEL)
    left, top, right, bottom = BODY
    middle = (top + bottom) / 2
    turned("Body", [(0.78, 0.70), (0.83, 0.68), (0.83, 0.645), (0.80, 0.62)], (left, top, right, middle - 0.005))
    turned(
        "Body",
        [(0.80, -0.86), (0.83, -0.885), (0.83, -0.95), (0.80, -0.985), (0.02, -0.985)],
        (left, middle + 0.005, right, bottom),
    )
    lid = [(0.02, 1.10), (0.13, 1.095), (0.17, 1.04), (0.12, 0.98), (0.10, 0.955), (0.34, 0.945), (0.60, 0.915), (0.68, 0.885), (0.70, 0.85), (0.86, 0.83), (0.875, 0.80), (0.875, 0.70), (0.86, 0.685), (0.78, 0.69)]  # fmt: skip
    turned("Lid", lid, LID)
    return parse_mesh(obj.text(), "tea-tin.obj")


def paint_label() -> NDArray:
    """A canal under a moon, with stalls, lanterns and their reflections; linear RGB over the label's rectangle."""
    left, top, right, bottom = (round(v * SIZE * 4) for v in LABEL)
    width, height = right - left, bottom - top
    y = np.mgrid[:height, :width][0]
    t = y / height
    sky = np.array([hex_to_linear(c) for c in ("#f2c98a", "#e88f5a", "#b4573f")])
    place = np.clip(t / 0.62, 0, 1)[..., None] * 2
    color = np.where(place < 1, sky[0] + (sky[1] - sky[0]) * place, sky[1] + (sky[2] - sky[1]) * (place - 1))
    picture = np.ascontiguousarray(color.astype(np.float32))

    def shape(points: list[tuple[float, float]], tint: str) -> None:
        corners = np.array([[px * width, py * height] for px, py in points]).round().astype(np.int32)
        cv2.fillPoly(picture, [corners], [float(v) for v in hex_to_linear(tint)], cv2.LINE_8)

    def disk(px: float, py: float, radius: float, tint: str, tall: float = 1.0) -> None:
        size = (int(radius * height), int(radius * height * tall))
        cv2.ellipse(
            picture, (int(px * width), int(py * height)), size, 0, 0, 360, [float(v) for v in hex_to_linear(tint)], -1
        )

    disk(0.30, 0.24, 0.15, "#fff3cf")
    disk(0.80, 0.30, 0.07, "#ffe2a6")
    rng = np.random.default_rng(31)
    for k in range(22):
        px, wide, tall = (k + rng.uniform(-0.2, 0.2)) / 22, rng.uniform(0.03, 0.06), rng.uniform(0.10, 0.30)
        body = ("#5c3a3a", "#6e4640", "#4a3440")[k % 3]
        shape([(px - wide, 0.66), (px - wide, 0.66 - tall), (px + wide, 0.66 - tall), (px + wide, 0.66)], body)
        shape(
            [(px - wide * 1.3, 0.66 - tall), (px, 0.58 - tall), (px + wide * 1.3, 0.66 - tall)],
            ("#2c4a5a", "#8a3a34", "#3a5a4a")[k % 3],
        )
        for row in range(2):
            shape(
                [
                    (px - 0.012, 0.64 - 0.08 * row),
                    (px - 0.012, 0.60 - 0.08 * row),
                    (px + 0.012, 0.60 - 0.08 * row),
                    (px + 0.012, 0.64 - 0.08 * row),
                ],
                "#ffd27a",
            )
    water = picture[: int(0.66 * height)][::-1]
    depth = height - water.shape[0]
    ripple = (np.sin(np.arange(depth) * 0.09) * (4 + np.arange(depth) * 0.03)).astype(int)
    for line in range(min(depth, water.shape[0])):
        picture[int(0.66 * height) + line] = (
            np.roll(water[line], ripple[line], 0) * 0.55 + hex_to_linear("#24506a") * 0.35
        )
    for k in range(9):
        px, py = (k + 0.5) / 9, 0.40 + 0.05 * np.sin(k * 2.1)
        cv2.line(
            picture,
            (int(px * width), 0),
            (int(px * width), int((py - 0.05) * height)),
            [float(v) for v in hex_to_linear("#3a2430")],
            5,
        )
        disk(px, py, 0.062, ("#e8452c", "#f2a02c", "#d63a5a")[k % 3], 1.15)
        disk(px, py, 0.028, "#ffe9a8", 1.3)
    shape([(0, 0), (1, 0), (1, 0.055), (0, 0.055)], "#23384a")
    shape([(0, 0.945), (1, 0.945), (1, 1), (0, 1)], "#23384a")
    for k in range(48):
        disk((k + 0.5) / 48, 0.0275, 0.011, "#f2c98a")
        disk((k + 0.5) / 48, 0.9725, 0.011, "#f2c98a")
    return cv2.resize(picture, (width // 4, height // 4), interpolation=cv2.INTER_AREA)


def build() -> State:
    """The whole project."""
    left, top = (round(v * SIZE) for v in LABEL[:2])
    label = paint_label()
    color = np.broadcast_to(hex_to_linear("#8a8d90"), (SIZE, SIZE, 3)).astype(np.float32).copy()
    color[top : top + label.shape[0], left : left + label.shape[1]] = label
    # What is printed goes on beyond the label's island, so that nothing else is mixed in from afar.
    printed = np.zeros((SIZE, SIZE), bool)
    printed[top : top + label.shape[0], left : left + label.shape[1]] = True
    above = slice(0, round(0.58 * SIZE))
    color[above] = color.reshape(-1, 3)[nearest_covered(printed, 64)][above]
    v = (np.arange(SIZE) / SIZE)[:, None] * np.ones(SIZE)
    brushed = noise(SIZE, 5, 160, 91, 3)
    metal = v > 0.58
    color[metal] *= (0.85 + 0.3 * (brushed[metal] - 0.5))[:, None]
    painted = np.round(encode_srgb(color) * 255).astype(np.uint8)
    dents = smoothstep(0.62, 0.9, noise(SIZE, 6, 6, 92, 3)) * metal
    wear = np.clip(smoothstep(0.66, 0.74, noise(SIZE, 14, 10, 93, 4)) * (0.4 + 0.6 * noise(SIZE, 60, 60, 94, 2)), 0, 1)
    state = asset.rename_project(State(), "Tea Tin")
    state = asset.set_mesh(state, build_mesh())
    for pixels, encoding, name, role in (
        (painted, Encoding.SRGB, "tin-painted.png", Role.PAINTED),
        (normal_from_height(dents * 0.6 + brushed * metal * 0.12, 0.6), Encoding.DATA, "tin-normal.png", Role.NORMAL),
        (np.round(wear * 255).astype(np.uint8)[..., None], Encoding.DATA, "tin-wear-mask.png", Role.MASK),
    ):
        state = asset.add_texture(state, Raster(np.ascontiguousarray(pixels), encoding), name, role)
    state = face_sets.regions_from_mesh(state, "material")
    return _make_variants(_make_recipe(_make_palette(state)))


def _region(state: State, name: str) -> str:
    return next(r.id for r in state.project.regions.regions if r.name == name)


def _make_palette(state: State) -> State:
    for name, flag in (("Label", "#ff0000"), ("Body", "#00ff00"), ("Lid", "#0000ff")):
        state = regions.update_region(state, _region(state, name), flag=flag)
    painted = state.project.asset.textures[0].id
    state = palette.reduce_textures(state, [painted], COLORS, region_id=_region(state, "Label"))
    index = state.project.asset.textures[-1].id
    state = palette.sort_entries(state, index, Order.LIGHTNESS)
    for how in ("Dusk", "Night", "Hues turned by 180 degrees"):
        state = palette.add_row(state, index, how)
    rows = palette.rows_of(state, index)
    # Lamps and windows stay lit by night: what was painted brightest and warm.
    for entry, color in enumerate(rows[0][:, :3].astype(int)):
        if color[0] > 247 and color[1] > 190 and color[2] < 190:
            state = palette.set_entry(state, index, 2, entry, "#ffc862")
    return state


def _make_recipe(state: State) -> State:
    painted, index = state.project.asset.textures[0].id, state.project.asset.with_role(Role.INDEX)[0].id
    state = recipe.set_base(state, painted)
    label, body, lid = (_region(state, name) for name in ("Label", "Body", "Lid"))
    state = palette.lay_palette(state, index)
    step = next(s for s in state.project.recipe.steps if s.kind == "palette")
    state = recipe.update_step(state, step.id, name="Label colors")
    row = step.rows[0].id
    state = recipe.set_row_regions(state, step.id, row, (label,))
    state = parameters.name_input(state, step.id, "row", "Label row", "Label", row)
    state = parameters.name_input(state, step.id, "to", "Label next row", "Label")
    state = parameters.name_input(state, step.id, "blend", "Label blend", "Label")
    state = recipe.add_step(state, "tint", (body,), 0, "step-lacquer")
    state = recipe.update_step(state, "step-lacquer", name="Lacquer")
    state = recipe.add_row(state, "step-lacquer", (lid,), "row-lid")
    first = recipe.step_of(state.project.recipe, "step-lacquer").rows[0].id
    state = parameters.name_input(state, "step-lacquer", "color", "Body lacquer", "Lacquer", first)
    state = parameters.name_input(state, "step-lacquer", "color", "Lid lacquer", "Lacquer", "row-lid")
    points = {point.name.lower(): point.values for point in KINDS["finish"].starting_points}
    state = recipe.add_step(state, "finish", (label,), step_id="step-finish")
    state = recipe.add_row(state, "step-finish", (body, lid), "row-metal")
    rows = recipe.step_of(state.project.recipe, "step-finish").rows
    for line, name in zip(rows, ("satin", "lacquer"), strict=True):
        state = parameters.set_row_values(state, "step-finish", line.id, points[name])
    state = recipe.add_step(state, "cover", (body, lid), step_id="step-wear")
    state = recipe.update_step(state, "step-wear", name="Worn spots")
    state = recipe.bind_input(state, "step-wear", "color", Binding(value="#5f5a54"))
    state = parameters.name_input(state, "step-wear", "amount", "Wear", "Age")
    wear = next(p.id for p in state.project.recipe.parameters if p.name == "Wear")
    state = parameters.update_parameter(state, wear, default=0.5)
    for name, color in (("Body lacquer", "#b8802e"), ("Lid lacquer", "#8a2f2a")):
        parameter = next(p.id for p in state.project.recipe.parameters if p.name == name)
        state = parameters.update_parameter(state, parameter, default=color)
    return state


VARIANTS: dict[str, tuple[str | None, dict[str, object]]] = {
    "Canal Noon": (None, {}),
    "Canal Dusk": (None, {"Label row": 1, "Lid lacquer": "#54304a", "Body lacquer": "#9a6a34"}),
    "Canal Night": (None, {"Label row": 2, "Lid lacquer": "#20304e", "Body lacquer": "#7d8288"}),
    "Late Market": ("Canal Night", {"Label row": 1, "Label next row": 2, "Label blend": 0.55, "Wear": 0.8}),
    "Jade Quarter": (None, {"Label row": 3, "Lid lacquer": "#2c5a4a", "Body lacquer": "#d0c49a"}),
}


def _make_variants(state: State) -> State:
    parameters = {p.name: p.id for p in state.project.recipe.parameters}
    made: dict[str, str] = {}
    for name, (parent, values) in VARIANTS.items():
        state = variants.add_variant(state, name, made.get(parent or ""))
        made[name] = str(state.project.active_variant)
        for key, value in values.items():
            state = variants.set_value(state, made[name], parameters[key], value)
    return variants.activate(state, state.project.variants[0].id)
