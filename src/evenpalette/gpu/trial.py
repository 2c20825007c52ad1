"""A recipe's text drawn once, without a window, as a game would: for kinds of steps that are tried out."""

from collections.abc import Mapping

import moderngl
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.errors import ShaderRefused
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.attributes import ATTRIBUTES

_HEAD = "#version 330 core\nuniform vec2 ep_trial_size; out vec4 ep_trial;\n"
_PLACE = "#version 330 core\nin vec2 p; void main() { gl_Position = vec4(p * 2.0 - 1.0, 0.0, 1.0); }"


class Trial:
    """A context of its own. Raises ShaderRefused where there is no OpenGL."""

    def __init__(self) -> None:
        try:
            self._ctx = moderngl.create_standalone_context(backend="egl")  # type: ignore[arg-type]
        except Exception as error:
            raise ShaderRefused(f"There is no OpenGL here: {error}.") from error

    def draw(
        self, text: str, textures: Mapping[str, Raster], size: tuple[int, int], attribute: str
    ) -> NDArray[np.float32]:
        """An attribute that a recipe makes, float32 (height, width, planes). Raises ShaderRefused with what the driver
        says."""
        planes = ATTRIBUTES[attribute].planes
        parts = ", ".join(f"made.{letter}" for letter in "xyzw"[:planes]) if planes > 1 else "made"
        filled = ", 0.0" * (4 - planes)
        kind = ATTRIBUTES[attribute].glsl
        body = f"{kind} made = evenpalette_surface(gl_FragCoord.xy / ep_trial_size, 0.0, 0u).{attribute};"
        try:
            program = self._ctx.program(
                _PLACE, f"{_HEAD}{text}\nvoid main() {{ {body} ep_trial = vec4({parts}{filled}); }}"
            )
        except moderngl.Error as error:
            raise ShaderRefused(str(error)) from error
        held = [self._load(raster) for raster in textures.values()]
        for unit, (name, texture) in enumerate(zip(textures, held, strict=True)):
            if name in program:
                texture.use(unit)
                program[name] = unit
        if "ep_trial_size" in program:
            program["ep_trial_size"] = tuple(float(v) for v in size)
        quad = self._ctx.buffer(np.array([[0, 0], [1, 0], [0, 1], [1, 1]], "f4").tobytes())
        target = self._ctx.framebuffer([self._ctx.texture(size, 4, dtype="f4")])
        target.use()
        self._ctx.vertex_array(program, [(quad, "2f", "p")]).render(moderngl.TRIANGLE_STRIP)
        data = np.frombuffer(target.read(components=4, dtype="f4"), np.float32)
        for texture in held:
            texture.release()
        return data.reshape(size[1], size[0], 4)[..., :planes]

    def _load(self, raster: Raster) -> moderngl.Texture:
        pixels = raster.as_linear() if raster.encoding is not Encoding.DATA else raster.as_unit()
        made = self._ctx.texture(
            (raster.width, raster.height),
            pixels.shape[2],
            np.ascontiguousarray(pixels, np.float32).tobytes(),
            dtype="f4",
        )
        made.filter = moderngl.LINEAR, moderngl.LINEAR
        return made
