"""Programs that draw a view: their text, and their compilation, here or beforehand elsewhere."""

import re
from collections.abc import Mapping, Sequence
from concurrent.futures import Future
from typing import NamedTuple

import moderngl
import numpy as np

from evenpalette.core.errors import ShaderOnItsWay, ShaderRefused
from evenpalette.core.light.model import light_glsl
from evenpalette.core.recipe.attributes import (
    ANISOTROPY,
    ANISOTROPY_ANGLE,
    ATTRIBUTES,
    BASE_COLOR,
    COAT,
    COAT_ROUGHNESS,
    CUT,
    EMISSIVE,
    HIGHLIGHT_TINT,
    METALLIC,
    NORMAL,
    OCCLUSION,
    OPACITY,
    ROUGHNESS,
    STEEPEST,
    STRAND_SHAPE,
    STRAND_TINT,
    STRANDS,
    Holds,
)
from evenpalette.core.recipe.shader_text import ShaderText
from evenpalette.core.recipe.shared import SHARED
from evenpalette.gpu.elsewhere import Elsewhere
from evenpalette.gpu.precompile import Precompilation, precompile, target_of
from evenpalette.gpu.shader_files import CORNER, defined, shader_file

_MOST_PROGRAMS = 16
#: What Form's light asks of a surface.
LIGHTING = (
    BASE_COLOR, METALLIC, ROUGHNESS, OCCLUSION, NORMAL, EMISSIVE, COAT, COAT_ROUGHNESS, HIGHLIGHT_TINT, ANISOTROPY, ANISOTROPY_ANGLE,
    STRANDS, STRAND_TINT, STRAND_SHAPE,
)  # fmt: skip


class BoundTexture(NamedTuple):
    """A texture that a program reads. sampler: reads it in place of its own filter."""

    texture: moderngl.Texture
    sampler: moderngl.Sampler | None = None


class DrawCall(NamedTuple):
    """What a program is drawn with and into. deep: only where depth is greater."""

    pictures: Mapping[str, BoundTexture]
    target: moderngl.Framebuffer
    deep: bool


class ViewPrograms:
    """Programs by their text; those that were made first go first."""

    def __init__(self, ctx: moderngl.Context, elsewhere: Elsewhere | None = None) -> None:
        self._ctx, self._elsewhere = ctx, elsewhere
        #: Whether what needs long to compile may come later: it is compiled elsewhere, and asked for again.
        self.patient = False
        self._vertex = shader_file("view.vert")
        self._corners = ctx.buffer(np.array([[0, 0], [1, 0], [0, 1], [1, 1]], np.float32).tobytes())
        self._held: dict[str, tuple[moderngl.Program, moderngl.VertexArray]] = {}
        self._coming: dict[str, Future[None]] = {}
        self._wanted: set[str] = set()
        #: The values that a program has, as whoever set them says.
        self.told: dict[moderngl.Program, object] = {}

    def plain(self, fragment: str) -> tuple[moderngl.Program, moderngl.VertexArray]:
        """A program of ours that is always there, with the quad that it fills."""
        return self._made(fragment)

    def of(self, text: str, drawing: DrawCall) -> tuple[moderngl.Program, moderngl.VertexArray]:
        """The program of a fragment shader, with the quad that it fills. Raises ShaderRefused with the driver's words
        and the line they are of, ShaderOnItsWay while it is compiled elsewhere."""
        if text not in self._held:
            self._send_ahead(text, drawing)
            self._held[text] = self._made(text)
            while len(self._held) > _MOST_PROGRAMS:
                gone, quad = self._held.pop(next(iter(self._held)))
                self.told.pop(gone, None)
                quad.release()
                gone.release()
        return self._held[text]

    @property
    def coming(self) -> "list[Future[None]]":
        """What is being compiled elsewhere."""
        return [future for future in self._coming.values() if not future.done()]

    def drop_unwanted(self) -> None:
        """Leave what was sent ahead before and not asked for since this was called last, where it has not begun."""
        self._coming = {
            text: future for text, future in self._coming.items() if text in self._wanted or not future.cancel()
        }
        self._wanted.clear()

    def _send_ahead(self, text: str, drawing: DrawCall) -> None:
        """Have it compiled elsewhere first, where that can be and nobody waits for the picture."""
        future = self._coming.get(text)
        if future is None and self.patient and self._elsewhere is not None:
            target = target_of(drawing.target)
            if target is None:
                return
            pictures = tuple(
                (name, picture.texture.glo, picture.sampler.filter if picture.sampler is not None else None)
                for name, picture in drawing.pictures.items()
            )
            # moderngl takes the blanks around a text away, and drivers know a shader by every character.
            job = Precompilation(self._vertex.strip(), text.strip(), CORNER, pictures, target, drawing.deep)
            if len(self._coming) >= _MOST_PROGRAMS:
                # What has come and was never drawn with: an order of steps that was only passed over.
                self._coming = {key: held for key, held in self._coming.items() if not held.done()}
            try:
                future = self._coming[text] = self._elsewhere(lambda: precompile(job))
            except RuntimeError:  # it is closing
                return
        if future is not None and self.patient and not future.done():
            self._wanted.add(text)
            raise ShaderOnItsWay("the shader is being compiled")
        self._coming.pop(text, None)

    def _made(self, fragment: str) -> tuple[moderngl.Program, moderngl.VertexArray]:
        try:
            program = self._ctx.program(self._vertex, fragment)
        except moderngl.Error as error:
            raise ShaderRefused(_refusal(str(error), fragment)) from error
        return program, self._ctx.vertex_array(program, [(self._corners, "2f", CORNER)])


class ViewText:
    """The shader of the views, made for a number of regions."""

    def __init__(self) -> None:
        self._whole, self._light = shader_file("view.frag"), light_glsl()
        self.fit(0)

    def fit(self, regions: int) -> None:
        """Be the text for so many regions."""
        text = self._whole.replace("REGION_SLOTS", str(max(regions, 1))).replace("REGION_COUNT", str(regions))
        self._text = text.replace("REGION_LIST", ", ".join(f"ep_k{i}" for i in range(regions)))

    def of(self, shader: ShaderText, attribute: str, switches: Mapping[str, bool], *, inspect: bool) -> str:
        """The text that runs a recipe and shows an attribute, or with inspect one that runs no recipe. Software drivers
        run every branch, so looks that need less get a text that has less. switches: LIT is whether there is light."""
        recipe = shader.without_steps if inspect else shader.text
        if inspect or "encoding" not in shader.shared:
            recipe = SHARED["encoding"] + recipe
        text = self._text.replace("//RECIPE//", recipe).replace("//LIGHT//", self._light if switches["LIT"] else "")
        words = {name: int(on) for name, on in switches.items()} | _surface_words(shader.attributes, attribute)
        return defined(text, {"STEEPEST": STEEPEST, "CUT": CUT, **words})


def _surface_words(made: Sequence[str], attribute: str) -> dict[str, str]:
    """What the view's shader calls the parts of the surface that there are; the others are neutral."""

    def part(key: str) -> str:
        return f"s.{key}" if key in made else ATTRIBUTES[key].glsl_neutral

    finish = ", ".join(part(key) for key in (BASE_COLOR, METALLIC, ROUGHNESS, OCCLUSION, COAT, COAT_ROUGHNESS))
    grain = ", ".join(
        part(key) for key in (ANISOTROPY_ANGLE, ANISOTROPY, STRANDS, HIGHLIGHT_TINT, STRAND_TINT, STRAND_SHAPE)
    )
    shown = {
        Holds.COLOR: "encode_color({})", Holds.LIGHT: "encode_color({})", Holds.DATA: "vec3({})",
        Holds.SLOPES: "normalize(vec3({}, 1.0)) * 0.5 + 0.5",
    }  # fmt: skip
    key = attribute or BASE_COLOR
    words = {
        "LIT_GRAIN": grain, "LIT_FINISH": f"EpFinish({finish})", "LIT_SLOPES": part(NORMAL), "LIT_EMISSIVE": part(EMISSIVE),
        "SHOWN": shown[ATTRIBUTES[key].holds].format(part(key)), "EP_COATED": "1.0" if COAT in made else "0.0",
    }  # fmt: skip
    return words | ({"HAS_OPACITY": "1"} if OPACITY in made else {})


def _refusal(said: str, text: str) -> str:
    """What a driver says of a shader, with the line of the text: 'file:line(column): words' or 'file(line) : words'."""
    found = re.search(r"^\s*\d+(?::(\d+)\(\d+\)|\((\d+)\)\s*):\s*(?:error:\s*)?(.+)$", said, re.MULTILINE)
    if found is None:
        words = next(
            (line.strip() for line in said.splitlines() if line.strip() and set(line.strip()) != {"="}),
            "it says no reason",
        )
        return f"The graphics driver refuses the shader of this recipe: {words[:200]}. The last good picture stays."
    line, lines = int(found[1] or found[2]), text.splitlines()
    quoted = lines[line - 1].strip() if 0 < line <= len(lines) else ""
    return f"The graphics driver refuses the shader of this recipe: {found[3].strip()[:160]}, in line {line}, '{quoted[:80]}'. The last good picture stays."
