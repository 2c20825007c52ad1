"""Kinds of steps against what is published, or worked out by hand."""

import numpy as np
import pytest
from coloraide import Color

from evenpalette.core.color.difference import difference_of_linear
from evenpalette.core.color.encoding import decode_srgb, encode_srgb
from evenpalette.core.color.hexcode import hex_to_linear
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import add_texture
from evenpalette.core.edits.made_textures import add_made, even_noise
from evenpalette.core.edits.recipe import add_step, bind_input
from evenpalette.core.errors import RegionError
from evenpalette.core.findings.findings import find_all
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.binding import bind_recipe
from evenpalette.core.recipe.evaluate import evaluate, evaluate_surface, weight_at
from evenpalette.core.recipe.example import example_step
from evenpalette.core.recipe.recipe import Binding, Recipe
from evenpalette.core.recipe.sources import Sources, Start
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.recipe.steps.blend import MODES
from evenpalette.core.values import ChannelRef

IDS = ["all"]


def made(
    kind: str, values: dict[str, object], base: np.ndarray, picture: Raster | None = None, key: str = ""
) -> np.ndarray:
    """One step on the whole surface, linear (h, w, 3). picture: what the map `key` reads."""
    step = example_step(KINDS[kind], values, (), "")
    maps = {m.key: m for m in KINDS[kind].maps}
    reads = {k: Binding(value="") for k in maps}
    if picture is not None:
        reads[key] = Binding(value="t" if maps[key].whole else str(ChannelRef("t", 0)))
    rows = tuple(
        row.model_copy(update={"inputs": {**row.inputs, **{k: b for k, b in reads.items() if k in row.inputs}}})
        for row in step.rows
    )
    step = step.model_copy(
        update={"rows": rows, "inputs": {**step.inputs, **{k: b for k, b in reads.items() if k not in rows[0].inputs}}}
    )
    bound = bind_recipe(Recipe(steps=(step,)), IDS, {})
    textures = {"t": picture} if picture is not None else {}
    sources = Sources(
        Raster(base.astype(np.float32), Encoding.LINEAR), [np.full(base.shape[:2], 255, np.uint8)], textures=textures
    )
    return evaluate(bound, sources, float_output=True).pixels


COLORAIDE = {
    "Normal": "normal", "Multiply": "multiply", "Screen": "screen", "Overlay": "overlay", "Darken": "darken", "Lighten": "lighten",
    "Color dodge": "color-dodge", "Color burn": "color-burn", "Hard light": "hard-light", "Soft light": "soft-light",
    "Difference": "difference", "Exclusion": "exclusion", "Hue": "hue", "Saturation": "saturation", "Color": "color", "Luminosity": "luminosity",
}  # fmt: skip


@pytest.mark.parametrize("mode", MODES)
def test_blend_modes_are_those_of_the_w3c(mode: str) -> None:
    """W3C Compositing and Blending Level 1, by coloraide's `composite`, on encoded sRGB."""
    rng = np.random.default_rng(11)
    below = rng.integers(0, 256, (4, 6, 3))
    for color in ("#c08030", "#2060f0", "#808080", "#ffffff", "#000000"):
        found = encode_srgb(np.clip(made("blend", {"color": color, "mode": mode}, decode_srgb(below / 255)), 0, 1))
        for place in np.ndindex(4, 6):
            backdrop = Color("srgb", list(below[place] / 255))
            wanted = Color.layer([Color(color), backdrop], blend=COLORAIDE[mode], space="srgb")
            # The specification weighs luminosity by 0.3, 0.59, 0.11; coloraide by the same to more places.
            most = 0.008 if mode in ("Hue", "Saturation", "Color", "Luminosity") else 0.004
            assert np.abs(found[place] - np.clip(wanted.coords(), 0, 1)).max() < most, (mode, color, below[place])


def test_a_two_tone_of_red_and_green_has_no_dark_seam_and_the_naive_way_dips() -> None:
    """Luminance of the middle between the ends, in linear light the mean of both (common practice, no source)."""
    ramp = Raster(np.arange(256, dtype=np.uint8)[None, :, None], Encoding.DATA)
    luma = np.array([0.2126, 0.7152, 0.0722])
    base = np.ones((1, 256, 3))
    ends = {"white": "#ff0000", "black": "#00ff00"}
    middle = {}
    for blend in ("Linear light", "Squared and rooted", "Encoded values"):
        lights = made("two_tone", {**ends, "blend": blend}, base, ramp, "pattern")[0] @ luma
        middle[blend] = lights[128] / ((luma[0] + luma[1]) / 2)
        assert lights[0] == pytest.approx(luma[1], abs=1e-4)
        assert lights[255] == pytest.approx(luma[0], abs=1e-4)
    assert middle["Linear light"] == pytest.approx(1, abs=0.01)
    assert middle["Squared and rooted"] == pytest.approx(0.91, abs=0.03)
    assert middle["Encoded values"] < 0.5
    # What is below shines through on wish.
    kept = made("two_tone", {**ends, "blend": "Linear light", "keep": 1.0}, base * 0.5, ramp, "pattern")
    assert np.allclose(kept[0, 255], [0.5, 0, 0], atol=1e-4)


def test_channel_tints_remove_and_add_and_what_overlaps_sums_to_one() -> None:
    mask = Raster(
        np.array([[[255, 0, 0, 255], [0, 0, 0, 255], [128, 0, 0, 0], [255, 255, 0, 0]]], np.uint8), Encoding.DATA
    )
    colors = {"red": "#ff0000", "green": "#00ff00", "blue": "#0000ff", "keep": 0.0}
    base = np.full((1, 4, 3), 0.2)
    found = made("channel_tints", colors, base, mask, "mask")[0]
    half = 128 / 255
    assert np.allclose(
        found,
        [[1, 0, 0], [0.2, 0.2, 0.2], [0.2 * (1 - half) + half, 0.2 * (1 - half), 0.2 * (1 - half)], [0.5, 0.5, 0]],
        atol=1e-4,
    )
    fourth = made("channel_tints", {**colors, "fourth": True, "alpha": "#ffffff"}, base, mask, "mask")[0]
    assert np.allclose(fourth[1], [1, 1, 1], atol=1e-4)


def test_drift_keeps_the_mean_color_as_it_is_stored_however_its_noise_is_spread() -> None:
    """Noise that lies evenly about its middle, whether all values are alike or most are near it, three channels that
    know nothing of each other or one for all; saturated colors, where variation would clip: the mean of the stored
    codes."""
    rng = np.random.default_rng(12)
    bell = np.clip(rng.normal(127.5, 30, (512, 512, 3)), 0, 255)
    noises = [rng.integers(0, 256, (512, 512, 3)), bell, np.repeat(bell[..., :1], 3, -1)]
    colors = ["#c08030", "#3060a0", "#e0d8d0", "#ff0000", "#00d0ff", "#c02010", "#101418", "#fffbf0", "#7b00c8"]
    for noise in noises:
        raster = Raster(np.rint(noise).astype(np.uint8), Encoding.DATA)
        for color in colors:
            base = np.broadcast_to(hex_to_linear(color), (512, 512, 3))
            found = made("drift", {"hue": 40.0, "saturation": 0.4, "light": 0.3}, base, raster, "noise")
            assert found.std() > 0.01 or color in ("#ff0000", "#101418")
            assert found.min() > -1e-6
            assert found.max() < 1 + 1e-6
            assert (
                float(difference_of_linear(found.mean((0, 1), dtype=np.float64).astype(np.float32), base[0, 0])) < 0.3
            )


def test_a_drift_whose_noise_is_uneven_is_found(lantern: State) -> None:
    bright = Raster(np.random.default_rng(2).integers(140, 256, (128, 128, 3)).astype(np.uint8), Encoding.DATA)
    for raster, expected in ((even_noise(128), []), (bright, ["moved-mean"])):
        state = add_texture(lantern, raster, "noise.png", Role.DATA)
        state = add_step(state, "drift", None)
        step = state.project.recipe.steps[-1]
        noise = state.project.asset.textures[-1].id
        state = bind_input(
            state, step.id, "noise", Binding(value=noise), step.rows[0].id if "noise" in step.rows[0].inputs else None
        )
        assert [f.code for f in find_all(state) if f.code == "moved-mean"] == expected


def test_made_noise_is_even_and_gradients_follow_the_model(lantern: State) -> None:
    noise = even_noise(128)
    for channel in range(3):
        counts = np.bincount(noise.pixels[..., channel].reshape(-1), minlength=256)
        assert counts[1:255].min() > 0.9 * counts[1:255].max()
    flat = noise.pixels.reshape(-1, 3).astype(float)
    assert np.abs(np.corrcoef(flat.T)[np.triu_indices(3, 1)]).max() < 0.25
    made = add_made(lantern, "Gradient, bottom to top", 256)
    texture = made.project.asset.textures[-1]
    values = made.textures[texture.id].channel(0)
    mesh = lantern.mesh.mesh
    low, high = (float(corner[1]) for corner in mesh.bounds)
    for face in range(0, mesh.face_count, 997):
        u, v = mesh.uvs[face].mean(0)
        height = mesh.positions[mesh.faces[face]][:, 1].mean()
        assert values[int(v * 256), int(u * 256)] == pytest.approx((height - low) / (high - low), abs=0.06)
    with pytest.raises(RegionError, match="needs a mesh"):
        add_made(State(), "Gradient, bottom to top")


def test_a_fade_is_root_and_tip_at_its_ends() -> None:
    ramp = Raster(np.arange(256, dtype=np.uint8)[None, :, None], Encoding.DATA)
    values = {"root": "#ffffff", "tip": "#204080", "start": 0.2, "end": 0.8, "power": 2.0, "keep": 0.0}
    found = made("fade", values, np.ones((1, 256, 3)), ramp, "gradient")[0]
    tip = hex_to_linear("#204080")
    assert np.allclose(found[:52], 1, atol=1e-4)
    assert np.allclose(found[204:], tip, atol=2e-3)
    assert np.allclose(found[128], 1 + (tip - 1) * ((128 / 255 - 0.2) / 0.6) ** 2, atol=1e-3)


def normal_map(vectors: np.ndarray) -> Raster:
    """Unit vectors (h, w, 3) as glTF 2.0 stores them, in 16 bits so that rounding does not count."""
    codes = np.clip((vectors + 1) / 2, 0, 1)
    return Raster(np.rint(codes * 65535).astype(np.uint16), Encoding.DATA)


def test_normals_are_combined_as_published_and_not_added() -> None:
    """ "Blending in Detail", Barre-Brisebois and Hill 2012, the shader there in NumPy; flat on either side is the
    other."""
    rng = np.random.default_rng(13)

    def tilted(shape: tuple[int, int]) -> np.ndarray:
        xy = rng.uniform(-0.5, 0.5, (*shape, 2))
        return np.dstack([xy, np.sqrt(1 - (xy**2).sum(-1))])

    base, detail, flat = tilted((8, 8)), tilted((8, 8)), np.dstack([np.zeros((8, 8, 2)), np.ones((8, 8))])

    def combined(first: np.ndarray, second: np.ndarray) -> np.ndarray:
        step = example_step(KINDS["normal_detail"], {"strength": 1.0}, (), "")
        step = step.model_copy(update={"inputs": {**step.inputs, "detail": Binding(value="d")}})
        rows = tuple(
            row.model_copy(update={"inputs": {k: b for k, b in row.inputs.items() if k != "detail"}})
            for row in step.rows
        )
        bound = bind_recipe(Recipe(steps=(step.model_copy(update={"rows": rows}),)), IDS, {})
        textures = {"n": normal_map(first), "d": normal_map(second)}
        sources = Sources(
            Raster(np.ones((8, 8, 1), np.float32), Encoding.DATA), [np.full((8, 8), 255, np.uint8)], textures=textures,
            starts={"normal": Start("n", (0, 1, 2))},
        )  # fmt: skip
        slopes = evaluate_surface(bound, sources, ["normal"], float_output=True)["normal"].pixels
        vectors = np.dstack([slopes, np.ones((8, 8))])
        return vectors / np.linalg.norm(vectors, axis=-1, keepdims=True)

    t = base + (0, 0, 1)
    u = detail * (-1, -1, 1)
    published = t * ((t * u).sum(-1) / t[..., 2])[..., None] - u
    published /= np.linalg.norm(published, axis=-1, keepdims=True)
    found = combined(base, detail)
    upright = published[..., 2] > 0.15
    assert upright.mean() > 0.9
    assert np.abs(found - published)[upright].max() < 2e-3
    assert np.abs(combined(flat, detail) - detail).max() < 2e-3
    assert np.abs(combined(base, flat) - base).max() < 2e-3


def test_a_mix_by_heights_lets_the_higher_one_through() -> None:
    """By hand, with heights of 0.9 and 0.1 under an even pattern, plain and by heights."""
    pattern = np.array([0.0, 0.5, 1.0])
    first, second = np.array([0.9, 0.1, 0.9]), np.array([0.1, 0.9, 0.1])

    def share(way: str, contrast: float) -> np.ndarray:
        kind = KINDS["mix"]
        step = example_step(kind, {"way": way, "contrast": contrast, "second_tint": "#000000"}, (), "")
        names = {"first": "w", "second": "w", "pattern": "p:0", "first_height": "a:0", "second_height": "b:0"}
        inputs = {**step.inputs, **{key: Binding(value=name) for key, name in names.items()}}
        rows = tuple(row.model_copy(update={"inputs": {}}) for row in step.rows)
        bound = bind_recipe(Recipe(steps=(step.model_copy(update={"inputs": inputs, "rows": rows}),)), IDS, {})
        textures = {"w": Raster(np.ones((1, 3, 3), np.float32), Encoding.LINEAR)}
        textures |= {
            name: Raster(np.asarray(v, np.float32).reshape(1, 3, 1), Encoding.DATA)
            for name, v in (("p", pattern), ("a", first), ("b", second))
        }
        sources = Sources(
            Raster(np.ones((1, 3, 1), np.float32), Encoding.DATA), [np.full((1, 3), 255, np.uint8)], textures=textures
        )
        return 1 - evaluate(bound, sources, float_output=True).pixels[0, :, 0]

    assert np.allclose(share("Plain", 0.0), pattern, atol=1e-4)
    low, high, depth = first + 1 - pattern, second + pattern, 1 - 0.98 * 0.5
    ground = np.maximum(low, high) - depth
    a, b = np.maximum(low - ground, 0), np.maximum(high - ground, 0)
    assert np.allclose(share("By heights", 0.5), b / (a + b), atol=1e-4)
    assert np.allclose(share("By heights", 1.0), [0, 1, 1], atol=1e-3)


def test_a_cut_out_follows_its_mask() -> None:
    mask = Raster(np.array([[[0], [102], [110], [255]]], np.uint8), Encoding.DATA)
    step = example_step(KINDS["cut_out"], {"threshold": 0.4, "softness": 0.2}, (), "")
    binding = Binding(value="t:0")
    rows = tuple(row.model_copy(update={"inputs": {**row.inputs, "mask": binding}}) for row in step.rows)
    bound = bind_recipe(Recipe(steps=(step.model_copy(update={"rows": rows}),)), IDS, {})
    sources = Sources(
        Raster(np.ones((1, 4, 1), np.float32), Encoding.DATA), [np.full((1, 4), 255, np.uint8)], textures={"t": mask}
    )
    found = evaluate_surface(bound, sources, ["opacity"], float_output=True)["opacity"].pixels[0, :, 0]
    assert np.allclose(found, [0, 0.5, (110 / 255 - 0.4) / 0.2 + 0.5, 1], atol=1e-4)


def test_the_weight_of_a_step_at_a_texel_is_coverage_times_amounts() -> None:
    step = example_step(KINDS["tint"], {"color": "#ff0000"}, (), "", amount=0.5)
    row = step.rows[0].model_copy(update={"regions": ("all",), "amount": Binding(value=0.8)})
    bound = bind_recipe(Recipe(steps=(step.model_copy(update={"rows": (row,)}),)), IDS, {})
    coverage = np.array([[255, 0], [51, 255]], np.uint8)
    sources = Sources(Raster(np.ones((2, 2, 1), np.float32), Encoding.DATA), [coverage])
    found = [weight_at(bound[0], sources, x, y) for y, x in ((0, 0), (0, 1), (1, 0))]
    assert found == pytest.approx([0.4, 0.0, 0.08], abs=1e-4)
