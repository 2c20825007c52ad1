"""What patches and pieces draw is what whole uploads draw."""

from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import replace
from types import MappingProxyType

import moderngl
import numpy as np
import pytest

from evenpalette.core.document.state import State
from evenpalette.core.mesh.camera import PlaneView
from evenpalette.gpu.look import Look, Show
from evenpalette.gpu.mip_levels import read_level
from evenpalette.gpu.scene import SceneRenderer
from evenpalette.gpu.textures import TextureCache
from tests.helpers.glsl import apart

SIZE = (400, 300)
LOOKS = (Look(Show.RECIPE), Look(Show.ID), Look(Show.COVERAGE, region=0), Look(Show.RECIPE, overlay=0.7))


class Screen:
    """A scene drawn without a window."""

    def __init__(self, state: State) -> None:
        self.ctx = moderngl.create_standalone_context(backend="egl")
        self.scene = SceneRenderer(self.ctx)
        self.scene.set_state(state)
        self.target = self.ctx.simple_framebuffer(SIZE, 4)

    def flat(self, look: Look, view: PlaneView) -> np.ndarray:
        self.scene.clear(self.target)
        self.scene.draw_flat(self.target, (0, 0, *SIZE), view, [(look, 1.0)], lines=False)
        while self.scene.is_waiting:
            self.scene.continue_uploads(1.0)
        self.scene.draw_flat(self.target, (0, 0, *SIZE), view, [(look, 1.0)], lines=False)
        return np.frombuffer(self.target.read(components=3), np.uint8).reshape(SIZE[1], SIZE[0], 3).astype(int)


@pytest.mark.parametrize("span", [1.2, 0.1, 5.0])
def test_patched_coverages_are_drawn_as_if_they_had_been_uploaded_whole(lantern: State, span: float) -> None:
    """At one size, near, and far away, where mip levels are read."""
    rng = np.random.default_rng(3)
    regions = lantern.region_ids[:2]
    changed = {key: plane.copy() for key, plane in lantern.coverages.items() if key in regions}
    boxes = []
    for _ in range(6):
        left, top = (int(v) for v in rng.integers(0, 960, 2))
        right, bottom = left + int(rng.integers(1, 60)), top + int(rng.integers(1, 60))
        for plane in changed.values():
            plane[top:bottom, left:right] = rng.integers(0, 256)
        boxes.append((left, top, right, bottom))
    after = replace(lantern, coverages=MappingProxyType({**lantern.coverages, **changed}))
    view = PlaneView((0.5, 0.5), span)

    def draw() -> None:
        patched = Screen(lantern)
        before = [patched.flat(look, view) for look in LOOKS]
        patched.scene.set_state(after)
        patched.scene.adopt({key: (lantern.coverages[key], changed[key]) for key in regions})
        patched.scene.patch_coverages(set(regions), boxes)
        patches = [patched.flat(look, view) for look in LOOKS]
        # A second context takes the first one's place on this thread.
        whole = Screen(after)
        for found, old, expected in zip(patches, before, [whole.flat(look, view) for look in LOOKS], strict=True):
            assert np.abs(found - expected).max() <= 1
            if span > 1:
                assert (old != expected).any()

    apart(draw)


def test_parts_of_other_sheets_are_drawn_as_they_look() -> None:
    """A mesh of two sheets, one red, one blue by their textures: both are seen, whichever is worked on."""
    from evenpalette.core.edits.asset_file import take_asset
    from evenpalette.core.edits.recipe import set_base
    from evenpalette.core.mesh.asset_file import parse_asset
    from evenpalette.core.mesh.camera import OrbitCamera
    from tests.helpers.gltf import Writer, png

    made = Writer()
    colors = [(220, 20, 20), (20, 20, 220)]
    made.tree["materials"] = [
        {
            "name": name,
            "pbrMetallicRoughness": {"baseColorTexture": {"index": made.image(png(color), name)}, "metallicFactor": 0},
        }
        for name, color in zip(("Red", "Blue"), colors, strict=True)
    ]
    for number in range(2):
        made.square(number, x=1.2 * number)
    state = take_asset(State(), parse_asset(made.glb(), "two.glb"))
    for sheet in list(state.project.sheets):
        state = state.on(sheet.id)
        state = set_base(state, state.project.asset.textures[0].id)

    def draw() -> None:
        for sheet in state.project.sheets:
            here = state.on(sheet.id)
            screen = Screen(here)
            camera = OrbitCamera.around(*here.mesh.mesh.bounds)
            camera = replace(camera, yaw=0.0, pitch=0.0)
            for looks in (
                [(Look(lit=False), 1.0)],
                [(Look(lit=False), 0.5), (Look(lit=False, variant=None, steps=0), 1.0)],
            ):
                screen.scene.clear(screen.target)
                screen.scene.draw_form(screen.target, (0, 0, *SIZE), camera, looks)
                picture = np.frombuffer(screen.target.read(components=3), np.uint8).reshape(-1, 3).astype(int)
                red = ((picture[:, 0] > 150) & (picture[:, 2] < 90)).sum()
                blue = ((picture[:, 2] > 150) & (picture[:, 0] < 90)).sum()
                assert red > 3000
                assert blue > 3000

    apart(draw)


@pytest.mark.parametrize("fails", [False, True])
def test_what_a_large_texture_is_made_of_is_put_together_elsewhere_while_a_stand_in_is_drawn(*, fails: bool) -> None:
    """Where there is no second context after all, it is done here."""
    rng = np.random.default_rng(5)
    named = [(key, rng.integers(0, 256, (2304, 2048), np.uint8)) for key in "ab"]

    def send() -> None:
        sent: list[tuple[Callable[[], object], Future]] = []

        def elsewhere(work: Callable[[], object]) -> Future:
            sent.append((work, Future()))
            return sent[-1][1]

        textures = TextureCache(moderngl.create_standalone_context(backend="egl"), elsewhere=elsewhere)
        assert max(textures.of_planes(named).size) <= 576
        assert not textures.continue_uploads(1.0)
        assert not textures.continue_uploads(1.0), "it is asked for once"
        (work, future), *others = sent
        assert not others
        assert textures.is_waiting
        future.set_exception(RuntimeError("no second context")) if fails else future.set_result(work())
        while textures.is_waiting:
            textures.continue_uploads(1.0)
        sent_whole = read_level(textures.of_planes(named), 0)
        assert (sent_whole[..., :2] == np.stack([plane for _, plane in named], -1)).all()

    apart(send)
