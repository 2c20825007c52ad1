"""The kit: a game that follows it gets the delivered pixels."""

import json
from pathlib import Path

import numpy as np
import pytest
from tests.glsl import Game

from evenpalette.core.color.encoding import encode_srgb_8bit
from evenpalette.core.delivery.kit import write_kit
from evenpalette.core.errors import Cancelled, EvenPaletteError
from evenpalette.core.project.state import State
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.raster.raster import Encoding


def as_uniform(value: object) -> object:
    if isinstance(value, dict):
        return tuple(value["linear"]) if "linear" in value else value["index"]
    return int(value) if isinstance(value, bool) else value


def test_a_game_that_reads_only_the_kit_gets_the_delivered_pixels(tmp_path: Path, lantern: State) -> None:
    write_kit(lantern, tmp_path)
    kit = tmp_path / "kit"
    described = json.loads((kit / "parameters.json").read_text())
    textures = {
        entry["sampler"]: read_image(
            kit / "textures" / entry["file"], Encoding.SRGB if entry["reading"].startswith("sRGB") else Encoding.DATA
        )
        for entry in described["textures"]
    }
    game = Game()
    names = []
    for variant in described["variants"]:
        uniforms = {name: as_uniform(value) for name, value in variant["values"].items()}
        picture = read_image(tmp_path / variant["folder"] / "base_color.png")
        drawn = encode_srgb_8bit(game.run((kit / "recipe.glsl").read_text(), textures, uniforms, picture.size))
        apart = np.abs(drawn.astype(int) - picture.pixels).max(-1)
        assert (apart <= 1).mean() >= 0.999
        assert apart.max() <= 2
        names.append(variant["name"])
    assert names == [v.name for v in lantern.project.variants]
    old = next(v for v in described["variants"] if v["name"] == "Harbour Night, old")
    assert old["derives_from"] == "Harbour Night"
    assert old["folder"] == "variants/harbour-night-old"
    assert {u["uniform"] for u in described["parameters"]} == set(old["values"])


def test_a_smaller_size_and_a_choice_of_variants(tmp_path: Path, lantern: State) -> None:
    one = lantern.project.variants[1]
    written = write_kit(lantern, tmp_path, variants=[one.id], longest=256)
    assert read_image(tmp_path / "variants" / "harbour-night" / "base_color.png").size == (256, 256)
    assert [p.name for p in (tmp_path / "variants").iterdir()] == ["harbour-night"]
    assert all(path.exists() for path in written)


def test_a_cancelled_or_failed_delivery_leaves_the_folder_as_it_was(tmp_path: Path, lantern: State) -> None:
    (tmp_path / "mine.txt").write_text("keep")

    def stop(share: float) -> None:
        if share > 0.3:
            raise Cancelled("stopped")

    with pytest.raises(Cancelled):
        write_kit(lantern, tmp_path, longest=128, progress=stop)
    assert [p.name for p in tmp_path.iterdir()] == ["mine.txt"]
    with pytest.raises(EvenPaletteError, match="failed"):
        write_kit(lantern, tmp_path / "mine.txt", longest=64)
