"""A change of values is drawn where it can be seen, and looks as if all had been drawn."""

from dataclasses import replace
from pathlib import Path

import moderngl
import numpy as np
import pytest

from evenpalette.core.document.state import State
from evenpalette.core.edits.parameters import update_parameter
from evenpalette.core.edits.recipe import bind_input
from evenpalette.core.mesh.camera import OrbitCamera, PlaneView
from evenpalette.core.recipe.recipe import Binding
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.storage.demo_files import copy_demo, demo_names
from evenpalette.core.storage.storage import Storage
from evenpalette.core.values import ValueType
from evenpalette.gpu.look import Look, Show
from evenpalette.gpu.scene import SceneRenderer

SIZE = (420, 300)
PARTS = {"form": (10, 20, 220, 270), "flat": (230, 20, 180, 270)}
OTHER = {ValueType.COLOR: "#3af07c", ValueType.SWITCH: True}

OTHER_CONSTANTS = {ValueType.PLACEMENT: "scale=2,2; turn=0.1", ValueType.NUMBER: 0.0, ValueType.SWITCH: False}


class Screen:
    """Both views in one target, as the window has them."""

    camera: OrbitCamera
    plane: PlaneView
    looks: list[tuple[Look, float]]

    def __init__(self) -> None:
        self.ctx = moderngl.create_standalone_context(backend="egl")
        with self.ctx:
            self.scene = SceneRenderer(self.ctx)
            self.target = self.ctx.simple_framebuffer(SIZE, 4)

    def showing(self, camera: OrbitCamera, plane: PlaneView, looks: list[tuple[Look, float]]) -> "Screen":
        """It, from there, with no face selected."""
        self.camera, self.plane, self.looks = camera, plane, looks
        self.select(np.zeros(0, np.int64))
        return self

    def draw(self, state: State, *, partly: bool, coarser: int = 1) -> np.ndarray:
        """The picture, and into `drawn` how many pixels were drawn."""
        # Each screen has a context of its own: without being told so, all would draw into the one that was made last.
        with self.ctx:
            return self._draw(state, partly, coarser)

    def select(self, faces: np.ndarray) -> None:
        with self.ctx:
            self.scene.set_selection(faces)

    def _draw(self, state: State, partly: bool, coarser: int) -> np.ndarray:
        how = {"coarser": coarser, "partly": partly}
        self.scene.set_state(state, values_only=partly)
        while True:
            if not partly:
                self.scene.clear(self.target)
            parts = [
                *self.scene.draw_form(self.target, PARTS["form"], self.camera, self.looks, **how),
                *self.scene.draw_flat(self.target, PARTS["flat"], self.plane, self.looks, lines=True, **how),
            ]
            if not self.scene.is_waiting:
                break
            self.scene.continue_uploads(1.0)
        self.drawn = sum(part[2] * part[3] for part in parts)
        return np.frombuffer(self.target.read(components=3), np.uint8).reshape(SIZE[1], SIZE[0], 3).astype(int)


def other_value(state: State, parameter: str) -> State | None:
    """The document with another default of a parameter."""
    held = state.project.recipe.parameter(parameter)
    assert held is not None
    if held.type in (ValueType.NUMBER, ValueType.INTEGER):
        now = held.low if float(held.default) > (held.low + held.high) / 2 else held.high
        return update_parameter(state, parameter, default=now)
    if held.type in OTHER and held.default != OTHER[held.type]:
        return update_parameter(state, parameter, default=OTHER[held.type])
    return None


@pytest.fixture(scope="module", params=demo_names())
def demo(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> State:
    market: Path = tmp_path_factory.mktemp("market")
    copy_demo(market)
    return Storage(market / request.param).open()


@pytest.fixture(scope="module")
def screens() -> list[Screen]:
    """Three, which compile what they show once; begun with a whole picture in each test."""
    return [Screen() for _ in range(3)]


@pytest.mark.parametrize("zoom", [1.0, 0.25, 4.0])
def test_what_is_drawn_partly_is_what_is_drawn_whole(screens: list[Screen], demo: State, zoom: float) -> None:
    """For every parameter of every demo, beside another look; near and far for every third."""
    assert demo.mesh is not None
    camera = OrbitCamera.around(*demo.mesh.mesh.bounds)
    camera = replace(camera, span=camera.span * zoom, yaw=camera.yaw + 0.4)
    plane = PlaneView((0.45, 0.55), 1.15 * zoom)
    looks = [(Look(Show.RECIPE), 0.6), (Look(Show.ATTRIBUTE, attribute="base_color", overlay=0.5), 1.0)]
    partly, whole = (screen.showing(camera, plane, looks) for screen in screens[:2])
    partly.draw(demo, partly=False)
    before, smaller = whole.draw(demo, partly=False), []
    for parameter in [p.id for p in demo.project.parameters][:: 1 if zoom == 1.0 else 3]:
        changed = other_value(demo, parameter)
        if changed is None:
            continue
        found, wanted = partly.draw(changed, partly=True), whole.draw(changed, partly=False)
        assert np.abs(found - wanted).max() <= 1, parameter
        smaller.append(partly.drawn / whole.drawn)
        assert np.abs(partly.draw(demo, partly=True) - before).max() <= 1, parameter
    assert smaller
    if zoom == 1.0 and len(demo.region_ids) > 3:
        # What is lit by gathered glow shines, and its halo is drawn with it.
        assert min(smaller) < 0.6, "a small region is a small part of the picture"


def test_what_follows_a_hand_coarsely_is_drawn_fine_when_it_rests(screens: list[Screen], demo: State) -> None:
    """Every pixel of a coarse picture is that of the whole picture drawn as coarsely, or, where nothing changed, that
    of the fine one."""
    assert demo.mesh is not None
    camera, looks = OrbitCamera.around(*demo.mesh.mesh.bounds), [(Look(Show.RECIPE), 1.0)]
    partly, whole, coarsely = (screen.showing(camera, PlaneView((0.45, 0.55), 1.15), looks) for screen in screens)
    before, tried = partly.draw(demo, partly=False), 0
    for number, parameter in enumerate([p.id for p in demo.project.parameters]):
        changed = other_value(demo, parameter)
        if changed is None:
            continue
        wanted = whole.draw(changed, partly=False)
        tried += int((np.abs(wanted - before) > 8).any())
        coarser = (2, 3)[number % 2]
        for state, fine in ((changed, wanted), (demo, before)):
            found, coarse = (
                partly.draw(state, partly=True, coarser=coarser),
                coarsely.draw(state, partly=False, coarser=coarser),
            )
            apart = np.minimum(np.abs(found - coarse).max(-1), np.abs(found - fine).max(-1))
            assert apart.max() <= 1, (parameter, coarser)
        assert np.abs(partly.draw(changed, partly=True) - wanted).max() <= 1
        assert np.abs(partly.draw(demo, partly=True) - before).max() <= 1
    assert tried > 1


def test_constants_that_are_written_into_a_shader_are_written_anew(screens: list[Screen], demo: State) -> None:
    """A choice, a placement, a switch or number that puts an operation out: nothing but a value changes, and yet the
    text does."""
    assert demo.mesh is not None
    camera, looks = OrbitCamera.around(*demo.mesh.mesh.bounds), [(Look(Show.RECIPE), 1.0)]
    partly, whole = (screen.showing(camera, PlaneView((0.5, 0.5), 1.2), looks) for screen in screens[:2])
    partly.draw(demo, partly=False)
    tried = 0
    for step in demo.project.recipe.steps:
        for key, binding in step.rows[0].inputs.items() | step.inputs.items():
            held = KINDS[step.kind].by_key[key]
            if not binding.is_plain or held.type not in (*OTHER_CONSTANTS, ValueType.CHOICE):
                continue
            others = [c for c in held.choices if c != binding.value] if held.type is ValueType.CHOICE else []
            value = others[0] if others else OTHER_CONSTANTS.get(held.type, binding.value)
            row = step.rows[0].id if key in step.rows[0].inputs else None
            changed = bind_input(demo, step.id, key, Binding(value=value), row)
            found, wanted = partly.draw(changed, partly=True), whole.draw(changed, partly=False)
            assert np.abs(found - wanted).max() <= 1, (step.name, key, value)
            partly.draw(demo, partly=True)
            tried += 1
    assert tried >= 3


def test_selected_faces_are_marked_once(screens: list[Screen], lantern: State) -> None:
    """A veil that is laid over twice would be twice as strong."""
    assert lantern.mesh is not None
    camera, looks = OrbitCamera.around(*lantern.mesh.mesh.bounds), [(Look(Show.RECIPE), 1.0)]
    changed = other_value(lantern, lantern.project.parameters[0].id)
    assert changed is not None
    for screen in screens[:2]:
        screen.showing(camera, PlaneView((0.5, 0.5), 1.2), looks).draw(lantern, partly=False)
        screen.select(np.arange(0, lantern.mesh.mesh.face_count, 7))
    screens[0].draw(lantern, partly=False)
    found, wanted = screens[0].draw(changed, partly=True), screens[1].draw(changed, partly=False)
    assert np.abs(found - wanted).max() <= 1


def test_another_view_or_another_look_is_drawn_whole(screens: list[Screen], lantern: State) -> None:
    camera = OrbitCamera.around(*lantern.mesh.mesh.bounds)  # type: ignore[union-attr]
    screen = screens[0].showing(camera, PlaneView((0.5, 0.5), 1.2), [(Look(Show.RECIPE), 1.0)])
    screen.draw(lantern, partly=False)
    whole = screen.drawn
    screen.draw(lantern, partly=True)
    assert screen.drawn == 0, "nothing differs"
    screen.camera = replace(camera, yaw=1.0)
    screen.draw(lantern, partly=True)
    assert screen.drawn == PARTS["form"][2] * PARTS["form"][3]
    screen.looks = [(Look(Show.RECIPE, lit=False), 1.0)]
    screen.draw(lantern, partly=True)
    assert screen.drawn == whole
