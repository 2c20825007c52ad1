"""The frame in which light meets a surface: normals are what their map says, however the UVs are stretched, sheared,
turned or mirrored; scratches turn counter-clockwise toward green, and older projects keep their look."""

import json
from pathlib import Path

import moderngl
import numpy as np
import pytest

from evenpalette.core.document.project import VERSION, Role
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import add_texture, set_mesh
from evenpalette.core.edits.recipe import add_step, bind_input, set_base
from evenpalette.core.mesh.camera import OrbitCamera
from evenpalette.core.mesh.read import parse_mesh
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.recipe import Binding
from evenpalette.core.storage.description import parse_project
from evenpalette.core.storage.storage import Storage
from evenpalette.gpu.look import Look
from evenpalette.gpu.scene import SceneRenderer
from tests.helpers.glsl import apart

SIDE = 24
Corners = tuple[tuple[float, float], ...]
PLAIN: Corners = ((0, 0), (1, 0), (1, 1), (0, 1))
LAID = {
    "stretched": ((0, 0), (0.25, 0), (0.25, 1), (0, 1)), "squeezed": ((0, 0), (1, 0), (1, 0.1), (0, 0.1)),
    "sheared": ((0, 0), (0.5, 0), (1, 1), (0.5, 1)), "mirrored": ((1, 0), (0, 0), (0, 1), (1, 1)), "turned": ((1, 0), (1, 1), (0, 1), (0, 0)),
}  # fmt: skip


def square(uvs: Corners, normal: np.ndarray | None = None, mapped: np.ndarray | None = None) -> State:
    """A square that faces the camera. uvs: with v up, as OBJ has them. normal: of the mesh; mapped: what its map
    says."""
    lines = [
        "v -1 -1 0",
        "v 1 -1 0",
        "v 1 1 0",
        "v -1 1 0",
        *(f"vt {u} {v}" for u, v in uvs),
        "vn {} {} {}".format(*(normal if normal is not None else (0, 0, 1))),
    ]
    lines += ["f 1/1/1 2/2/1 3/3/1", "f 1/1/1 3/3/1 4/4/1"]
    state = set_mesh(State(), parse_mesh("\n".join(lines).encode(), "square.obj"))
    state = add_texture(
        state, Raster(np.full((8, 8, 3), (160, 120, 90), np.uint8), Encoding.SRGB), "paint.png", Role.PAINTED
    )
    state = set_base(state, state.project.asset.textures[0].id)
    if mapped is not None:
        codes = np.rint((mapped * 0.5 + 0.5) * 65535).astype(np.uint16)
        state = add_texture(state, Raster(np.full((8, 8, 3), codes, np.uint16), Encoding.DATA), "n.png", Role.NORMAL)
    return state


def seen(state: State) -> np.ndarray:
    """The middle of Form from the front, mean codes of red, green and blue."""
    scene = SceneRenderer(moderngl.create_standalone_context(backend="egl"))
    scene.set_state(state)
    data = b""
    for _ in range(2):
        data = scene.thumbnail(Look(), OrbitCamera(yaw=0.0, pitch=0.0, span=2.4), (SIDE, SIDE))
        scene.continue_uploads(1.0)
    return np.frombuffer(data, np.uint8).reshape(SIDE, SIDE, 3).astype(float)[9:-9, 9:-9].mean((0, 1))


@pytest.mark.parametrize("laid", LAID)
def test_a_normal_map_tilts_by_what_it_says_however_its_uvs_lie(laid: str) -> None:
    """MikkTSpace: the tangent is a unit vector along u across the normal, the bitangent stands on both. The truth is a
    mesh whose own normal is tilted, with no map."""

    def draw() -> None:
        along = np.array({"mirrored": (-1, 0, 0), "turned": (0, -1, 0)}.get(laid, (1, 0, 0)), float)
        up = np.array({"turned": (1, 0, 0)}.get(laid, (0, 1, 0)), float)
        for x, y in ((0.5, 0.0), (0.0, 0.6), (-0.4, 0.3)):
            mapped = np.array([x, y, 1.0]) / np.sqrt(x * x + y * y + 1)
            tilted = mapped[0] * along + mapped[1] * up + (0, 0, mapped[2])
            assert np.abs(seen(square(LAID[laid], mapped=mapped)) - seen(square(PLAIN, normal=tilted))).max() < 1.5

    apart(draw)


def brushed(uvs: Corners, turns: float, tilt: tuple[float, float, float] = (0.3, 0.2, 1.0)) -> State:
    state = square(uvs, normal=np.array(tilt) / np.linalg.norm(tilt))
    state = add_step(state, "finish", None)
    step = state.project.recipe.steps[0]
    for key, value in (("metallic", 1.0), ("roughness", 0.3), ("brushed", True), ("anisotropy", 0.9), ("angle", turns)):
        state = bind_input(
            state, step.id, key, Binding(value=value), step.rows[0].id if key in step.rows[0].inputs else None
        )
    return state


def test_scratches_turn_counter_clockwise_toward_green() -> None:
    """KHR_materials_anisotropy: the rotation is counter-clockwise from the tangent, toward the bitangent of a green-up
    map. A layout that is turned by an angle with the picture in place is the same as turning the scratches on it."""

    def draw() -> None:
        for turns in (0.0, 0.125, 0.3):
            angle = 2 * np.pi * turns
            # u runs along the scratches: the whole layout is turned by what the angle says.
            cos, sin = np.cos(angle) / 4, np.sin(angle) / 4
            corners = tuple(
                (0.5 + x * cos + y * sin, 0.5 - x * sin + y * cos) for x, y in ((-1, -1), (1, -1), (1, 1), (-1, 1))
            )
            expected = seen(brushed(corners, 0.0))
            assert np.abs(seen(brushed(PLAIN, turns)) - expected).max() < 1.5
        assert np.abs(seen(brushed(PLAIN, 0.125)) - seen(brushed(PLAIN, 0.875))).max() > 8

    apart(draw)


def test_a_project_of_version_3_keeps_the_look_of_its_scratches(tmp_path: Path) -> None:
    """Its angles ran the other way: constants, defaults that are not stored, parameters that others follow too,
    picks."""
    state = add_step(brushed(PLAIN, 0.3), "strands", None)
    Storage(tmp_path / "p").save(state)
    raw = json.loads((tmp_path / "p" / "project.json").read_text())
    raw["version"] = 3
    raw["parameters"] = [
        {"id": "a", "name": "Lie", "type": "number", "default": 0.2}, {"id": "v", "name": "Two", "type": "vector", "default": "0.1, 0.4", "choices": ["x", "y"]},
    ]  # fmt: skip
    raw["variants"] = [{"id": "w", "name": "W", "values": {"a": 0.9, "v": "0.3, 0.8"}}]
    finish, strands = raw["sheets"][0]["steps"]
    for step in (finish, strands):
        step["rows"][0]["inputs"].pop("angle", None)
        step["inputs"].pop("angle", None)
    finish["rows"][0]["inputs"]["angle"] = {"value": 0.3}
    more = [json.loads(json.dumps(finish)) | {"id": f"step-{n}"} for n in range(3)]
    for step, binding in zip(
        more,
        ({"parameter": "a"}, {"parameter": "v", "part": 1}, {"pick": {"values": [0.1, 0.0], "low": 0.1, "high": 0.3}}),
        strict=True,
    ):
        step["rows"] = [row | {"id": f"{row['id']}-{step['id']}"} for row in step["rows"]]
        step["rows"][0]["inputs"]["angle"] = binding
    more[0]["rows"][0]["inputs"]["roughness"] = {"parameter": "a"}
    raw["sheets"][0]["steps"] += more
    raw["sheets"][0]["factors"] = {"anisotropy_angle": [0.1]}
    project = parse_project(json.dumps(raw).encode(), "old")
    finish, strands, first, second, third = project.sheets[0].steps
    angles = [step.binding(step.rows[0], "angle") for step in (finish, strands, first, second, third)]
    assert angles[0].value == pytest.approx(0.7)
    assert angles[1].value == pytest.approx(0.75)
    values = {p.id: p.default for p in project.parameters} | project.variants[0].values
    assert first.rows[0].inputs["roughness"].parameter == "a"
    assert values[angles[2].parameter] == pytest.approx(0.1)
    assert values[angles[3].parameter] == pytest.approx(0.2)
    assert angles[4].pick.values == (0.9, 0.0)
    assert (angles[4].pick.low, angles[4].pick.high) == (0.9, 0.7)
    assert project.sheets[0].factors["anisotropy_angle"] == (0.9,)
    assert json.loads(project.model_dump_json())["version"] == VERSION
