"""Software drawing: how long a recipe of twenty steps takes to compile, without Mesa's cache on disk, and how long a
frame takes while the camera turns. In a process of its own, with a context without a window."""

import os
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

from benchmarks.timing import spread
from evenpalette.gpu.software import compile_quickly

#: The pixels of Form in a window of 1280 x 800.
FORM = (474, 444)
MORE = (
    "tint",
    "hue_shift",
    "grade",
    "fade",
    "drift",
    "cover",
    "finish",
    "two_tone",
    "blend",
    "levels",
    "balance",
    "glow",
)


def run() -> None:
    """Print both."""
    os.environ["LIBGL_ALWAYS_SOFTWARE"] = "1"
    os.environ["MESA_SHADER_CACHE_DISABLE"] = "true"
    compile_quickly()
    import moderngl

    from evenpalette.core.edits import recipe
    from evenpalette.core.mesh.camera import OrbitCamera
    from evenpalette.core.storage.demo_files import copy_demo, demo_names
    from evenpalette.core.storage.storage import Storage
    from evenpalette.gpu.look import Look
    from evenpalette.gpu.scene import SceneRenderer

    with tempfile.TemporaryDirectory() as folder:
        copy_demo(Path(folder) / "demo")
        states = {name: Storage(Path(folder) / "demo" / name).open() for name in demo_names()}
    ctx = moderngl.create_standalone_context(backend="egl")
    target = ctx.simple_framebuffer(FORM)

    def first_frame(state) -> float:  # type: ignore[no-untyped-def]
        scene = SceneRenderer(ctx)
        scene.set_state(state)
        camera = OrbitCamera.around(*state.mesh.mesh.bounds)
        start = time.perf_counter()
        scene.draw_form(target, (0, 0, *FORM), camera, [(Look(variant=state.project.active_variant), 1.0)])
        ctx.finish()
        return time.perf_counter() - start

    lantern = states["moth-lantern"]
    bare = lantern
    for step in lantern.project.recipe.steps:
        bare = recipe.remove_step(bare, step.id)
    twenty = lantern
    for index, kind in enumerate(MORE):
        twenty = recipe.add_step(twenty, kind, (twenty.region_ids[index % 7],), 8)
    first_frame(bare)
    without = first_frame(bare)
    steps = len(twenty.project.recipe.steps)
    print(
        f"First frame of a recipe of {steps} steps: {first_frame(twenty):.2f} s, wanted at most 1 s; of one without steps {without:.2f} s"
    )
    for name, state in states.items():
        scene = SceneRenderer(ctx)
        scene.set_state(state)
        camera, look = OrbitCamera.around(*state.mesh.mesh.bounds), Look(variant=state.project.active_variant)  # type: ignore[union-attr]
        for coarser in (1, 2, 3):
            times = []
            for _ in range(20):
                camera = replace(camera, yaw=camera.yaw + 0.07)
                start = time.perf_counter()
                scene.draw_form(target, (0, 0, *FORM), camera, [(look, 1.0)], coarser=coarser)
                ctx.finish()
                times.append(time.perf_counter() - start)
            spread(f"{name}, a turning camera, pixels {coarser} wide (33 is fluent)", times[3:])


if __name__ == "__main__":
    sys.exit(run())
