"""Every kind of step: against its published formula, and the CPU against the GLSL."""

import numpy as np
import pytest
import skimage.color
from tests.helpers.glsl import Game

from evenpalette.core.color.encoding import decode_srgb, encode_srgb, encode_srgb_8bit
from evenpalette.core.color.hexcode import hex_to_linear
from evenpalette.core.color.oklab import linear_to_oklab, oklab_to_oklch
from evenpalette.core.raster.packing import packed
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.binding import bind_recipe
from evenpalette.core.recipe.evaluate import evaluate, trace
from evenpalette.core.recipe.recipe import Binding, Recipe, Row, Step
from evenpalette.core.recipe.shader import kit_shader
from evenpalette.core.recipe.shader_text import ShaderReads
from evenpalette.core.recipe.sources import Sources
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.recipe.weights import Sharing
from evenpalette.core.regions.overlap import POLICIES, Overlap, resolve_overlap, resolve_tile
from evenpalette.core.values import ChannelRef

RNG = np.random.default_rng(5)
SIZE = 96
BASE = Raster(RNG.integers(0, 256, (SIZE, SIZE, 3), np.uint8), Encoding.SRGB)
PLANES = [RNG.integers(0, 256, (SIZE, SIZE), np.uint8) for _ in range(5)]
TEXTURES = {"mask": Raster(RNG.integers(0, 256, (SIZE, SIZE, 4), np.uint8), Encoding.DATA)}
IDS = ["a", "b", "c", "d", "e"]

SETTINGS = {key: list(kind.examples) for key, kind in KINDS.items()}
#: Those that change the base color: the others are looked at in test_surface.
COLORED = {key: all_ for key, all_ in SETTINGS.items() if "base_color" in KINDS[key].writes}


@pytest.fixture(scope="module")
def game() -> Game:
    return Game()


def step(kind: str, inputs: dict[str, object], regions: tuple[str, ...] | None = None, amount: float = 1.0) -> Step:
    """A step with one row."""
    return rows_step(kind, [(regions, inputs)], amount)


def rows_step(kind: str, rows: list[tuple[tuple[str, ...] | None, dict[str, object]]], amount: float = 1.0) -> Step:
    maps = {m.key: Binding(value="mask" if m.whole else str(ChannelRef("mask", 1, True))) for m in KINDS[kind].maps}
    made = [
        Row(id=str(i), regions=regions, inputs={key: Binding(value=value) for key, value in inputs.items()})
        for i, (regions, inputs) in enumerate(rows)
    ]
    return Step(id=kind, kind=kind, name=kind, amount=Binding(value=amount), inputs=maps, rows=tuple(made))


def sharing(overlap: Overlap) -> tuple[Sharing, ...]:
    return (Sharing(overlap, len(PLANES)),)


def on_cpu(steps: list[Step], overlap: Overlap = Overlap.EXCLUSIVE, planes: list[np.ndarray] = PLANES) -> np.ndarray:
    bound = bind_recipe(Recipe(steps=tuple(steps)), IDS, {})
    return evaluate(bound, Sources(BASE, planes, sharing(overlap), TEXTURES), float_output=True).pixels


def on_gpu(
    game: Game,
    steps: list[Step],
    overlap: Overlap = Overlap.EXCLUSIVE,
    planes: list[np.ndarray] = PLANES,
    **how: object,
) -> np.ndarray:
    reads = ShaderReads({"mask": 4}, 3, sharing(overlap), IDS)
    shader = kit_shader(Recipe(steps=tuple(steps)), reads)
    four, last = (Raster(packed(planes[k : k + 4]), Encoding.DATA) for k in (0, 4))
    rasters = {"ep_base": BASE, "ep_coverage_0": four, "ep_coverage_1": last}
    rasters |= {name: TEXTURES[sampled.texture] for name, sampled in shader.textures.items()}
    return game.run(shader.text, rasters, {}, (SIZE, SIZE), **how)  # type: ignore[arg-type]


def assert_same_pixels(cpu: np.ndarray, gpu: np.ndarray) -> None:
    apart = np.abs(encode_srgb_8bit(cpu).astype(int) - encode_srgb_8bit(gpu).astype(int)).max(-1)
    assert (apart <= 1).mean() >= 0.999
    assert apart.max() <= 2


@pytest.mark.parametrize(("kind", "inputs"), [(k, s) for k, all_ in COLORED.items() for s in all_])
def test_cpu_and_glsl_give_the_same_pixels(game: Game, kind: str, inputs: dict[str, object]) -> None:
    for regions, amount in ((None, 1.0), (("b",), 0.8), (("a", "e"), 1.0)):
        steps = [step(kind, inputs, regions, amount)]
        changed = on_cpu(steps)
        assert np.abs(changed - BASE.as_linear()).max() > 0.02
        assert_same_pixels(changed, on_gpu(game, steps))


@pytest.mark.parametrize("overlap", list(Overlap))
def test_a_whole_recipe_gives_the_same_pixels_under_every_overlap_policy(game: Game, overlap: Overlap) -> None:
    steps = [
        step(kind, all_[0], (IDS[i % 5],) if i % 3 else None, 0.9) for i, (kind, all_) in enumerate(COLORED.items())
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
    # From red to yellow to green, as hues are counted everywhere else: against the angle of the (I, Q) plane.
    turn = np.exp(-1j * np.radians(40))
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
    # The later region comes first, the earlier one gets what is left.
    assert resolve_overlap(raw, Overlap.LAYERED) == pytest.approx(np.array([[0.2, 0.2], [0.8, 0.3]]))
    assert resolve_overlap(raw, Overlap.ADDITIVE) == pytest.approx(raw)


def test_a_box_a_size_and_a_trace_agree_with_the_whole_picture() -> None:
    steps = [step(kind, all_[0], ("a", "c"), 0.7) for kind, all_ in COLORED.items()]
    bound = bind_recipe(Recipe(steps=tuple(steps)), IDS, {})
    sources = Sources(BASE, PLANES, sharing(Overlap.EXCLUSIVE), TEXTURES)
    whole = evaluate(bound, sources, float_output=True).pixels
    assert (
        np.abs(evaluate(bound, sources, box=(10, 20, 50, 90), float_output=True).pixels - whole[20:90, 10:50]).max()
        < 1e-6
    )
    assert np.abs(trace(bound, sources, 33, 44)[-1]["base_color"] - whole[44, 33]).max() < 1e-6
    assert len(trace(bound, sources, 33, 44)) == len(steps) + 1
    small = evaluate(bound, sources, size=(SIZE // 2, SIZE // 2), float_output=True).pixels
    mean = whole.reshape(SIZE // 2, 2, SIZE // 2, 2, 3).mean((1, 3))
    assert np.abs(small - mean).max() < 1e-5
    assert evaluate(bound, sources, size=(200, 100)).size == (200, 100)


def soft_shares(count: int, off_by: int = 0) -> list[np.ndarray]:
    """Coverages of `count` regions that meet softly: each texel's shares are 8-bit and sum to 255 - off_by."""
    rng = np.random.default_rng(3)
    cuts = np.sort(rng.integers(0, 256 - off_by, (count - 1, SIZE, SIZE)), 0)
    edges = np.concatenate([np.zeros((1, SIZE, SIZE)), cuts, np.full((1, SIZE, SIZE), 255 - off_by)])
    return [np.ascontiguousarray(plane) for plane in np.diff(edges, axis=0).astype(np.uint8)]


@pytest.mark.parametrize("overlap", list(Overlap))
@pytest.mark.parametrize("kind", ["tint", "replace"])
@pytest.mark.parametrize("off_by", [0, 1, 4])
def test_regions_of_one_color_show_no_border(game: Game, kind: str, overlap: Overlap, off_by: int) -> None:
    """Every row has the color for itself; what comes out is what one row everywhere gives."""
    planes = soft_shares(5, off_by)
    rows = rows_step(kind, [((region,), {"color": "#202020"}) for region in IDS])
    one = step(kind, {"color": "#202020"})
    expected = encode_srgb_8bit(on_cpu([one])).astype(int)
    assert np.abs(encode_srgb_8bit(on_cpu([rows], overlap, planes)).astype(int) - expected).max() <= 1
    for es in (False, True):
        drawn = on_gpu(game, [rows], overlap, planes, es=es)
        assert np.abs(encode_srgb_8bit(drawn).astype(int) - expected).max() <= 1


def test_one_step_for_each_region_leaves_the_border_that_rows_take_away() -> None:
    white = Sources(Raster(np.full((1, 3, 3), 255, np.uint8), Encoding.SRGB), [
        np.array([[255, 128, 0]], np.uint8), np.array([[0, 127, 255]], np.uint8),
    ])  # fmt: skip
    dark = {"color": "#202020"}
    apart_ = bind_recipe(Recipe(steps=(step("tint", dark, ("a",)), step("tint", dark, ("b",)))), ["a", "b"], {})
    together = bind_recipe(Recipe(steps=(rows_step("tint", [(("a",), dark), (("b",), dark)]),)), ["a", "b"], {})
    assert evaluate(apart_, white).pixels[0, :, 0].tolist() == [32, 139, 32]
    assert evaluate(together, white).pixels[0, :, 0].tolist() == [32, 32, 32]


def test_rows_act_on_what_was_before_the_step_by_their_weights(game: Game) -> None:
    """The sum by hand, for every kind; everywhere else has what no other row has; weights past one are divided."""
    raw = np.stack(PLANES).astype(np.float64) / 255
    base = BASE.as_linear().astype(np.float64)
    for kind, all_ in COLORED.items():
        for inputs in all_:
            rows = [(("a", "b"), inputs), (("d",), {}), (None, inputs)]
            made = rows_step(kind, rows, 0.9)
            alone = [full(kind, dict(own)).astype(np.float64) - base for _, own in rows]
            weights = [np.minimum(raw[0] + raw[1], 1), raw[3], np.maximum(1 - raw[0] - raw[1] - raw[3], 0)]
            weights = [w * 0.9 for w in weights]
            over = np.maximum(sum(weights), 1)
            expected = base + sum(w[..., None] * d for w, d in zip(weights, alone, strict=True)) / over[..., None]
            # Additive keeps the coverages as they are, but for sums just below one.
            close = (np.abs(raw.sum(0) - 1) < 0.04)[..., None] | (np.abs(expected) < 0)
            found = on_cpu([made], Overlap.ADDITIVE)
            assert np.abs(np.where(close, 0, found - expected)).max() < 2e-4
            assert_same_pixels(found, on_gpu(game, [made], Overlap.ADDITIVE))


def test_the_compiled_policies_are_the_written_ones() -> None:
    raw = np.random.default_rng(8).integers(0, 256, (4, 4000), np.uint8)
    raw[:, :1000] = np.stack(soft_shares(4, 2)).reshape(4, -1)[:, :1000]
    for overlap in POLICIES:
        expected = resolve_overlap(raw.astype(np.float32) / 255, overlap)
        assert np.abs(resolve_tile(raw, overlap) - expected).max() < 1e-5


def test_both_hue_shifts_turn_from_red_to_yellow_to_green() -> None:
    red = Sources(Raster(np.array([[[0.8, 0.1, 0.1]]], np.float32), Encoding.LINEAR))
    for space in ("YIQ", "OKLCh", "YIQ encoded"):
        bound = bind_recipe(Recipe(steps=(step("hue_shift", {"angle": 40.0, "space": space}),)), [], {})
        r, g, b = evaluate(bound, red, float_output=True).pixels[0, 0]
        assert g > b + 0.05, space
        assert r > b, space


def test_extreme_values_stay_numbers(game: Game) -> None:
    values = np.array([0, 1, 100, -1, np.nan, np.inf, -np.inf, 1e-30], np.float32)
    base = Raster(
        np.stack(np.meshgrid(values, values, values), -1).reshape(8, 64, 3).astype(np.float32), Encoding.LINEAR
    )
    mask = {"mask": Raster(np.resize(values, (8, 64, 4)).astype(np.float32), Encoding.DATA)}
    planes = [np.full((8, 64), 255, np.uint8)] * 2
    for kind, all_ in COLORED.items():
        for inputs in all_:
            steps = [rows_step(kind, [(("a",), inputs), (("b",), inputs)])]
            bound = bind_recipe(Recipe(steps=tuple(steps)), ["a", "b"], {})
            assert np.isfinite(evaluate(bound, Sources(base, planes, (), mask), float_output=True).pixels).all()


def test_cpu_and_glsl_agree_between_texel_centers_of_unequal_textures(game: Game) -> None:
    """A base of half the size and a mask of a quarter; sampled at three times the working size, off the centers."""
    rng = np.random.default_rng(11)
    base = Raster(rng.integers(0, 256, (48, 48, 3), np.uint8), Encoding.SRGB)
    mask = Raster(rng.integers(0, 256, (24, 24, 4), np.uint8), Encoding.DATA)
    planes = soft_shares(5)
    steps = [
        rows_step(
            "tint",
            [
                ((r,), {"color": c})
                for r, c in zip(IDS, ("#d8693c", "#3060c0", "#20a040", "#202020", "#f0f0f0"), strict=True)
            ],
        ),
        step("cover", {"color": "#2b2620"}),
    ]
    bound = bind_recipe(Recipe(steps=tuple(steps)), IDS, {})
    sources = Sources(base, planes, (), {"mask": mask})
    size = (SIZE * 3, SIZE * 3)
    cpu = evaluate(bound, sources, size=size, float_output=True).pixels
    shader = kit_shader(Recipe(steps=tuple(steps)), ShaderReads({"mask": 4}, 3, sources.divisions, IDS))
    rasters = {"ep_base": base, "ep_map_0": mask}
    rasters |= {f"ep_coverage_{k}": Raster(packed(planes[4 * k : 4 * k + 4]), Encoding.DATA) for k in range(2)}
    drawn = game.run(shader.text, rasters, {}, size, repeat=False)
    apart_ = np.abs(encode_srgb_8bit(cpu).astype(int) - encode_srgb_8bit(drawn).astype(int)).max(-1)
    # Coverages are resampled in 8 bits on the CPU and in finer steps on the GPU: a code or two.
    assert (apart_ <= 2).mean() > 0.999
    assert apart_.mean() < 0.5
