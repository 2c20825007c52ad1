"""Recipes in HLSL are those in GLSL: read by a compiler that is not ours, run, and compared pixel by pixel."""

from pathlib import Path

import numpy as np
import pytest
from tests.helpers.glsl import Game
from tests.helpers.hlsl import draw_hlsl, needs_compilers
from tests.helpers.kit_loader import Loader

from evenpalette.core.color.encoding import encode_srgb_8bit
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.raster.packing import packed
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.attributes import ATTRIBUTES
from evenpalette.core.recipe.example import example_step
from evenpalette.core.recipe.languages.hlsl import hlsl_of
from evenpalette.core.recipe.recipe import Recipe
from evenpalette.core.recipe.shader import kit_shader
from evenpalette.core.recipe.shader_text import ShaderReads
from evenpalette.core.recipe.sources import Sources
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.storage.demo_files import copy_demo, demo_names
from evenpalette.core.storage.storage import Storage

RNG = np.random.default_rng(8)
SIZE = (64, 64)
BASE = Raster(RNG.integers(0, 256, (64, 64, 3), np.uint8), Encoding.SRGB)
READ = Raster(RNG.integers(0, 256, (64, 64, 4), np.uint8), Encoding.DATA)
PLANES = [RNG.integers(0, 256, (64, 64), np.uint8) for _ in range(2)]
WAYS = ("", "scale=2,2; turn=0.1; drift=0.1,0.2", "tiles=4,4; tile=3; wrap=mirror")


@pytest.fixture(scope="module")
def game() -> Game:
    needs_compilers()
    return Game()


@pytest.mark.parametrize("kind", sorted(KINDS))
def test_every_kind_of_step_gives_the_same_in_both_languages(game: Game, tmp_path: Path, kind: str) -> None:
    """All examples of a kind in one recipe, textures laid in several ways; every attribute that it makes."""
    examples = KINDS[kind].examples
    steps = [
        example_step(KINDS[kind], values, ("a",) if number % 2 else (), WAYS[number % 3], texture="t")
        for number, values in enumerate(examples)
    ]
    steps = [step.model_copy(update={"id": f"s{n}"}) for n, step in enumerate(steps)]
    sources = Sources(BASE, PLANES)
    shader = kit_shader(Recipe(steps=tuple(steps)), ShaderReads({"t": 4}, 3, sources.divisions, ["a", "b"]))
    textures = {"ep_base": BASE, "ep_coverage_0": Raster(packed(PLANES), Encoding.DATA)}
    for name, sampled in shader.textures.items():
        textures[name] = READ.with_encoding(Encoding.SRGB) if sampled.as_color else READ
    placed = [name for name, sampled in shader.textures.items() if sampled.placed]
    hlsl = hlsl_of(shader.text)
    for attribute in shader.attributes:
        planes = ATTRIBUTES[attribute].planes
        told = game.run(
            shader.text, textures, {}, SIZE, mips=True, repeat=placed, attribute=attribute, seconds=1.5, copy=3
        )
        made = f"evenpalette_surface(uv, 1.5, 3u).{attribute}"
        entry = {
            1: f"float4({made}, {made}, {made}, 1.0)",
            2: f"float4({made}, 0.0, 1.0)",
            3: f"float4({made}, 1.0)",
            4: made,
        }[planes]
        if planes == 4:
            entry = f"float4({made}.rgb, 1.0)"
        drawn = draw_hlsl(game, tmp_path, hlsl, entry, textures, {}, SIZE, repeat=placed, mips=True)[..., :3]
        shown = slice(0, min(planes, 3)) if planes > 1 else slice(0, 1)
        assert np.abs(drawn[..., shown] - told[..., shown]).max() < 1e-3, attribute


@pytest.mark.parametrize("name", sorted(demo_names()))
def test_the_kit_in_hlsl_draws_every_variant_by_uniforms_and_from_the_table(
    game: Game, tmp_path: Path, name: str
) -> None:
    deliver(Storage(copy_demo(tmp_path / "demo", name)).open(), tmp_path / "out", targets=["kit"], kit_longest=256)
    loader = Loader(tmp_path / "out" / "kit")
    text = (tmp_path / "out" / "kit" / "recipe.hlsl").read_text()
    said = loader.said["table"]
    content = np.fromfile(tmp_path / "out" / "kit" / said["file"], "<f4").reshape(said["height"], said["width"], 4)
    for row, variant in enumerate(loader.said["variants"][:3], 1):
        told = encode_srgb_8bit(loader.draw(game, variant, (256, 256))).astype(int)
        textures = loader.textures_of(variant)
        drawn = draw_hlsl(
            game, tmp_path, text, "float4(evenpalette_recipe(uv), 1.0)", textures, loader.uniforms(variant), (256, 256), repeat=loader.repeat
        )  # fmt: skip
        assert np.abs(encode_srgb_8bit(drawn[..., :3]) - told).max() <= 1
        tabled = draw_hlsl(
            game, tmp_path, "#define EP_TABLE\n" + text, f"float4(evenpalette_surface_row(uv, 0.0, 0u, {row}).base_color, 1.0)",
            {**textures, "ep_table": Raster(content, Encoding.DATA)}, {}, (256, 256), repeat=loader.repeat,
        )  # fmt: skip
        assert np.abs(encode_srgb_8bit(tabled[..., :3]) - told).max() <= 1
