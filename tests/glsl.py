"""Runs a recipe's GLSL in a context of its own, as a game would, and reads the result as floats."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

import moderngl
import numpy as np

from evenpalette.core.raster.raster import Raster
from evenpalette.gpu.textures import upload

_VERTEX = "#version 330 core\nin vec2 p; void main() { gl_Position = vec4(p * 2.0 - 1.0, 0.0, 1.0); }"


T = TypeVar("T")
#: A context without a window stays current on its thread, where it would keep Qt's own from becoming current.
_THREAD = ThreadPoolExecutor(1)


def apart(work: Callable[[], T]) -> T:
    """Run OpenGL work without a window on a thread of its own."""
    return _THREAD.submit(work).result()


class Game:
    """A stand-in for a game: one quad, one fragment shader that calls the recipe at texel centers."""

    def __init__(self) -> None:
        self.ctx = apart(lambda: moderngl.create_standalone_context(backend="egl"))

    def run(
        self, recipe: str, textures: dict[str, Raster], uniforms: dict[str, object], size: tuple[int, int]
    ) -> np.ndarray:
        """Linear float32 (height, width, 3), first row first."""
        return apart(lambda: self._draw(recipe, textures, uniforms, size))

    def _draw(
        self, recipe: str, textures: dict[str, Raster], uniforms: dict[str, object], size: tuple[int, int]
    ) -> np.ndarray:
        text = "#version 330 core\nuniform vec2 size; out vec4 o;\n" + recipe
        text += "\nvoid main() { o = vec4(evenpalette_recipe(gl_FragCoord.xy / size), 1.0); }"
        program = self.ctx.program(_VERTEX, text)
        for unit, (name, raster) in enumerate(textures.items()):
            if name in program:
                upload(self.ctx, raster).use(unit)
                program[name].value = unit
        for name, value in {**uniforms, "size": tuple(float(v) for v in size)}.items():
            if name in program:
                program[name].value = value
        quad = self.ctx.buffer(np.array([[0, 0], [1, 0], [0, 1], [1, 1]], "f4").tobytes())
        target = self.ctx.framebuffer([self.ctx.texture(size, 4, dtype="f4")])
        target.use()
        self.ctx.vertex_array(program, [(quad, "2f", "p")]).render(moderngl.TRIANGLE_STRIP)
        data = np.frombuffer(target.read(components=4, dtype="f4"), np.float32)
        return data.reshape(size[1], size[0], 4)[..., :3]


def drawn_by_opengl(uvs: np.ndarray, labels: np.ndarray, size: int) -> np.ndarray:
    """The label of the face that a GL context (Mesa llvmpipe) draws at each texel, float32 (size, size), -1 for none."""

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
