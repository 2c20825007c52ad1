"""A plain loader of kits: what a game writes that has only the files and docs/kit.md."""

import hashlib
import json
from pathlib import Path

import numpy as np

from evenpalette.core.raster.image_read import read_image
from evenpalette.core.raster.raster import Encoding, Raster
from tests.helpers.glsl import Game


class Loader:
    """A plain loader, written from the kit's own documentation."""

    def __init__(self, kit: Path) -> None:
        self.kit = kit
        self.said = json.loads((kit / "parameters.json").read_text())
        self.text = (kit / self.said["recipe"]).read_text()
        self.textures, self.chosen = {}, {}
        for entry in self.said["textures"]:
            path = kit / "textures" / entry["file"]
            assert hashlib.sha256(path.read_bytes()).hexdigest() == entry["sha256"]
            raster = read_image(path, Encoding.SRGB if entry["encoding"] == "srgb" else Encoding.DATA)
            assert raster.channels == entry["channels"]
            assert raster.pixels.dtype.itemsize * 8 == entry["bits"]
            assert entry["mips"] or entry["filter"] == "nearest"
            self.textures[entry["sampler"]] = raster
            if entry["parameter"]:
                self.chosen[entry["sampler"], entry["parameter"], entry["choice"]] = raster
        self.repeat = [entry["sampler"] for entry in self.said["textures"] if entry["wrap"] == "repeat"]

    def uniforms(self, variant: dict) -> dict[str, object]:
        by_name = {p["uniform"]: p for p in self.said["parameters"]}
        return {
            name: self._uniform(by_name[name], value)
            for name, value in variant["values"].items()
            if by_name[name]["type"] != "texture"
        }

    def textures_of(self, variant: dict) -> dict[str, Raster]:
        """Of several textures with one sampler that of the variant's choice."""
        picked = {
            sampler: raster
            for (sampler, name, choice), raster in self.chosen.items()
            if variant["values"][name]["texture"] == choice
        }
        return {**self.textures, **picked}

    @staticmethod
    def _uniform(parameter: dict, value: object) -> object:
        if isinstance(value, dict):
            if parameter["type"] == "placement":
                return tuple(value["matrix"])
            return tuple(value["linear"]) if parameter["type"] == "color" else value["index"]
        if isinstance(value, list):
            return tuple(value)
        return int(value) if parameter["type"] == "switch" else value

    def draw(
        self,
        game: Game,
        variant: dict,
        size: tuple[int, int],
        *,
        es: bool = False,
        mips: bool = False,
        attribute: str = "",
    ) -> np.ndarray:
        return game.run(
            self.text, self.textures_of(variant), self.uniforms(variant), size, es=es, mips=mips, repeat=self.repeat, attribute=attribute
        )  # fmt: skip

    def draw_row(
        self,
        game: Game,
        variant: dict,
        row: int,
        size: tuple[int, int],
        *,
        call: str = "",
        es: bool = False,
        mips: bool = False,
    ) -> np.ndarray:
        """Drawn with its parameters out of the table. variant: its textures are bound. call: with `{uv}`, what to call;
        by default the entry that reads the row of the uniform."""
        said = self.said["table"]
        content = np.fromfile(self.kit / said["file"], "<f4")
        table = Raster(content.reshape(said["height"], said["width"], 4), Encoding.DATA)
        text = "#define EP_TABLE\n" + self.text
        if call:
            # The loader of the tests calls one of two entries; another one is put behind a name of its own.
            text += f"\nvec3 chosen(vec2 uv) {{ return {call}.base_color; }}\n#define evenpalette_recipe chosen\n"
        textures = {**self.textures_of(variant), "ep_table": table}
        return game.run(text, textures, {"ep_row": row}, size, repeat=self.repeat, es=es, mips=mips)
