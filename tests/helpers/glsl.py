"""Runs a recipe's GLSL in a context of its own, as a game would, and reads the result as floats."""

from collections.abc import Callable, Collection
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

import moderngl
import numpy as np

from evenpalette.core.raster.raster import Encoding, Raster

T = TypeVar("T")
#: A context without a window stays current on its thread, where it would keep Qt's own from becoming current.
_THREAD = ThreadPoolExecutor(1)


def apart(work: Callable[[], T]) -> T:
    """Run OpenGL work without a window on a thread of its own."""
    return _THREAD.submit(work).result()


class Game:
    """A stand-in for a game: one quad, one fragment shader that calls the recipe once for each pixel.

    It sets textures up as any loader would, by their channels and bits alone: what has one channel is read as red,
    zero, zero, one. Color that is stored encoded is decoded while it is loaded; mip levels are made by the driver.
    """

    def __init__(self) -> None:
        self.ctx = apart(lambda: moderngl.create_standalone_context(backend="egl"))

    def run(
        self, recipe: str, textures: dict[str, Raster], uniforms: dict[str, object], size: tuple[int, int],
        *, es: bool = False, shift: tuple[float, float] = (0.0, 0.0), mips: bool = False,
        repeat: bool | Collection[str] = True, attribute: str = "", seconds: float = 0.0, copy: int = 0,
    ) -> np.ndarray:  # fmt: skip
        """Linear float32 (height, width, 3), first row first. shift: of the sampled place, in pixels of the result.
        repeat: which samplers wrap. attribute: of the surface, '' is the base color by its own entry."""
        return apart(
            lambda: self._draw(recipe, textures, uniforms, size, es, shift, mips, repeat, attribute, seconds, copy)
        )

    def _draw(self, recipe, textures, uniforms, size, es, shift, mips, repeat, attribute, seconds, copy) -> np.ndarray:  # type: ignore[no-untyped-def]
        version = "#version 300 es\nprecision highp float;\n" if es else "#version 330 core\n"
        text = version + "uniform vec2 size; uniform vec2 shift; out vec4 o;\n" + recipe
        uv = "(gl_FragCoord.xy + shift) / size"
        made = (
            f"evenpalette_surface({uv}, float({seconds!r}), {copy}u).{attribute}"
            if attribute
            else f"evenpalette_recipe({uv})"
        )
        filled_up = f"vec4({made}, 0.0, 1.0)" if attribute == "normal" else f"vec4(vec3({made}), 1.0)"
        text += f"\nvoid main() {{ o = {filled_up}; }}"
        program = self.ctx.program(
            version + "in vec2 p; void main() { gl_Position = vec4(p * 2.0 - 1.0, 0.0, 1.0); }", text
        )
        held = []
        for unit, (name, raster) in enumerate(textures.items()):
            if name in program:
                held.append(self._load(raster, mips, repeat if isinstance(repeat, bool) else name in repeat))
                held[-1].use(unit)
                program[name].value = unit
        for name, value in {**uniforms, "size": tuple(float(v) for v in size), "shift": shift}.items():
            if name in program:
                program[name].value = value
        quad = self.ctx.buffer(np.array([[0, 0], [1, 0], [0, 1], [1, 1]], "f4").tobytes())
        target = self.ctx.framebuffer([self.ctx.texture(size, 4, dtype="f4")])
        target.use()
        self.ctx.vertex_array(program, [(quad, "2f", "p")]).render(moderngl.TRIANGLE_STRIP)
        data = np.frombuffer(target.read(components=4, dtype="f4"), np.float32)
        for texture in held:
            texture.release()
        return data.reshape(size[1], size[0], 4)[..., :3]

    def fill(
        self, body: str, size: tuple[int, int], textures: dict[str, moderngl.Texture] | None = None, *, kind: str = "f4"
    ) -> np.ndarray:
        """What a fragment shader puts into `o` (vec4, or uvec4 for kind 'u4') for each pixel: (height, width, 4)."""

        def draw() -> np.ndarray:
            version = "#version 330 core\n"
            out = f"out {'uvec4' if kind == 'u4' else 'vec4'} o;\n"
            vertex = version + "in vec2 p; void main() { gl_Position = vec4(p * 2.0 - 1.0, 0.0, 1.0); }"
            program = self.ctx.program(vertex, version + out + body)
            for unit, (name, texture) in enumerate((textures or {}).items()):
                texture.use(unit)
                program[name].value = unit
            quad = self.ctx.buffer(np.array([[0, 0], [1, 0], [0, 1], [1, 1]], "f4").tobytes())
            target = self.ctx.framebuffer([self.ctx.texture(size, 4, dtype=kind)])
            target.use()
            self.ctx.vertex_array(program, [(quad, "2f", "p")]).render(moderngl.TRIANGLE_STRIP)
            kept = np.uint32 if kind == "u4" else np.float32
            return np.frombuffer(target.read(components=4, dtype=kind), kept).reshape(size[1], size[0], 4)

        return apart(draw)

    def _load(self, raster: Raster, mips: bool, repeat: bool) -> moderngl.Texture:
        is_color = raster.encoding is Encoding.SRGB
        pixels = raster.as_linear().astype(np.float32) if is_color else raster.pixels
        dtype = {"u1": "f1", "u2": "nu2", "f4": "f4"}[pixels.dtype.str[1:]]
        texture = self.ctx.texture(
            raster.size, raster.channels, np.ascontiguousarray(pixels).tobytes(), alignment=1, dtype=dtype
        )
        texture.repeat_x = texture.repeat_y = repeat
        texture.filter = moderngl.LINEAR, moderngl.LINEAR
        if mips:
            texture.build_mipmaps()
            texture.filter = moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR
        return texture


def drawn_by_opengl(uvs: np.ndarray, labels: np.ndarray, size: int) -> np.ndarray:
    """The label of the face that a GL context (Mesa llvmpipe) draws at each texel, float32 (size, size), -1 for
    none."""

    def draw() -> np.ndarray:
        ctx = moderngl.create_standalone_context(backend="egl")
        program = ctx.program(
            "#version 330\nin vec2 p; in float f; flat out float label;"
            "void main() { label = f; gl_Position = vec4(p * 2.0 - 1.0, 0, 1); }",
            "#version 330\nflat in float label; out float c; void main() { c = label; }",
        )
        vertices = np.concatenate([uvs, np.repeat(labels, 3).reshape(-1, 3, 1)], -1).astype("f4")
        target = ctx.framebuffer([ctx.texture((size, size), 1, dtype="f4")])
        target.clear(-1)
        target.use()
        ctx.vertex_array(program, [(ctx.buffer(vertices.tobytes()), "2f 1f", "p", "f")]).render(moderngl.TRIANGLES)
        return np.frombuffer(target.read(components=1, dtype="f4"), np.float32).reshape(size, size)

    return apart(draw)
