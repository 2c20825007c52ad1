"""Every kind of step: against its published formula, and the CPU against the GLSL."""

import numpy as np
import pytest
import skimage.color
from tests.glsl import Game

from evenpalette.core.color.encoding import decode_srgb, encode_srgb, encode_srgb_8bit
from evenpalette.core.color.hexcode import hex_to_linear
from evenpalette.core.color.oklab import linear_to_oklab, oklab_to_oklch
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.binding import bind_recipe
from evenpalette.core.recipe.evaluate import Sources, evaluate, trace
from evenpalette.core.recipe.model import Binding, ChannelRef, Recipe, Step
from evenpalette.core.recipe.shader import kit_shader
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.regions.coverage import resolve_overlap
from evenpalette.core.regions.model import Overlap

RNG = np.random.default_rng(5)
SIZE = 96
BASE = Raster(RNG.integers(0, 256, (SIZE, SIZE, 3), np.uint8), Encoding.SRGB)
PLANES = [RNG.integers(0, 256, (SIZE, SIZE), np.uint8) for _ in range(5)]
TEXTURES = {"mask": Raster(RNG.integers(0, 256, (SIZE, SIZE, 4), np.uint8), Encoding.DATA)}
IDS = ["a", "b", "c", "d", "e"]

#: Settings away from the neutral ones, several for a kind that has modes.
SETTINGS: dict[str, list[dict[str, object]]] = {
    "tint": [{"color": "#d8693c", "detail": 0.7}],
    "replace": [{"color": "#3c7ad8", "keep_light": 0.0}, {"color": "#3c7ad8", "keep_light": 0.6}],
    "hue_shift": [
        {"angle": 75.0, "saturation": 1.3, "brightness": 0.05, "space": "YIQ"},
        {"angle": -110.0, "saturation": 0.8, "brightness": -0.04, "space": "OKLCh"},
    ],
    "grade": [{"black": 0.1, "white": 0.85, "gamma": 1.4, "contrast": 1.2, "saturation": 0.6}],
    "cover": [{"color": "#2b2620", "level": 0.8, "softness": 0.4}],
    "shade": [{"color": "#102040"}],
}


@pytest.fixture(scope="module")
def game() -> Game:
    return Game()


def step(kind: str, inputs: dict[str, object], regions: tuple[str, ...] | None = None, amount: float = 1.0) -> Step:
    channels = {c.key: ChannelRef(texture="mask", channel=1, invert=True) for c in KINDS[kind].channels}
    bindings = {key: Binding(value=value) for key, value in inputs.items()}
    return Step(
        id=kind, kind=kind, name=kind, regions=regions, amount=Binding(value=amount), inputs=bindings, channels=channels
    )


def on_cpu(steps: list[Step], overlap: Overlap = Overlap.EXCLUSIVE) -> np.ndarray:
    bound = bind_recipe(Recipe(steps=tuple(steps)), IDS, {})
    return evaluate(bound, Sources(BASE, PLANES, overlap, TEXTURES), float_output=True).pixels


def on_gpu(game: Game, steps: list[Step], overlap: Overlap = Overlap.EXCLUSIVE) -> np.ndarray:
    shader = kit_shader(Recipe(steps=tuple(steps)), IDS, overlap, lambda ref: ref.channel)
    four = Raster(np.ascontiguousarray(np.stack(PLANES[:4], -1)), Encoding.DATA)
    last = Raster(np.ascontiguousarray(np.stack([PLANES[4]] * 4, -1)), Encoding.DATA)
    rasters = {"ep_base": BASE, "ep_coverage_0": four, "ep_coverage_1": last}
    rasters |= {name: TEXTURES[texture] for name, texture in shader.textures.items()}
    return game.run(shader.text, rasters, {}, (SIZE, SIZE))


def assert_same_pixels(cpu: np.ndarray, gpu: np.ndarray) -> None:
    apart = np.abs(encode_srgb_8bit(cpu).astype(int) - encode_srgb_8bit(gpu).astype(int)).max(-1)
    assert (apart <= 1).mean() >= 0.999
    assert apart.max() <= 2


def test_every_kind_has_settings_here() -> None:
    assert set(SETTINGS) == set(KINDS)


@pytest.mark.parametrize(("kind", "inputs"), [(k, s) for k, all_ in SETTINGS.items() for s in all_])
def test_cpu_and_glsl_give_the_same_pixels(game: Game, kind: str, inputs: dict[str, object]) -> None:
    for regions, amount in ((None, 1.0), (("b",), 0.8), (("a", "e"), 1.0)):
        steps = [step(kind, inputs, regions, amount)]
        changed = on_cpu(steps)
        assert np.abs(changed - BASE.as_linear()).max() > 0.02
        assert_same_pixels(changed, on_gpu(game, steps))


@pytest.mark.parametrize("overlap", list(Overlap))
def test_a_whole_recipe_gives_the_same_pixels_under_every_overlap_policy(game: Game, overlap: Overlap) -> None:
    steps = [
        step(kind, all_[0], (IDS[i % 5],) if i % 3 else None, 0.9) for i, (kind, all_) in enumerate(SETTINGS.items())
    ]
    assert_same_pixels(on_cpu(steps, overlap), on_gpu(game, steps, overlap))


def full(kind: str, inputs: dict[str, object]) -> np.ndarray:
    bound = bind_recipe(Recipe(steps=(step(kind, inputs),)), [], {})
    return evaluate(bound, Sources(BASE, textures=TEXTURES), float_output=True).pixels


def test_neutral_settings_change_nothing() -> None:
    for kind in ("tint", "hue_shift", "grade"):
        inputs = {i.key: i.default for i in KINDS[kind].inputs}
        assert np.abs(full(kind, inputs) - BASE.as_linear()).max() < 2e-6
    assert np.abs(full("shade", {"color": "#ffffff"}) - BASE.as_linear()).max() < 1e-6


def test_tint_multiplies() -> None:
    # W3C Compositing and Blending 1, "multiply"; white is neutral, black is black (common practice, no source).
    assert full("tint", {"color": "#d8693c"}) == pytest.approx(BASE.as_linear() * hex_to_linear("#d8693c"), abs=1e-6)
    assert full("tint", {"color": "#000000"}).max() == 0


def test_hue_shift_turns_i_and_q_by_the_angle() -> None:
    # Against scikit-image's rgb2yiq, on the same linear values.
    before, after = skimage.color.rgb2yiq(BASE.as_linear()), skimage.color.rgb2yiq(full("hue_shift", {"angle": 40.0}))
    turn = np.exp(1j * np.radians(40))
    assert np.abs((before[..., 1] + 1j * before[..., 2]) * turn - (after[..., 1] + 1j * after[..., 2])).max() < 1e-5
    assert np.abs(before[..., 0] - after[..., 0]).max() < 1e-5


def test_oklch_hue_shift_keeps_lightness_and_chroma() -> None:
    before = oklab_to_oklch(linear_to_oklab(BASE.as_linear()))
    after = oklab_to_oklch(linear_to_oklab(full("hue_shift", {"angle": 60.0, "space": "OKLCh"})))
    assert np.abs(before[..., :2] - after[..., :2]).max() < 2e-4
    colored = before[..., 1] > 0.05
    assert np.abs((after[..., 2] - before[..., 2] - 60 + 180) % 360 - 180)[colored].max() < 0.1


def test_grade_levels_by_their_definition() -> None:
    encoded = encode_srgb(BASE.as_linear())
    expected = decode_srgb(np.clip((encoded - 0.2) / 0.5, 0, 1) ** (1 / 2.0))
    assert np.abs(full("grade", {"black": 0.2, "white": 0.7, "gamma": 2.0}) - expected).max() < 2e-5


def test_cover_and_shade_follow_their_mask() -> None:
    mask = 1 - TEXTURES["mask"].channel(1)[..., None]
    base = BASE.as_linear()
    dirt = hex_to_linear("#2b2620")
    assert full("cover", {"color": "#2b2620"}) == pytest.approx(base * (1 - mask) + dirt * mask, abs=1e-5)
    # glTF 2.0: occlusion multiplies; black as shadow color is plain occlusion.
    assert full("shade", {}) == pytest.approx(base * mask, abs=1e-6)


def test_overlap_policies_by_their_definition() -> None:
    raw = np.array([[0.6, 0.2], [0.8, 0.3]], np.float32)
    assert resolve_overlap(raw, Overlap.EXCLUSIVE) == pytest.approx(np.array([[0.6 / 1.4, 0.2], [0.8 / 1.4, 0.3]]))
    assert resolve_overlap(raw, Overlap.LAYERED) == pytest.approx(np.array([[0.6 * 0.2, 0.2 * 0.7], [0.8, 0.3]]))
    assert resolve_overlap(raw, Overlap.ADDITIVE) == pytest.approx(raw)


def test_a_box_a_size_and_a_trace_agree_with_the_whole_picture() -> None:
    steps = [step(kind, all_[0], ("a", "c"), 0.7) for kind, all_ in SETTINGS.items()]
    bound = bind_recipe(Recipe(steps=tuple(steps)), IDS, {})
    sources = Sources(BASE, PLANES, Overlap.EXCLUSIVE, TEXTURES)
    whole = evaluate(bound, sources, float_output=True).pixels
    assert (
        np.abs(evaluate(bound, sources, box=(10, 20, 50, 90), float_output=True).pixels - whole[20:90, 10:50]).max()
        < 1e-6
    )
    assert np.abs(trace(bound, sources, 33, 44)[-1] - whole[44, 33]).max() < 1e-6
    assert len(trace(bound, sources, 33, 44)) == len(steps) + 1
    small = evaluate(bound, sources, size=(SIZE // 2, SIZE // 2), float_output=True).pixels
    mean = whole.reshape(SIZE // 2, 2, SIZE // 2, 2, 3).mean((1, 3))
    assert np.abs(small - mean).max() < 1e-5
    assert evaluate(bound, sources, size=(200, 100)).size == (200, 100)
