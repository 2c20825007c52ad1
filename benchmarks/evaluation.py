"""CPU evaluation of a recipe against one OpenCV float32 HSV round trip of the same image, and its memory."""

import tempfile
import tracemalloc
from pathlib import Path

import cv2
import numpy as np

from benchmarks.timing import once, ratio, speedup
from evenpalette.core.placement import Placement
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.sampling import read_placed
from evenpalette.core.recipe.binding import BoundStep, bind_recipe
from evenpalette.core.recipe.evaluate import evaluate, evaluate_surface
from evenpalette.core.recipe.recipe import Binding, Recipe, Row, Step
from evenpalette.core.recipe.sources import Sources
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.storage import Storage

SIZE = 2048


def make_sources() -> Sources:
    """A noisy 8-bit picture, four soft regions that overlap at their rims, dirt and occlusion."""
    rng = np.random.default_rng(0)
    v, u = np.mgrid[:SIZE, :SIZE] / SIZE
    centers = ((0.25, 0.25), (0.75, 0.25), (0.25, 0.75), (0.75, 0.75))
    planes = [np.clip(255 * (1.6 - 4 * np.hypot(u - x, v - y)), 0, 255).astype(np.uint8) for x, y in centers]
    gray = {name: Raster.gray(rng.integers(0, 256, (SIZE, SIZE), np.uint8)) for name in ("dirt", "occlusion")}
    return Sources(Raster(rng.integers(0, 256, (SIZE, SIZE, 3), np.uint8), Encoding.SRGB), planes, textures=gray)


def make_steps(space: str = "YIQ") -> list[BoundStep]:
    """Hue shift and Tint with a row for each of four regions, then Cover and Shade."""
    ids = [str(i) for i in range(4)]

    def by_region(kind: str, key: str, values: list[object], **shared: object) -> Step:
        rows = [
            Row(id=f"{kind}{i}", regions=(i,), inputs={key: Binding(value=v)}) for i, v in zip(ids, values, strict=True)
        ]
        inputs = {k: Binding(value=v) for k, v in shared.items()}
        return Step(id=kind, kind=kind, name=kind, inputs=inputs, rows=tuple(rows))

    whole = (Row(id="whole"),)
    steps = (
        by_region("hue_shift", "angle", [30.0, 31.0, 32.0, 33.0], space=space),
        by_region("tint", "color", ["#d8693c", "#3c69d8", "#69d83c", "#d8d8d8"]),
        Step(id="c", kind="cover", name="Cover", rows=whole, inputs={"mask": Binding(value="dirt:0")}),
        Step(id="s", kind="shade", name="Shade", rows=whole, inputs={"occlusion": Binding(value="occlusion:0")}),
    )
    return bind_recipe(Recipe(steps=steps), ids, {})


def placed() -> None:
    """What a placed read costs a texel on one thread."""
    rng = np.random.default_rng(1)
    texture = Raster(rng.integers(0, 256, (1024, 1024, 3), np.uint8), Encoding.SRGB)
    box = (0, 0, SIZE, 256)
    for text in (
        "scale=2,2",
        "scale=3,3",
        "scale=2,2; wrap=mirror",
        "scale=2,2; tiles=4,4; tile=5",
        "scale=2,2; turn=0.1",
    ):
        placement = Placement.parse(text)
        for channels in ((0,), (0, 1, 2)):
            out = np.empty((len(channels), SIZE * 256), np.float32)
            seconds = min(
                once(lambda c=channels, p=placement, o=out: read_placed(texture, p, (SIZE, SIZE), box, c, o))
                for _ in range(7)
            )  # type: ignore[misc]
            wanted = f", wanted at most {20 if 'turn' in text else 15}" if len(channels) == 3 else ""
            print(
                f"Placed read, {text}, {len(channels)} channels: {seconds / out.shape[1] * 1e9:.1f} ns a texel{wanted}"
            )


def surface() -> None:
    """The lantern with all attributes against base color alone, and what nobody asked for."""
    with tempfile.TemporaryDirectory() as folder:
        state = Storage(copy_demo(Path(folder) / "demo", "moth-lantern")).open()
    steps, sources = state.bound_steps(state.project.variants[1].id), state.sources.at_size(SIZE, SIZE)
    picture = sources.base.as_linear_rgb()

    def round_trip() -> None:
        cv2.cvtColor(cv2.cvtColor(picture, cv2.COLOR_RGB2HSV), cv2.COLOR_HSV2RGB)

    everything = ratio(
        f"The lantern on {SIZE}, all attributes", lambda: evaluate_surface(steps, sources, state.attributes), round_trip
    )
    alone = ratio(f"The lantern on {SIZE}, base color", lambda: evaluate(steps, sources), round_trip)
    without = [step for step in steps if step.kind.key not in ("finish", "glow")]
    less = ratio("  the same without the steps Finish and Glow", lambda: evaluate(without, sources), round_trip)
    print(
        f"  all attributes cost {everything / alone:.2f} times the base color; steps nobody asked for {alone / less:.2f} times"
    )


def materials() -> None:
    """Ten steps with finish, glow and normal for all attributes, against the round trip; what each step costs."""
    plain = make_sources()
    rng = np.random.default_rng(3)
    noise = Raster(rng.integers(0, 256, (SIZE, SIZE, 3), np.uint8), Encoding.DATA)
    sources = Sources(plain.base, plain.coverages, textures={**plain.textures, "noise": noise})
    ids = [str(i) for i in range(4)]
    colors = ["#d8693c", "#3c69d8", "#69d83c", "#d8d8d8"]

    def step(kind: str, rows: int = 1, own: str = "", values: list[object] | None = None, **shared: object) -> Step:
        made = [
            Row(id=f"{kind}{i}", regions=(i,), inputs={own: Binding(value=v)} if own else {})
            for i, v in zip(ids, values or colors, strict=True)
        ]
        return Step(
            id=kind,
            kind=kind,
            name=kind,
            inputs={k: Binding(value=v) for k, v in shared.items()},
            rows=tuple(made) if rows > 1 else (Row(id="whole"),),
        )

    steps = [
        step("tint", 4, "color"), step("hue_shift", 4, "angle", [10.0, 20.0, 30.0, 40.0]), step("drift", noise="noise"),
        step("fade", gradient="dirt:0", tip="#d0c0a0"), step("grade", saturation=0.8),
        step("finish", 4, "roughness", [0.2, 0.4, 0.6, 0.8]), step("cover", mask="dirt:0", finish=True),
        step("normal_detail", detail="noise"), step("shade", occlusion="occlusion:0"), step("glow", mask="dirt:0"),
    ]  # fmt: skip
    wanted = ("base_color", "metallic", "roughness", "coat", "coat_roughness", "normal", "emissive")
    bound = bind_recipe(Recipe(steps=tuple(steps)), ids, {})
    picture = sources.base.as_unit()

    def round_trip() -> None:
        cv2.cvtColor(cv2.cvtColor(picture, cv2.COLOR_RGB2HSV), cv2.COLOR_HSV2RGB)

    ratio(
        f"Ten steps with finish, glow and normal on {SIZE}, all attributes",
        lambda: evaluate_surface(bound, sources, wanted),
        round_trip,
        5.0,
    )
    reference = min(once(round_trip) for _ in range(5))
    before = 0.0
    for count in range(len(steps) + 1):
        part = bound[:count]
        seconds = min(once(lambda p=part: evaluate_surface(p, sources, wanted)) for _ in range(3))  # type: ignore[misc]
        print(
            f"  {steps[count - 1].kind if count else 'reading and storing':20} {(seconds - before) / reference:.2f} times"
        )
        before = seconds
    speedup("  ten steps, two threads", lambda workers: evaluate_surface(bound, sources, wanted, workers=workers))


def run() -> None:
    """Print the ratio and the peak memory."""
    placed()
    surface()
    materials()
    sources = make_sources()
    picture = sources.base.as_unit()

    def round_trip() -> None:
        cv2.cvtColor(cv2.cvtColor(picture, cv2.COLOR_RGB2HSV), cv2.COLOR_HSV2RGB)

    yiq, oklch = make_steps(), make_steps("OKLCh")
    ratio("Recipe with rows on 2048 x 2048, YIQ hue shifts", lambda: evaluate(yiq, sources), round_trip, 1.4)
    ratio("  the same with OKLCh hue shifts", lambda: evaluate(oklch, sources), round_trip, 1.8)
    speedup("  YIQ hue shifts, two threads", lambda workers: evaluate(yiq, sources, workers=workers))
    inputs = sources.base.pixels.nbytes + sum(p.nbytes for p in sources.coverages)
    inputs += sum(r.pixels.nbytes for r in sources.textures.values())
    tracemalloc.start()
    evaluate(yiq, sources)
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    print(
        f"  peak memory beside the inputs: {peak / inputs:.2f} times them (with them {1 + peak / inputs:.2f}, wanted at most 6)"
    )


if __name__ == "__main__":
    run()
