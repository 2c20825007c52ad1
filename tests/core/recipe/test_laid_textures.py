"""Tiles, sets of textures, packed finishes and insides: against what is worked out by hand, and the CPU against
GLSL."""

import numpy as np
import pytest
from tests.helpers.glsl import Game

from evenpalette.core.color.hexcode import hex_to_linear
from evenpalette.core.pcg import pcg
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.binding import NOW, Moment, bind_recipe
from evenpalette.core.recipe.evaluate import evaluate, evaluate_surface
from evenpalette.core.recipe.recipe import Binding, Recipe, Row, Step
from evenpalette.core.recipe.shader import kit_shader, made_attributes
from evenpalette.core.recipe.shader_text import ShaderReads
from evenpalette.core.recipe.sources import Sources, Start

SIDE = 64
WHITE = Raster(np.ones((SIDE, SIDE, 3), np.float32), Encoding.LINEAR)


@pytest.fixture(scope="module")
def game() -> Game:
    return Game()


def step(kind: str, values: dict[str, object]) -> Step:
    return Step(
        id=kind, kind=kind, name=kind, inputs={k: Binding(value=v) for k, v in values.items()}, rows=(Row(id="r"),)
    )


def laid(
    kind: str, values: dict[str, object], textures: dict[str, Raster], at: Moment = NOW, base: Raster = WHITE
) -> np.ndarray:
    bound = bind_recipe(Recipe(steps=(step(kind, values),)), [], {}, at)
    return evaluate(bound, Sources(base, textures=textures), float_output=True).pixels


def drawn(
    game: Game, kind: str, values: dict[str, object], textures: dict[str, Raster], prefix: str = "", **how: object
) -> np.ndarray:
    reads = ShaderReads({key: raster.channels for key, raster in textures.items()}, 3, (), [])
    shader = kit_shader(Recipe(steps=(step(kind, values),)), reads)
    rasters = {"ep_base": WHITE, **{name: textures[s.texture] for name, s in shader.textures.items()}}
    return game.run(shader.text + prefix, rasters, {}, (SIDE, SIDE), **how)  # type: ignore[arg-type]


def atlas(columns: int, rows: int, tile: int) -> Raster:
    """Tiles of one color each: red counts the column, green the row."""
    pixels = np.zeros((rows * tile, columns * tile, 3), np.float32)
    pixels[..., 0] = (np.arange(columns * tile) // tile / 10)[None]
    pixels[..., 1] = (np.arange(rows * tile) // tile / 10)[:, None]
    return Raster(pixels, Encoding.LINEAR)


def test_a_row_shows_its_tile_and_a_part_is_a_free_rectangle() -> None:
    held = {"a": atlas(4, 2, 8)}
    grid = {"atlas": "a", "columns": 4.0, "rows": 2.0}
    for tile, color in ((1, (0.0, 0.0)), (3, (0.2, 0.0)), (8, (0.3, 0.1))):
        found = laid("tile", {**grid, "tile": float(tile)}, held)
        assert np.allclose(found[..., :2], color, atol=1e-5)
    # Tiles beyond the last are the last; a grid of one reads what the placement says.
    assert np.allclose(laid("tile", {**grid, "tile": 99.0}, held)[..., :2], (0.3, 0.1), atol=1e-5)
    free = {"atlas": "a", "columns": 1.0, "rows": 1.0, "atlas_placed": "part=0.5,0.5,0.25,0.5; scale=3"}
    assert np.allclose(laid("tile", free, held)[..., :2], (0.2, 0.1), atol=1e-5)


def test_chance_takes_tiles_by_the_published_hash_and_evenly() -> None:
    """Cell (x, y) shows first + pcg(x + pcg(y + pcg(seed))) mod count: JCGT 9(3), 2020, in NumPy."""
    held = {"a": atlas(4, 1, 8)}
    values = {
        "atlas": "a",
        "columns": 4.0,
        "rows": 1.0,
        "tile": 2.0,
        "count": 3.0,
        "seed": 11.0,
        "soften": 0.0,
        "atlas_placed": "scale=16",
    }
    found = laid("tile", values, held)[2::4, 2::4, 0]
    with np.errstate(over="ignore"):
        y = pcg(np.arange(16, dtype=np.uint32) + pcg(11))
        which = pcg(np.arange(16, dtype=np.uint32)[None] + y[:, None]) % np.uint32(3)
    assert np.allclose(found, (1 + which) / 10, atol=1e-5)
    counts = np.bincount(which.reshape(-1), minlength=3)
    assert ((counts - 256 / 3) ** 2 / (256 / 3)).sum() < 13.8  # chi-square of two degrees, one in a thousand


def test_tiles_by_chance_show_no_seam() -> None:
    """The largest step between neighboring texels, where the tiles are tileable: soften takes the jumps away."""
    x = np.arange(32) / 32
    tiles = [
        0.5 + 0.4 * np.sin(2 * np.pi * (x[None] * a + x[:, None] * b) + c)
        for a, b, c in ((1, 0, 0), (1, 1, 2), (0, 1, 4), (2, 1, 1))
    ]
    pixels = np.concatenate([np.concatenate(tiles[:2], 1), np.concatenate(tiles[2:], 1)], 0).astype(np.float32)
    held = {"a": Raster(np.repeat(pixels[..., None], 3, -1), Encoding.LINEAR)}
    values = {"atlas": "a", "columns": 2.0, "rows": 2.0, "count": 4.0, "atlas_placed": "scale=4"}
    base = Raster(np.ones((256, 256, 3), np.float32), Encoding.LINEAR)

    def jump(soften: float) -> float:
        found = laid("tile", {**values, "soften": soften}, held, base=base)[..., 0]
        return max(float(np.abs(np.diff(found, axis=k)).max()) for k in (0, 1))

    assert jump(0.0) > 0.3
    assert jump(0.3) < 0.12


@pytest.mark.parametrize("columns", [3.0, 5.0])
def test_a_grid_that_does_not_divide_the_atlas_is_the_same_on_cpu_and_gpu(game: Game, columns: float) -> None:
    rng = np.random.default_rng(3)
    held = {"a": Raster(rng.integers(0, 256, (50, 70, 4), np.uint8), Encoding.DATA)}
    for values in (
        {"tile": 2.0},
        {
            "count": 7.0,
            "seed": 5.0,
            "soften": 0.25,
            "atlas_placed": "scale=3,-2; turn=0.125; offset=-0.3,0.1; drift=0.5,0.25",
        },
    ):
        for seconds in (0.0, 37.5):
            both = {"atlas": "a", "columns": columns, "rows": 3.0, **values}
            cpu = laid("tile", both, held, Moment(seconds=seconds))
            gpu = drawn(game, "tile", both, held, attribute="base_color", seconds=seconds)
            assert (np.abs(cpu - gpu).max(-1) < 4e-3).mean() > 0.995


def test_a_second_atlas_comes_in_by_its_mask() -> None:
    mask = Raster(np.repeat(np.linspace(0, 1, SIDE, dtype=np.float32)[None], SIDE, 0)[..., None], Encoding.DATA)
    held = {"a": atlas(2, 1, 8), "b": atlas(2, 1, 8), "m": mask}
    values = {
        "atlas": "a",
        "second": "b",
        "pattern": "m:0",
        "columns": 2.0,
        "rows": 1.0,
        "tile": 2.0,
        "second_tint": "#000000",
    }
    assert np.allclose(laid("tile", values, held)[..., 0], 0.1 * (1 - mask.pixels[..., 0]), atol=1e-5)


def test_a_fill_brings_the_normal_and_roughness_of_its_set_and_sinks_by_its_height() -> None:
    flat = np.broadcast_to(np.array([0.5, 0.5, 1.0], np.float32), (SIDE, SIDE, 3))
    tilted = np.broadcast_to(np.array([0.8, 0.5, 0.9], np.float32), (SIDE, SIDE, 3))
    height = Raster(np.repeat(np.linspace(0, 1, SIDE, dtype=np.float32)[None], SIDE, 0)[..., None], Encoding.DATA)
    held = {
        "c": Raster(np.full((SIDE, SIDE, 3), 0.25, np.float32), Encoding.LINEAR), "n": Raster(np.ascontiguousarray(tilted), Encoding.DATA),
        "f": Raster(np.ascontiguousarray(flat), Encoding.DATA), "r": Raster(np.full((SIDE, SIDE, 1), 0.3, np.float32), Encoding.DATA), "h": height,
    }  # fmt: skip
    recipe = Recipe(
        steps=(step("fill", {"picture": "c", "relief": "n", "gray": "r:0", "height": "h:0", "level": 0.5}),)
    )
    sources = Sources(WHITE, textures=held, starts={"normal": Start("f", (0, 1, 2))})
    made = evaluate_surface(
        bind_recipe(recipe, [], {}), sources, ["base_color", "normal", "roughness"], float_output=True
    )
    share = np.clip((height.pixels[..., 0] - 1 + 0.5 * 1.1) / 0.1, 0, 1)
    assert np.allclose(made["base_color"].pixels[..., 0], 1 + (0.25 - 1) * share, atol=1e-4)
    assert np.allclose(made["roughness"].pixels[..., 0], 0.5 + (0.3 - 0.5) * share, atol=1e-4)
    # Over a flat surface the combined normal is the detail's own: x / z = 0.6 / 0.8.
    assert np.allclose(made["normal"].pixels[..., 0], 0.75 * share, atol=1e-3)
    assert np.abs(made["normal"].pixels[..., 1]).max() < 1e-3
    # A fill of color alone makes neither.
    assert set(made_attributes(recipe, ())) == {"base_color", "normal", "roughness"}
    assert made_attributes(Recipe(steps=(step("fill", {"picture": "c"}),)), ()) == ("base_color",)


def test_cover_fills_up_the_relief_below() -> None:
    tilted = np.ascontiguousarray(np.broadcast_to(np.array([0.8, 0.5, 0.9], np.float32), (SIDE, SIDE, 3)))
    held = {"n": Raster(tilted, Encoding.DATA), "m": Raster(np.ones((SIDE, SIDE, 1), np.float32), Encoding.DATA)}
    sources = Sources(WHITE, textures=held, starts={"normal": Start("n", (0, 1, 2))})
    for levels in (0.0, 0.5, 1.0):
        bound = bind_recipe(Recipe(steps=(step("cover", {"mask": "m:0", "levels": levels}),)), [], {})
        slopes = evaluate_surface(bound, sources, ["normal"], float_output=True)["normal"].pixels
        assert np.allclose(slopes[..., 0], 0.75 * (1 - levels), atol=1e-3)


def test_a_finish_map_sets_what_it_has_a_channel_for() -> None:
    packed = np.zeros((SIDE, SIDE, 3), np.float32) + np.array([0.25, 0.5, 0.75], np.float32)
    recipe = Recipe(
        steps=(
            step(
                "finish_map",
                {
                    "occlusion_map": "p:0",
                    "roughness_map": "p:1",
                    "metallic_map": "p:2",
                    "roughness_low": 0.2,
                    "roughness_high": 0.6,
                },
            ),
        )
    )
    made = evaluate_surface(
        bind_recipe(recipe, [], {}), Sources(WHITE, textures={"p": Raster(packed, Encoding.DATA)}), ["roughness", "metallic", "occlusion", "coat"], float_output=True,
    )  # fmt: skip
    found = {key: float(raster.pixels[3, 3, 0]) for key, raster in made.items()}
    assert found == pytest.approx({"roughness": 0.4, "metallic": 0.75, "occlusion": 0.25, "coat": 0.0}, abs=1e-5)
    assert "coat" not in made_attributes(recipe, ())


def test_inside_is_the_back_of_faces_or_a_half_of_the_texture(game: Game) -> None:
    color = hex_to_linear("#7a3b2e")
    values = {"color": "#7a3b2e", "where": "Back faces"}
    assert np.allclose(laid("inside", values, {}), 1)
    assert np.allclose(laid("inside", values, {}, Moment(back=True)), color, atol=1e-5)
    # A game says which side it draws by one variable, before it asks for the surface.
    behind = "\nEpSurface from_behind(vec2 uv, float t, uint c) { ep_side = 1.0; return evenpalette_surface(uv, t, c); }\n#define evenpalette_surface from_behind\n"
    assert np.allclose(drawn(game, "inside", values, {}, attribute="base_color"), 1, atol=1e-5)
    assert np.allclose(drawn(game, "inside", values, {}, behind, attribute="base_color"), color, atol=1e-5)
    halves = {
        "Left half": np.s_[:, :32],
        "Right half": np.s_[:, 32:],
        "Upper half": np.s_[:32],
        "Lower half": np.s_[32:],
    }
    for where, part in halves.items():
        found = laid("inside", {**values, "where": where}, {})
        assert np.allclose(found[part], color, atol=1e-5)
        assert found.mean() == pytest.approx((1 + float(np.mean(color))) / 2, abs=1e-4)
        # The picture's first row is v = 0 in both.
        assert np.allclose(drawn(game, "inside", {**values, "where": where}, {}), found, atol=1e-5)
    box = evaluate(
        bind_recipe(Recipe(steps=(step("inside", {**values, "where": "Left half"}),)), [], {}),
        Sources(WHITE),
        box=(30, 10, 34, 12),
        float_output=True,
    )
    assert np.allclose(box.pixels[0, :, 0], [color[0]] * 2 + [1] * 2, atol=1e-5)


def test_hues_are_turned_texel_by_texel_as_by_the_angle() -> None:
    """A texture of one value turns all hues as the angle does that it stands for."""
    base = Raster(np.random.default_rng(4).uniform(0, 1, (SIDE, SIDE, 3)).astype(np.float32), Encoding.LINEAR)
    for space in ("YIQ", "OKLCh", "YIQ encoded"):
        for stored, more in ((0.5, 0.0), (1.0, 50.0), (0.2, -30.0)):
            held = {"o": Raster(np.full((SIDE, SIDE, 1), stored, np.float32), Encoding.DATA)}
            by_texture = laid(
                "hue_shift",
                {"angle": 20.0, "space": space, "spread": 50.0, "offset": "o:0", "saturation": 1.1},
                held,
                base=base,
            )
            by_angle = laid("hue_shift", {"angle": 20.0 + more, "space": space, "saturation": 1.1}, {}, base=base)
            assert np.abs(by_texture - by_angle).max() < 5e-4
