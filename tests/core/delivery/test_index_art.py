"""Index art as it is delivered: a plain loader reads the files with the shader text and gets what was measured."""

from pathlib import Path

import moderngl
import numpy as np
import pytest
from PIL import Image
from skimage import data
from tests.helpers.glsl import apart

from evenpalette.core.delivery.index_art import FUNCTIONS, LOOK_UP, ORDERED, TRUE_MIPS, WAYS, write_index_art
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.tones.palettes.index_filtering import index_ways
from evenpalette.core.tones.palettes.reduce import reduce_pictures
from evenpalette.core.tones.palettes.strip import index_raster, restore, strip_raster

VERTEX = "in vec2 p; void main() { gl_Position = vec4(p * 2.0 - 1.0, 0.0, 1.0); }"


def drawn(folder: Path, way: str, size: tuple[int, int], level: float, row: int, *, es: bool) -> np.ndarray:
    """As a game does it: every file a level, the strip decoded while it is loaded; (height, width, 3), linear."""

    def draw() -> np.ndarray:
        ctx = moderngl.create_standalone_context(backend="egl")
        head = "#version 300 es\nprecision highp float; precision highp int;\n" if es else "#version 330 core\n"
        text = (
            head
            + "uniform sampler2D i; uniform sampler2D s; uniform vec2 size; uniform float level; uniform int row; out vec4 o;\n"
        )
        text += (folder / "index.glsl").read_text()
        text += f"void main() {{ o = vec4({FUNCTIONS[way]}(i, s, gl_FragCoord.xy / size, row, level), 1.0); }}"
        program = ctx.program(head + VERTEX, text)
        files = sorted(folder.glob("index-*.png"), key=lambda path: int(path.stem.split("-")[1]))
        whole = np.asarray(Image.open(files[0]))
        index = ctx.texture(whole.shape[::-1], 1, whole.tobytes(), alignment=1)
        index.build_mipmaps()
        for number, path in enumerate(files[1:], 1):
            pixels = np.asarray(Image.open(path))
            index.write(pixels.tobytes(), level=number, alignment=1)
        near = moderngl.NEAREST_MIPMAP_NEAREST, moderngl.NEAREST
        index.filter = near if way == TRUE_MIPS else (moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR)
        index.repeat_x = index.repeat_y = False
        codes = np.asarray(Image.open(folder / "strip.png").convert("RGB")) / 255
        light = np.where(codes <= 0.04045, codes / 12.92, ((codes + 0.055) / 1.055) ** 2.4).astype("f4")
        strip = ctx.texture((light.shape[1], light.shape[0]), 3, light.tobytes(), alignment=1, dtype="f4")
        index.use(0)
        strip.use(1)
        program["i"], program["s"], program["size"], program["level"], program["row"] = 0, 1, size, level, row
        target = ctx.framebuffer([ctx.texture(size, 4, dtype="f4")])
        target.use()
        quad = ctx.buffer(np.array([[0, 0], [1, 0], [0, 1], [1, 1]], "f4").tobytes())
        ctx.vertex_array(program, [(quad, "2f", "p")]).render(moderngl.TRIANGLE_STRIP)
        return np.frombuffer(target.read(components=4, dtype="f4"), np.float32).reshape(size[1], size[0], 4)[..., :3]

    return apart(draw)


@pytest.mark.parametrize("es", [False, True])
@pytest.mark.parametrize("way", WAYS)
def test_what_is_delivered_reads_as_what_was_measured(way: str, es: bool, tmp_path: Path) -> None:
    picture = Raster(np.ascontiguousarray(data.coffee()[100:228, 200:328]), Encoding.SRGB)
    made = reduce_pictures([picture], 24)
    night = np.ascontiguousarray(made.palette[..., ::-1] // 2)
    index, strip = index_raster(made.indices[0], len(made.palette)), strip_raster([made.palette, night])
    names = write_index_art(tmp_path / "label", way, index, strip)
    assert {"index-0.png", "index-7.png", "strip.png", "index.glsl"} <= set(names)
    measured = next(
        w for w in index_ways(index, strip, restore(index, strip)) if w.name.startswith(way) and "BC4" not in w.name
    )
    for distance, level in ((0.0, 0.0), (1.0, 1.0), (2.0, 2.0), (-1.0, 0.0)):
        size = round(128 * 2**-distance), round(128 * 2**-distance)
        wanted = measured.draw(distance, 1)
        found = drawn(tmp_path / "label", way, size, level, 0, es=es)
        gap = np.abs(found - wanted)
        # Between two entries 8 bits of a filter's weight decide: a rounding may fall to the neighbor.
        assert (gap.max(-1) <= 1 / 255).mean() > (0.94 if way == ORDERED else 0.995)
        assert gap.mean() < 2e-3
    # The other row of the strip comes along, in the same order.
    near = drawn(tmp_path / "label", way, (128, 128), 0.0, 1, es=es)
    other = restore(index, strip, 1).as_linear()[..., :3]
    assert (np.abs(near - other).max(-1) <= 1 / 255).mean() > 0.98


def test_a_way_or_a_row_that_is_not_there_is_said(tmp_path: Path) -> None:
    index, strip = index_raster(np.zeros((8, 8), np.uint8), 2), strip_raster([np.zeros((2, 3), np.uint8)])
    with pytest.raises(EvenPaletteError, match="look up, then filter"):
        write_index_art(tmp_path / "a", "by hand", index, strip)
    with pytest.raises(EvenPaletteError, match="rows 0 to 0"):
        write_index_art(tmp_path / "a", LOOK_UP, index, strip, row=4)
    assert not (tmp_path / "a").exists()
