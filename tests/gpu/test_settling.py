"""Form at rest: pictures moved by parts of a pixel add up to what many samples a pixel show."""

import moderngl
import numpy as np

from evenpalette.core.color.encoding import decode_srgb
from evenpalette.core.document.state import State
from evenpalette.core.mesh.camera import OrbitCamera
from evenpalette.gpu.look import Look
from evenpalette.gpu.pace import Pace
from evenpalette.gpu.scene import SceneRenderer
from evenpalette.gpu.settling import SHIFTS

SIZE, TIMES = (200, 240), 4


def test_edges_become_those_of_sixteen_samples_a_pixel(lantern: State) -> None:
    """Held against the same view at four times the width and height, averaged as light: common practice."""
    ctx = moderngl.create_standalone_context(backend="egl")
    scene = SceneRenderer(ctx)
    assert lantern.mesh is not None
    camera = OrbitCamera.around(*lantern.mesh.mesh.bounds)
    looks = [(Look(), 1.0)]

    def picture(size: tuple[int, int], settled: int = 0) -> np.ndarray:
        target = ctx.simple_framebuffer(size, 4)
        scene.clear(target)
        viewport = (0, 0, *size)
        for number in range(settled):
            scene.settle_form(target, viewport, camera, looks, number)
        if not settled:
            scene.draw_form(target, viewport, camera, looks)
        return decode_srgb(np.frombuffer(target.read(components=3), np.uint8).reshape(size[1], size[0], 3) / 255)

    scene.set_state(lantern)
    picture(SIZE)
    while scene.is_waiting:
        scene.continue_uploads(1.0)
    plain, settled = picture(SIZE), picture(SIZE, len(SHIFTS))
    large = picture((SIZE[0] * TIMES, SIZE[1] * TIMES)).reshape(SIZE[1], TIMES, SIZE[0], TIMES, 3)
    wanted = large.mean((1, 3))
    around = np.abs(large - decode_srgb(np.full(3, 119 / 255))).max(-1) < 1e-3
    covered = 1 - around.mean((1, 3))
    edge = (covered > 0.05) & (covered < 0.95)
    assert edge.sum() > 300
    off, off_settled = (np.sqrt(((p - wanted)[edge] ** 2).mean()) for p in (plain, settled))
    assert off_settled < 0.65 * off
    # What is drawn next is not of it.
    assert np.array_equal(picture(SIZE), plain)
    assert scene.uv_at(SIZE[0] // 2, SIZE[1] // 2) is not None


def test_a_hand_is_followed_as_fine_as_is_fast_enough_and_each_time_a_little_finer() -> None:
    pace = Pace(0.01)
    pace.took(0.009)
    assert (pace.coarser, pace.is_coarsest) == (1, False)
    for _ in range(5):
        pace.took(0.1)
    coarsest = pace.coarser
    assert coarsest > 1
    assert pace.is_coarsest
    # A coarse picture is not given up for the last tenths of a millisecond.
    pace.ease()
    pace.took(0.012)
    assert pace.coarser == coarsest - 1
    for _ in range(5):
        pace.ease()
    assert pace.coarser == 1
