"""Programs that draw a view: their text, and their compilation, here or beforehand elsewhere."""

import re
from collections.abc import Iterable, Mapping
from concurrent.futures import Future
from typing import NamedTuple

import moderngl
import numpy as np

from evenpalette.core.errors import ShaderOnItsWay, ShaderRefused
from evenpalette.gpu.elsewhere import Elsewhere
from evenpalette.gpu.precompile import Precompilation, precompile, target_of
from evenpalette.gpu.shader_files import CORNER, shader_file, tell

_MOST_PROGRAMS = 16


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
        self._plain: dict[str, tuple[moderngl.Program, moderngl.VertexArray]] = {}
        self._coming: dict[str, Future[None]] = {}
        self._wanted: set[str] = set()
        #: The values that a program has, as whoever set them says.
        self.told: dict[moderngl.Program, object] = {}
        #: And uniform by uniform: to set one takes longer than to see that it has its value.
        self._values: dict[moderngl.Program, dict[str, object]] = {}

    def plain(self, fragment: str) -> tuple[moderngl.Program, moderngl.VertexArray]:
        """A program of ours that is always there, with the quad that it fills."""
        if fragment not in self._plain:
            self._plain[fragment] = self._made(fragment)
        return self._plain[fragment]

    def of(self, text: str, drawing: DrawCall) -> tuple[moderngl.Program, moderngl.VertexArray]:
        """The program of a fragment shader, with the quad that it fills. Raises ShaderRefused with the driver's words
        and the line they are of, ShaderOnItsWay while it is compiled elsewhere."""
        if text not in self._held:
            self._send_ahead(text, drawing)
            self._held[text] = self._made(text)
            while len(self._held) > _MOST_PROGRAMS:
                gone, quad = self._held.pop(next(iter(self._held)))
                self.told.pop(gone, None)
                self._values.pop(gone, None)
                quad.release()
                gone.release()
        return self._held[text]

    def tell(self, program: moderngl.Program, values: Iterable[tuple[str, object]]) -> None:
        """Set uniforms that nobody else sets; those that have their value stay."""
        held = self._values.setdefault(program, {})
        for name, value in values:
            if name not in held or held[name] != value:
                held[name] = value
                tell(program, name, value)

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
