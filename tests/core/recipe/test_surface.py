"""The whole surface: attributes, the plan, placed textures, picks by copy."""

import random
from collections.abc import Iterator, Mapping
from pathlib import Path

import hypothesis.strategies as st
import moderngl
import numpy as np
import pytest
import scipy.stats
from hypothesis import HealthCheck, given, settings
from tests.helpers.glsl import Game, apart

from evenpalette.core.color.encoding import decode_srgb, encode_srgb_8bit
from evenpalette.core.color.hexcode import hex_to_linear
from evenpalette.core.errors import RecipeError, ValueProblem
from evenpalette.core.pcg import GLSL as PCG_GLSL
from evenpalette.core.pcg import pcg_of_one
from evenpalette.core.placement import Filter, Placement, Wrap
from evenpalette.core.raster.mips import MipKind, mip_chain
from evenpalette.core.raster.packing import packed
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.sampling import level_of_detail, read_placed
from evenpalette.core.recipe.attributes import ATTRIBUTES
from evenpalette.core.recipe.binding import Binder, Moment, bind_recipe
from evenpalette.core.recipe.evaluate import evaluate_surface, trace
from evenpalette.core.recipe.example import example_step
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.recipe.pick import GLSL as PICK_GLSL
from evenpalette.core.recipe.pick import pick_index, pick_share, picked
from evenpalette.core.recipe.plan import plan_of, whole_plan
from evenpalette.core.recipe.pulse import accepted_pulse, share_at
from evenpalette.core.recipe.recipe import Binding, Pick, Pulse, Recipe, Row, Step
from evenpalette.core.recipe.shader import kit_shader
from evenpalette.core.recipe.shader_text import ShaderReads
from evenpalette.core.recipe.sources import Sources, Start
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.storage.demo_files import copy_demo, demo_names
from evenpalette.core.storage.storage import Storage
from evenpalette.core.values import Input, Value, ValueType

RNG = np.random.default_rng(17)
SIZE = 64
IDS = ["a", "b"]
BASE = Raster(RNG.integers(0, 256, (SIZE, SIZE, 3), np.uint8), Encoding.SRGB)
PLANES = [RNG.integers(0, 256, (SIZE, SIZE), np.uint8) for _ in IDS]
WIDE = Raster(RNG.integers(0, 256, (32, 128, 4), np.uint8), Encoding.SRGB)
ODD = Raster(RNG.integers(0, 256, (40, 24, 3), np.uint8), Encoding.DATA)


@pytest.fixture(scope="module")
def game() -> Game:
    return Game()


def bound(*steps: Step, at: Moment = Moment()) -> list:  # noqa: B008
    return bind_recipe(Recipe(steps=steps), IDS, {}, at)


def drawn(
    game: Game, steps: tuple[Step, ...], textures: Mapping[str, Raster], attribute: str, size=(SIZE, SIZE), **how
):  # type: ignore[no-untyped-def]
    """What a game draws of an attribute, (height, width, 3)."""
    sources = Sources(BASE, PLANES)
    shader = kit_shader(
        Recipe(steps=steps), ShaderReads({key: r.channels for key, r in textures.items()}, 3, sources.divisions, IDS)
    )
    rasters = {"ep_base": BASE, "ep_coverage_0": Raster(packed(PLANES), Encoding.DATA)}
    for name, sampled in shader.textures.items():
        raster = textures[sampled.texture]
        rasters[name] = raster if sampled.as_color else raster.with_encoding(Encoding.DATA)
    placed = [name for name, sampled in shader.textures.items() if sampled.placed]
    return game.run(shader.text, rasters, {}, size, mips=True, repeat=placed, attribute=attribute, **how)


# --- reading textures
# --------------------------------------------------------------------------------------------------


def by_opengl(game: Game, raster: Raster, at: np.ndarray, lods: np.ndarray, wrap: Wrap) -> np.ndarray:
    """What OpenGL's own sampler reads at (n, 2) coordinates and (n,) levels from our chain, uploaded level by level."""
    # OpenGL 4.6, table 8.20: MIRRORED_REPEAT reads as CLAMP_TO_EDGE what lies at the mirrored place.
    mirrored = 1 - np.abs(at % 2 - 1) if wrap is Wrap.MIRROR else at
    points = np.concatenate([mirrored, lods[:, None], np.zeros((len(at), 1))], 1).astype("f4")

    def load() -> dict[str, moderngl.Texture]:
        texture = game.ctx.texture(raster.size, raster.channels, dtype="f4", alignment=1)
        texture.build_mipmaps()
        for level, made in enumerate(mip_chain(raster).levels):
            texture.write(np.ascontiguousarray(made.as_linear(), np.float32), level=level, alignment=1)
        texture.filter = moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR
        texture.repeat_x = texture.repeat_y = wrap is Wrap.REPEAT
        return {"s": texture, "places": game.ctx.texture((len(at), 1), 4, points.tobytes(), dtype="f4")}

    body = "uniform sampler2D s, places; void main() { vec3 p = texelFetch(places, ivec2(gl_FragCoord.xy), 0).xyz; o = textureLod(s, p.xy, p.z); }"
    return game.fill(body, (len(at), 1), apart(load))[0]


@pytest.mark.parametrize("wrap", list(Wrap))
@pytest.mark.parametrize("raster", [WIDE, ODD], ids=["color", "data of odd sizes"])
def test_reads_are_those_of_opengl_at_random_coordinates_and_levels(game: Game, raster: Raster, wrap: Wrap) -> None:
    """One texel pictures put the coordinate and the level of detail anywhere. Mesa interpolates floats exactly."""
    rng = np.random.default_rng(3)
    at, lods = rng.uniform(-3, 3, (300, 2)), rng.uniform(0, 5, 300)
    at[:100] = np.round(at[:100] * raster.size) / raster.size  # at texel edges
    lods[::3] = np.floor(lods[::3])
    found = np.empty((300, 4), np.float32)
    for i, ((u, v), lod) in enumerate(zip(at, lods, strict=True)):
        scale = (2.0**lod / max(raster.size), 2.0**lod / max(raster.size))
        placed = Placement(scale=scale, offset=(u - scale[0] / 2, v - scale[1] / 2), wrap=wrap)
        assert level_of_detail(placed, raster.size, (1, 1)) == pytest.approx(lod, abs=1e-9)
        found[i] = read_placed(raster, placed, (1, 1), (0, 0, 1, 1), (0, 1, 2, 3), np.empty((4, 1), np.float32))[:, 0]
    expected = by_opengl(game, raster, at, lods, wrap)
    # llvmpipe takes the logarithm of levels and the weights between them in fewer bits.
    assert np.abs(found - expected)[:, : raster.channels].max() < 4e-3
    assert np.abs(found - expected)[::3, : raster.channels].max() < 1e-4


PLACED = [
    "scale=2,2", "scale=0.5,1", "scale=4,-2; offset=0.3,0.7", "turn=0.25", "turn=0.5; offset=0.0078125,0",
    "scale=2,2; wrap=mirror", "scale=2,4; wrap=mirror; offset=0.11,0", "scale=2,2; wrap=clamp; offset=-0.5,-0.25",
    "tiles=4,2; tile=5", "scale=4,4; tiles=4,2; tile=2", "scale=8,8; tiles=2,2; tile=3; wrap=mirror",
    "scale=2,2; filter=nearest", "scale=4,4; filter=bilinear", "tiles=2,1; tile=1; filter=nearest; wrap=clamp",
    "drift=0.3,-0.1; scale=2,2",
]  # fmt: skip


@pytest.mark.parametrize("text", PLACED)
@pytest.mark.parametrize("name", ["wide", "odd"])
def test_placed_textures_are_the_same_on_cpu_and_gpu(game: Game, text: str, name: str) -> None:
    """At scales of powers of two a code; a texture of an odd size has levels between, where the sampler counts in
    eighths of a bit: three codes, on average a third."""
    textures = {"wide": WIDE, "odd": ODD}
    step = example_step(KINDS["fill"], {"tint": "#ffffff", "multiply": 0.0}, IDS, text, texture=name)
    for seconds, size in ((0.0, (SIZE, SIZE)), (2.75, (SIZE * 2, SIZE))):
        steps = bound(step, at=Moment(seconds=seconds))
        cpu = evaluate_surface(steps, Sources(BASE, PLANES, textures=textures), ["base_color"], size=size)["base_color"]
        gpu = encode_srgb_8bit(drawn(game, (step,), textures, "base_color", size, seconds=seconds))
        gap = np.abs(cpu.pixels.astype(int) - gpu)
        if name == "wide" and size[0] == SIZE:
            assert (gap <= 1).mean() >= 0.999
            assert gap.max() <= 2
        else:
            assert gap.mean() < 1.0
            assert np.percentile(gap, 99) <= 8


def test_a_turned_and_scaled_texture_agrees_within_what_filters_differ_by(game: Game) -> None:
    step = example_step(KINDS["fill"], {}, (), "scale=1.7,1.3; turn=0.07; offset=0.21,0.4", texture="t")
    smooth = np.sin(np.linspace(0, 4 * np.pi, 64, endpoint=False))
    waves = Raster(
        np.round(127.5 + 120 * smooth[:, None, None] * smooth[None, :, None]).astype(np.uint8).repeat(3, -1),
        Encoding.DATA,
    )
    cpu = evaluate_surface(bound(step), Sources(BASE, PLANES, textures={"t": waves}), ["base_color"])["base_color"]
    gap = np.abs(cpu.pixels.astype(int) - encode_srgb_8bit(drawn(game, (step,), {"t": waves}, "base_color")))
    assert gap.max() <= 3
    assert (gap <= 1).mean() > 0.98


def test_a_plain_placement_is_the_texel_and_a_period_changes_nothing() -> None:
    def read(text: str) -> np.ndarray:
        out = np.empty((3, SIZE * SIZE), np.float32)
        return read_placed(BASE, Placement.parse(text), (SIZE, SIZE), (0, 0, SIZE, SIZE), (0, 1, 2), out)

    plain = BASE.as_linear().reshape(-1, 3).T
    assert np.abs(read("") - plain).max() < 1e-6
    for text in ("offset=1,-3", "turn=1", "turn=-2", "scale=1,1; offset=2,2; wrap=mirror"):
        assert np.abs(read(text) - plain).max() < 1e-5, text
    # A quarter turn from u to v: what lies at (u, v) is read at (-v, u).
    turned = np.rot90(BASE.as_linear(), 1, (0, 1)).reshape(-1, 3).T
    assert np.abs(read("turn=0.25") - turned).max() < 1e-5


@pytest.mark.parametrize("size", [(1, 1), (2, 1), (1, 3), (2, 2), (7, 5), (64, 33)])
def test_three_channels_that_are_fetched_together_are_those_that_are_fetched_alone(size: tuple[int, int]) -> None:
    """To the last texel, behind which there is nothing to fetch; in every way to wrap and filter, of color and data."""
    rng = np.random.default_rng(5)
    for channels, encoding in ((3, Encoding.SRGB), (4, Encoding.SRGB), (3, Encoding.DATA)):
        texture = Raster(rng.integers(0, 256, (size[1], size[0], channels), np.uint8), encoding)
        for rest in ("", "; wrap=mirror", "; wrap=clamp; scale=3,3", "; filter=nearest", "; scale=2,2; offset=0.4,0.3"):
            placed, box = Placement.parse(f"turn=0.13{rest}"), (0, 0, 90, 40)
            together = read_placed(texture, placed, (90, 40), box, (0, 1, 2), np.empty((3, 3600), np.float32))
            for channel in range(3):
                alone = read_placed(texture, placed, (90, 40), box, (channel,), np.empty((1, 3600), np.float32))
                assert np.abs(together[channel] - alone[0]).max() < 1e-6, (channels, encoding, rest)
    # A turn whose level is a whole number but for its last bits reads that level alone.
    assert level_of_detail(Placement.parse("scale=2,2; turn=0.2"), (64, 64), (64, 64)) == 1.0


def test_our_mip_levels_are_area_averages_of_what_the_texture_holds() -> None:
    color, data = mip_chain(WIDE).levels, mip_chain(ODD).levels
    assert [level.size for level in data] == [(24, 40), (12, 20), (6, 10), (3, 5), (1, 2), (1, 1)]
    linear = decode_srgb(WIDE.pixels[..., :3] / 255).reshape(16, 2, 64, 2, 3).mean((1, 3))
    assert np.abs(color[1].pixels[..., :3].astype(int) - encode_srgb_8bit(linear)).max() <= 1
    # Exact areas where a size is odd: the mean of everything is the last texel, but for rounding at every level.
    assert np.abs(data[-1].pixels[0, 0].astype(float) - ODD.pixels.mean((0, 1))).max() < 2.5
    vectors = RNG.normal(size=(16, 16, 3)) + (0, 0, 2)
    vectors /= np.linalg.norm(vectors, axis=-1, keepdims=True)
    normals = mip_chain(Raster(np.round((vectors * 0.5 + 0.5) * 255).astype(np.uint8), Encoding.DATA), MipKind.NORMAL)
    for level in normals.levels[1:]:
        assert np.abs(np.linalg.norm(level.as_unit() * 2 - 1, axis=-1) - 1).max() < 0.02
    leaves = np.zeros((64, 64, 4), np.uint8)
    leaves[..., 3] = np.where(RNG.random((64, 64)) < 0.3, 255, 0)
    plain, kept = (
        mip_chain(Raster(leaves, Encoding.SRGB), kind).levels[3] for kind in (MipKind.PLAIN, MipKind.CUT_OUT)
    )
    share = (leaves[..., 3] >= 128).mean()
    assert (plain.as_unit()[..., 3] >= 0.5).mean() < share / 2
    assert (kept.as_unit()[..., 3] >= 0.5).mean() == pytest.approx(share, abs=0.02)


@pytest.mark.parametrize(
    "text",
    ["scale=0x", "scale=nan", "turn=1e99", "tiles=0,2", "tiles=999,1", "wrap=sideways", "shear=1", "scale=1,2,3", "="],
)
def test_a_malformed_placement_says_what_one_has(text: str) -> None:
    with pytest.raises(ValueProblem, match="placement has"):
        Placement.parse(text)


def test_a_placement_is_its_text() -> None:
    made = Placement((2.0, -1.0), 0.125, (0.5, 0), (0.1, 0), (4, 2), 5, Wrap.MIRROR, Filter.NEAREST)
    assert Placement.parse(str(made)) == made
    assert str(Placement()) == ""
    part = Placement(part=(0.25, 0.5, 0.125, 0.5))
    assert Placement.parse(str(part)) == part
    assert not part.is_whole
    with pytest.raises(ValueProblem, match="part"):
        Placement.parse("part=0.5,0,0.75,1")
    assert Placement.parse("scale=3").scale == (3, 3)
    assert Placement.parse("tiles=2; tile=99").tile == 3


# --- the plan
# ----------------------------------------------------------------------------------------------------------


class Counted(dict[str, Raster]):
    """Textures that count how often each is asked for."""

    def __init__(self, held: Mapping[str, Raster]) -> None:
        super().__init__(held)
        self.asked: list[str] = []

    def __getitem__(self, key: str) -> Raster:
        self.asked.append(key)
        return super().__getitem__(key)


EXAMPLES = [(kind, example) for kind in KINDS.values() for example in kind.examples]
KEYS = list(ATTRIBUTES)


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(
    picks=st.lists(st.tuples(st.sampled_from(range(len(EXAMPLES))), st.sampled_from([(), ("a",), ("a", "b")]), st.sampled_from([0.0, 0.6, 1.0])), max_size=6),
    wanted=st.sets(st.sampled_from(KEYS), min_size=1),
)  # fmt: skip
def test_what_is_planned_is_what_is_not_planned(picks: list, wanted: set[str]) -> None:
    """For random recipes and random wishes; every step reads a texture of its own, and those left out are not read."""
    names = [f"t{n}" for n in range(len(picks))]
    steps = [
        example_step(*EXAMPLES[index], regions, "scale=2,2" if n % 2 else "", texture=name, amount=amount)
        for n, ((index, regions, amount), name) in enumerate(zip(picks, names, strict=True))
    ]
    counted = Counted(dict.fromkeys(names, WIDE))
    sources = Sources(BASE, PLANES, textures=counted, starts={"opacity": Start("start", (3,))})
    bound_steps = bound(*steps)
    planned = plan_of(bound_steps, wanted)
    found = evaluate_surface(bound_steps, sources, wanted, float_output=True, workers=1)
    kept = {names[n] for n, ops in enumerate(planned.ops) if ops and KINDS[steps[n].kind].maps}
    assert set(counted.asked) <= kept
    whole = evaluate_surface(bound_steps, sources, wanted, float_output=True, plan=whole_plan(bound_steps, wanted))
    assert set(found) == wanted
    for attribute, raster in found.items():
        assert np.abs(raster.pixels - whole[attribute].pixels).max() < 2e-5, attribute


def test_a_finish_everywhere_ends_the_chain_and_base_color_needs_none_of_it() -> None:
    steps = bound(
        example_step(KINDS["tint"], {"color": "#808080"}),
        example_step(KINDS["cover"], {"finish": True}, texture="mask"),
        example_step(KINDS["finish"], {"roughness": 0.3}),
        example_step(KINDS["glow"], {"color": "#ffffff"}, texture="glow"),
    )
    rough = plan_of(steps, ["roughness"])
    assert [len(ops) for ops in rough.ops] == [0, 0, 1, 0]
    assert rough.starts == frozenset()
    color = plan_of(steps, ["base_color"])
    assert [[op.writes for op in ops] for ops in color.ops] == [["base_color"], ["base_color"], [], []]
    # In some regions only: what lies below is needed again.
    partly = plan_of(bound(example_step(KINDS["cover"], {"finish": True}, texture="m"), Step(
        id="f", kind="finish", name="f", rows=(Row(id="1", regions=("a",)),)
    )), ["roughness"])  # fmt: skip
    assert [len(ops) for ops in partly.ops] == [1, 1]


def test_a_tile_where_nothing_has_a_weight_reads_no_texture() -> None:
    counted = Counted({"t": WIDE})
    empty = [np.zeros((SIZE, SIZE), np.uint8)] * 2
    step = Step(
        id="s", kind="fill", name="s", inputs={"picture": Binding(value="t"), "picture_placed": Binding(value="scale=2")},
        rows=(Row(id="1", regions=("a",)),),
    )  # fmt: skip
    evaluate_surface(bound(step), Sources(BASE, empty, textures=counted), ["base_color"])
    assert counted.asked == []
    evaluate_surface(bound(step), Sources(BASE, PLANES, textures=counted), ["base_color"], workers=1)
    assert counted.asked == ["t"]


# --- operations
# --------------------------------------------------------------------------------------------------------


def made(step: Step, attribute: str, textures: Mapping[str, Raster] | None = None) -> np.ndarray:
    sources = Sources(BASE, PLANES, textures=textures or {})
    return evaluate_surface(bound(step), sources, [attribute], float_output=True)[attribute].pixels


def test_finish_and_cover_write_their_numbers() -> None:
    values = {"metallic": 0.8, "roughness": 0.3, "coat": 0.6, "coat_roughness": 0.2}
    for key, value in values.items():
        assert np.abs(made(example_step(KINDS["finish"], values), key) - value).max() < 1e-6
    mask = Raster(RNG.integers(0, 256, (SIZE, SIZE, 1), np.uint8), Encoding.DATA)
    soot = {"color": "#241d18", "finish": True, "roughness": 0.9, "metallic": 0.1}
    t = mask.channel(0)[..., None]
    # Roughness begins at 0.5, metallic at 0: glTF 2.0's model with the neutral values of this surface.
    assert made(example_step(KINDS["cover"], soot), "roughness", {"t": mask}) == pytest.approx(0.5 + 0.4 * t, abs=1e-6)
    assert made(example_step(KINDS["cover"], soot), "metallic", {"t": mask}) == pytest.approx(0.1 * t, abs=1e-6)
    plain = example_step(KINDS["cover"], soot | {"finish": False})
    assert np.abs(made(plain, "roughness", {"t": mask}) - 0.5).max() == 0


def test_glow_is_mask_times_color_times_strength() -> None:
    mask = Raster(RNG.integers(0, 256, (SIZE, SIZE, 1), np.uint8), Encoding.DATA)
    inputs = {"color": Binding(value="#ff8000"), "stops": Binding(value=2.0), "mask": Binding(value="t:0")}
    step = Step(id="g", kind="glow", name="g", inputs=inputs, rows=(Row(id="1"),))
    expected = hex_to_linear("#ff8000") * 4 * mask.channel(0)[..., None]
    assert made(step, "emissive", {"t": mask}) == pytest.approx(expected, abs=1e-5)
    twice = bound(step, step.model_copy(update={"id": "h"}))
    found = evaluate_surface(twice, Sources(BASE, PLANES, textures={"t": mask}), ["emissive"], float_output=True)
    assert found["emissive"].pixels == pytest.approx(2 * expected, abs=1e-5)


def test_fill_lays_a_texture_by_its_alpha() -> None:
    step = example_step(KINDS["fill"], {"tint": "#80ff80", "multiply": 0.25}, texture="t")
    picture = Raster(RNG.integers(0, 256, (SIZE, SIZE, 4), np.uint8), Encoding.SRGB)
    laid, below = picture.as_linear(), BASE.as_linear()
    color = laid[..., :3] * hex_to_linear("#80ff80")
    alpha = laid[..., 3:]
    expected = below + alpha * (color * (0.75 + 0.25 * below) - below)
    assert made(step, "base_color", {"t": picture}) == pytest.approx(expected, abs=2e-6)


def test_the_surface_begins_with_the_alpha_and_the_normal_map() -> None:
    cut = Raster(RNG.integers(0, 256, (SIZE, SIZE, 4), np.uint8), Encoding.SRGB)
    vectors = RNG.normal(size=(SIZE, SIZE, 3)) * (0.3, 0.3, 0) + (0, 0, 1)
    vectors /= np.linalg.norm(vectors, axis=-1, keepdims=True)
    normals = Raster(np.round((vectors * 0.5 + 0.5) * 255).astype(np.uint8), Encoding.DATA)
    sources = Sources(
        cut, textures={"c": cut, "n": normals}, starts={"opacity": Start("c", (3,)), "normal": Start("n", (0, 1, 2))}
    )
    found = evaluate_surface([], sources, ATTRIBUTES)
    assert np.array_equal(found["opacity"].pixels[..., 0], cut.pixels[..., 3])
    # What is not stored exactly unit comes back unit.
    assert np.abs(found["normal"].pixels.astype(int) - normals.pixels).max() <= 1
    neutral = {"metallic": 0, "roughness": 128, "occlusion": 255, "coat": 0, "coat_roughness": 13, "anisotropy": 0}
    assert {key: int(found[key].pixels[3, 3, 0]) for key in neutral} == neutral
    slopes = evaluate_surface([], sources, ["normal"], float_output=True)["normal"].pixels
    assert np.abs(slopes - vectors[..., :2] / vectors[..., 2:]).max() < 0.02


def unit(slopes: np.ndarray) -> np.ndarray:
    """Slopes (..., 2) as the vectors of a normal map."""
    vectors = np.concatenate([slopes, np.ones_like(slopes[..., :1])], -1)
    return vectors / np.linalg.norm(vectors, axis=-1, keepdims=True)


@pytest.mark.parametrize("attribute", [key for key in KEYS if any(key in kind.writes for kind in KINDS.values())])
def test_every_attribute_is_the_same_on_cpu_and_gpu(game: Game, attribute: str) -> None:
    """All kinds one after another, by rows, with placed textures, as GLSL 3.30 and as GLSL ES 3.00.

    Without hard steps: there a texel may fall to either side. Thresholds read texel by texel: they make much of the
    last bit of a filter. The textures are noise, and forty steps are more than anybody lays: a few texels in a thousand
    may part by more than three codes."""
    writing = [
        example_step(
            kind,
            example,
            IDS[: n % 3],
            "scale=2,2; wrap=mirror" if n % 2 and kind.key not in ("cover", "cut_out", "normal_detail", "fill") else "",
            texture="t",
            amount=0.9,
        )
        for n, (kind, example) in enumerate(EXAMPLES)
        if example.get("between") != "Stepped"
    ]
    steps = tuple(step.model_copy(update={"id": f"s{n}"}) for n, step in enumerate(writing))
    textures = {"t": Raster(np.random.default_rng(9).integers(0, 256, (SIZE, SIZE, 4), np.uint8), Encoding.SRGB)}
    cpu = evaluate_surface(bound(*steps), Sources(BASE, PLANES, textures=textures), [attribute], float_output=True)
    for es in (False, True):
        gpu = drawn(game, steps, textures, attribute, es=es)[..., : ATTRIBUTES[attribute].planes]
        wanted = cpu[attribute].pixels[..., :3]
        if ATTRIBUTES[attribute].planes == 3:
            # Light may exceed 1: what the brightest glow of the examples leaves below 1.
            share = 0.25 if attribute == "emissive" else 1.0
            gap = np.abs(encode_srgb_8bit(wanted * share).astype(int) - encode_srgb_8bit(gpu * share))
        elif attribute == "normal":
            gap = np.abs(unit(wanted) - unit(gpu)) * 127.5
        else:
            gap = np.abs(wanted - gpu) * 255
        assert (gap <= 1.0).mean() >= 0.995
        assert np.percentile(gap, 99.7) <= 3


def test_a_trace_has_every_attribute_after_every_step() -> None:
    steps = bound(example_step(KINDS["finish"], {"roughness": 0.2}), example_step(KINDS["glow"], {"color": "#ffffff"}))
    found = trace(steps, Sources(BASE, PLANES), 5, 6, ["roughness", "emissive"])
    assert [float(step["roughness"][0]) for step in found] == pytest.approx([0.5, 0.2, 0.2])
    assert [float(step["emissive"][0]) for step in found] == pytest.approx([0.0, 0.0, 1.0])


def test_a_point_reads_placed_textures_where_the_whole_picture_does() -> None:
    step = example_step(KINDS["fill"], {}, (), "scale=3,2; turn=0.1", texture="t")
    sources = Sources(BASE, PLANES, textures={"t": WIDE})
    whole = evaluate_surface(bound(step), sources, ["base_color"], float_output=True)["base_color"].pixels
    for x, y in ((0, 0), (13, 50), (63, 63)):
        point = sources.at_point((x + 0.5) / SIZE, (y + 0.5) / SIZE)
        assert trace(bound(step), point, 0, 0)[-1]["base_color"] == pytest.approx(whole[y, x], abs=1e-6)


# --- picks by copy
# -----------------------------------------------------------------------------------------------------

MILLION = np.arange(1_000_000, dtype=np.uint32)


def pcg_by_hand(v: int) -> int:
    """JCGT 9(3), 2020, listing of pcg, in whole numbers of any size."""
    state = (v * 747796405 + 2891336453) & 0xFFFFFFFF
    word = (((state >> ((state >> 28) + 4)) ^ state) * 277803737) & 0xFFFFFFFF
    return (word >> 22) ^ word


def test_a_million_copies_pick_the_same_on_cpu_gpu_and_in_python_and_evenly(game: Game) -> None:
    def draw(seed: int, count: int) -> tuple[np.ndarray, np.ndarray]:
        text = PCG_GLSL + PICK_GLSL + "void main() { uint c = uint(gl_FragCoord.y) * 1000u + uint(gl_FragCoord.x);"
        text += f"o = uvec4(ep_pick(c, {seed}u, {count}u), floatBitsToUint(ep_pick_share(c, {seed}u)), 0u, 0u); }}"
        both = game.fill(text, (1000, 1000), kind="u4").reshape(-1, 4)
        return both[:, 0], np.ascontiguousarray(both[:, 1]).view(np.float32)

    for seed, count in ((0, 7), (41, 3)):
        index, share = draw(seed, count)
        assert np.array_equal(index, pick_index(MILLION, seed, count))
        assert np.array_equal(share, pick_share(MILLION, seed))
        hashes = [pcg_by_hand((copy + pcg_by_hand(seed)) & 0xFFFFFFFF) for copy in range(1_000_000)]
        assert np.array_equal(index, np.array(hashes, np.uint64) % count)
        assert [int(pcg_of_one(n)) for n in hashes[:1000]] == [pcg_by_hand(n) for n in hashes[:1000]]
        # Evenly spread: chi-square at one in a thousand.
        assert scipy.stats.chisquare(np.bincount(index, minlength=count)).pvalue > 0.001
        assert scipy.stats.chisquare(np.histogram(share, 64, (0, 1))[0]).pvalue > 0.001
    # Of different seeds they are independent.
    table = np.histogram2d(pick_index(MILLION, 1, 5), pick_index(MILLION, 2, 5), 5)[0]
    assert scipy.stats.chi2_contingency(table).pvalue > 0.001


def picking() -> Iterator[tuple[str, Pick]]:
    yield "color", Pick(values=("#ff0000", "#00ff00", "#0000ff"), seed=4)
    yield "detail", Pick(low=0.2, high=0.9, seed=5)


def test_a_copy_that_picks_is_drawn_as_it_is_evaluated(game: Game) -> None:
    step = Step(id="t", kind="tint", name="t", rows=(Row(id="1", inputs={k: Binding(pick=p) for k, p in picking()}),))
    seen = set()
    for copy in (0, 1, 2, 3, 77, 4_000_000_000):
        steps = bound(step, at=Moment(copy=copy))
        color = steps[0].rows[0].values["color"]
        seen.add(tuple(color))
        cpu = evaluate_surface(steps, Sources(BASE, PLANES), ["base_color"])["base_color"].pixels
        gpu = encode_srgb_8bit(drawn(game, (step,), {}, "base_color", copy=copy))
        assert np.abs(cpu.astype(int) - gpu).max() <= 1
    assert len(seen) > 1


def test_a_pick_stays_in_the_range_of_what_it_is_for() -> None:
    number = Input("x", "X", ValueType.NUMBER, 0.5, 0.0, 1.0)
    values = [picked(Pick(low=-1, high=3, seed=2), number, copy) for copy in range(50)]
    assert min(values) == 0
    assert max(values) == 1
    with pytest.raises(ValueProblem):
        picked(Pick(values=("red-ish",)), number, 0)


# --- pulses over time
# --------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("shape", ["sine", "steps", "curve"])
def test_a_pulse_is_the_same_on_cpu_and_gpu_at_any_time_and_comes_back(game: Game, shape: str) -> None:
    """A tint between two colors and an amount between two numbers; by hand: a sine is at its middle after a quarter."""
    colors = Pulse(
        shape=shape, colors=("#203040", "#ffc080"), period=1.7, phase=0.2, steps=3, curve="0:0.1, 0.3:1, 1:0.2"
    )
    amounts = Pulse(shape=shape, low=0.2, high=0.9, period=2.3, steps=4)
    row = Row(id="r", regions=("a",), amount=Binding(pulse=amounts), inputs={"color": Binding(pulse=colors)})
    step = Step(id="t", kind="tint", name="Tint", rows=(row,))
    found = []
    for seconds in (0.0, 0.4, 1.13, 2.9, 61.3):
        cpu = evaluate_surface(
            bound(step, at=Moment(seconds=seconds)), Sources(BASE, PLANES), ["base_color"], float_output=True
        )["base_color"].pixels
        for es in (False, True):
            gpu = drawn(game, (step,), {}, "base_color", es=es, seconds=seconds)[..., :3]
            assert np.abs(encode_srgb_8bit(cpu).astype(int) - encode_srgb_8bit(gpu)).max() <= 1
        found.append(cpu)
    assert np.abs(found[0] - found[1]).max() > 0.01
    # Both come back after 10 times 1.7 times 2.3 seconds.
    later = evaluate_surface(
        bound(step, at=Moment(seconds=39.1)), Sources(BASE, PLANES), ["base_color"], float_output=True
    )
    assert np.abs(later["base_color"].pixels - found[0]).max() < 1e-3
    assert share_at(Pulse(period=4.0), 1.0) == pytest.approx(0.5)
    assert share_at(Pulse(period=4.0), 2.0) == pytest.approx(1.0)
    assert [share_at(Pulse(shape="steps", steps=3, period=3.0), t) for t in (0.5, 1.5, 2.5, 3.5)] == [0, 0.5, 1, 0]
    assert share_at(Pulse(shape="curve", curve="0:0, 0.5:1, 1:0", period=2.0), 0.5) == pytest.approx(0.5)


def test_only_numbers_and_colors_pulse() -> None:
    kind = KINDS["hue_shift"]
    with pytest.raises(RecipeError, match="cannot pulse"):
        accepted_pulse(Pulse(), kind.input("space"))
    assert accepted_pulse(Pulse(low=-900, high=900), kind.input("angle")).low == kind.input("angle").low


@pytest.mark.parametrize("name", demo_names())
def test_steps_are_bound_again_only_where_what_they_follow_has_changed(name: str, tmp_path: Path) -> None:
    """Whatever was bound before, it is what one that begins anew binds, in any order of values, copies and seconds."""
    state, source = Storage(copy_demo(tmp_path, name)).open(), random.Random(3)
    steps, ids, parameters = state.sheet.steps, state.region_ids, state.project.parameters
    kept, variants = Binder(steps, ids), [None, *(variant.id for variant in state.project.variants)]

    def moved(values: dict[str, Value], parameter: Parameter) -> dict[str, Value]:
        others = parameter.input.others(values[parameter.id])
        return {**values, parameter.id: source.choice(others)} if others else values

    for _ in range(60):
        values = moved(state.values(source.choice(variants)), source.choice(parameters))
        at = Moment(source.randrange(3), source.choice((0.0, 1.7)), source.random() < 0.3)
        for one, other in zip(kept(values, at), Binder(steps, ids)(values, at), strict=True):
            assert one is not other
            assert one.is_same(other)
    before = kept(state.values(None))
    for parameter in parameters:
        for step, one, other in zip(steps, before, kept(moved(state.values(None), parameter)), strict=True):
            assert one is other or any(binding.follows == parameter.id for binding in step.bindings)
