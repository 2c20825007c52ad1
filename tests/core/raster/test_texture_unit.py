"""What a game sees of a texture: filtering against OpenGL at random places and levels, compression against a
decoder."""

import imagecodecs
import moderngl
import numpy as np
import pytest
from skimage import data
from tests.helpers.glsl import apart

from evenpalette.core.raster.compress import pack, packed_and_back
from evenpalette.core.raster.mips import mip_chain
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.texture_formats import Advice, advise, measure, measure_ways, way_of, ways_of, what_if
from evenpalette.core.raster.texture_unit import FORMATS, PLAIN, Filter, Sampled, Setting, level_bytes, truth

FILTERS = {
    Filter.NEAREST: moderngl.NEAREST_MIPMAP_NEAREST, Filter.BILINEAR: moderngl.LINEAR_MIPMAP_NEAREST,
    Filter.TRILINEAR: moderngl.LINEAR_MIPMAP_LINEAR,
}  # fmt: skip
FRAGMENT = """#version 330 core
uniform sampler2D s; uniform sampler2D at; out vec4 o;
void main() { vec4 p = texelFetch(at, ivec2(gl_FragCoord.xy), 0); o = textureLod(s, p.xy, p.z); }
"""
VERTEX = "#version 330 core\nin vec2 p; void main() { gl_Position = vec4(p * 2.0 - 1.0, 0.0, 1.0); }"


def opengl(levels: list[np.ndarray], at: np.ndarray, filter: int, repeats: bool) -> np.ndarray:
    """Every level uploaded as half floats would lose: as floats; read at (u, v, level) of each pixel, (n, 4)."""

    def draw() -> np.ndarray:
        from evenpalette.gpu.mip_levels import Space, make_room, texture_in, write_level

        ctx = moderngl.create_standalone_context(backend="egl")
        height, width, channels = levels[0].shape
        room = Space((width, height), channels, "f4")
        texture = texture_in(ctx, make_room(room), room)
        for number, level in enumerate(levels):
            write_level(texture, number, level.astype(np.float32))
        texture.filter = filter, moderngl.NEAREST if filter == moderngl.NEAREST_MIPMAP_NEAREST else moderngl.LINEAR
        texture.repeat_x = texture.repeat_y = repeats
        side = int(np.sqrt(len(at)))
        places = ctx.texture((side, side), 4, np.pad(at, ((0, 0), (0, 1))).astype("f4").tobytes(), dtype="f4")
        places.filter = moderngl.NEAREST, moderngl.NEAREST
        program = ctx.program(VERTEX, FRAGMENT)
        program["s"], program["at"] = 0, 1
        texture.use(0)
        places.use(1)
        target = ctx.framebuffer([ctx.texture((side, side), 4, dtype="f4")])
        target.use()
        quad = ctx.buffer(np.array([[0, 0], [1, 0], [0, 1], [1, 1]], "f4").tobytes())
        ctx.vertex_array(program, [(quad, "2f", "p")]).render(moderngl.TRIANGLE_STRIP)
        return np.frombuffer(target.read(components=4, dtype="f4"), np.float32).reshape(-1, 4)

    return apart(draw)


@pytest.mark.parametrize("reads", list(FILTERS))
@pytest.mark.parametrize("repeats", [True, False])
@pytest.mark.parametrize("size", [(64, 64), (48, 20), (7, 33)])
def test_reads_are_those_of_opengl(reads: Filter, repeats: bool, size: tuple[int, int]) -> None:
    """At random coordinates, beside the tile too, and random levels: 1/255; at levels that lie between, and places that
    lie within 1/256 of a texel's border for nearest, a driver may round its own way (8 bits of fraction)."""
    rng = np.random.default_rng(3)
    raster = Raster(rng.integers(0, 256, (size[1], size[0], 3)).astype(np.uint8), Encoding.DATA)
    texture = Sampled(raster, Setting(PLAIN, reads, repeats=repeats))
    at = rng.uniform([-1, -1, 0], [2, 2, len(texture.levels)], (1024, 3))
    at[::2, 2] = np.floor(at[::2, 2])
    expected = opengl([level.as_unit() for level in mip_chain(raster).levels], at, FILTERS[reads], repeats)[:, :3]
    found = np.stack([texture.at(np.array([u]), np.array([v]), lod)[0] for u, v, lod in at])
    off = np.abs(found - expected).max(1)
    whole = at[:, 2] == np.floor(at[:, 2])
    if reads is Filter.NEAREST:
        assert (off[whole] < 1e-5).mean() > 0.98
        assert (off < 1e-5).mean() > 0.95
    else:
        assert off[whole].max() < 1 / 255
        assert (off < 2 / 255).mean() > 0.97


@pytest.mark.parametrize("form", ["BC1", "BC3", "BC4", "BC5", "BC7"])
def test_blocks_are_read_as_another_decoder_reads_them(form: str) -> None:
    """imagecodecs' decoder for BC1 to BC5 and BC7 beside texture2ddecoder's."""
    rng = np.random.default_rng(4)
    y, x = np.mgrid[:32, :64]
    pixels = np.stack([x * 4, y * 8, 255 - x * 4, 128 + y], -1).astype(np.uint8)
    pixels[8:16, 8:24] = rng.integers(0, 256, (8, 16, 4))
    blocks = pack(pixels, form)
    assert len(blocks) == level_bytes(64, 32, 4, form)
    shape = {"BC4": (32, 64), "BC5": (32, 64, 2)}.get(form, (32, 64, 4))
    expected = imagecodecs.bcn_decode(blocks, int(form[2:]), shape=shape).reshape(32, 64, -1)
    back = packed_and_back(pixels, form)
    channels = {"BC4": 1, "BC5": 2, "BC1": 3}.get(form, 4)
    assert np.abs(back[..., :channels].astype(int) - expected[..., :channels]).max() <= 1
    assert np.abs(back[..., 0].astype(int) - pixels[..., 0])[:8].mean() < 6


def test_a_wrong_flag_missing_mips_and_blocks_are_told_apart() -> None:
    rng = np.random.default_rng(5)
    coarse = rng.integers(30, 220, (16, 16, 3))
    raster = Raster(np.kron(coarse, np.ones((8, 8, 1))).astype(np.uint8), Encoding.SRGB)
    right = {s.level: s for s in measure(raster, Setting(repeats=False))}
    assert right[1].mean_ciede2000 < 0.3
    assert right[0].psnr > 45
    wrong = measure(raster, Setting(srgb_flag=False, repeats=False))[1]
    assert wrong.mean_ciede2000 > 8
    fine = Raster(rng.integers(0, 256, (128, 128, 3)).astype(np.uint8), Encoding.SRGB)
    without = measure(fine, Setting(mips=False, repeats=False))[3]
    assert without.mean_ciede2000 > 5 * measure(fine, Setting(repeats=False))[3].mean_ciede2000
    table = what_if(fine)
    sizes = {seen.setting: seen.bytes for seen in table}
    assert len(sizes) >= 8
    plain, packed = (
        next(v for k, v in sizes.items() if k.startswith(form + ", trilinear, mips")) for form in (PLAIN, "BC1")
    )
    assert packed < plain / 7
    assert set(FORMATS) >= {PLAIN, "BC1", "BC3", "BC4", "BC5", "BC7"}


def test_the_cheapest_way_that_nobody_sees_is_advised_and_mistakes_are_named() -> None:
    """On a real picture: the worst level of each way by the table itself decides."""
    picture = Raster(np.ascontiguousarray(data.coffee()[:256, :256]), Encoding.SRGB)
    made = ways_of(picture)
    found = measure_ways(made, picture, lambda distance, stride: truth(picture, distance, stride))
    worst = {way.name: max(s.mean_ciede2000 for s in found if s.setting == way.name and s.level) for way in made}
    advice = advise(made, found)
    assert isinstance(advice, Advice)
    chosen = next(way for way in made if way.name == advice.name)
    assert worst[chosen.name] <= 1
    assert all(way.bytes >= chosen.bytes for way in made if way.offered and worst[way.name] <= 1)
    assert any("no mips" in reason for reason in advice.reasons)
    assert any("as data" in reason for reason in advice.reasons)
    # A flat color that 5, 6 and 5 bits hold survives the smallest blocks: nothing dearer is advised.
    flat = Raster(np.full((64, 64, 3), (132, 130, 132), np.uint8), Encoding.SRGB)
    ways = [way_of(flat, Setting(form=form)) for form in (PLAIN, "BC7", "BC1")]
    assert advise(ways, measure_ways(ways, flat, lambda d, stride: truth(flat, d, stride))).name.startswith("BC1")
