"""What patches and pieces draw is what whole uploads draw."""

from dataclasses import replace
from types import MappingProxyType

import moderngl
import numpy as np
import pytest

from evenpalette.core.project.state import State
from evenpalette.gpu.camera import PlaneView
from evenpalette.gpu.look import Look, Show
from evenpalette.gpu.scene import SceneRenderer
from tests.glsl import apart

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
            plane[top : bottom + 1, left : right + 1] = rng.integers(0, 256)
        boxes.append((left, top, right, bottom))
    after = replace(lantern, coverages=MappingProxyType({**lantern.coverages, **changed}))
    view = PlaneView((0.5, 0.5), span)

    def draw() -> None:
        patched = Screen(lantern)
        before = [patched.flat(look, view) for look in LOOKS]
        patched.scene.set_state(after)
        for key in regions:
            patched.scene.adopt(lantern.coverages[key], changed[key])
        patched.scene.patch_coverages(set(regions), boxes)
        patches = [patched.flat(look, view) for look in LOOKS]
        # A second context takes the first one's place on this thread.
        whole = Screen(after)
        for found, old, expected in zip(patches, before, [whole.flat(look, view) for look in LOOKS], strict=True):
            assert np.abs(found - expected).max() <= 1
            if span > 1:
                assert (old != expected).any()

    apart(draw)
