"""Drawing with a shader once before it is needed, elsewhere: what its compilation takes, nobody waits for.

A driver compiles a shader for the textures, targets and tests that it is drawn with, when it is first drawn with them,
and keeps the outcome (Mesa: on disk, for every context of the machine). So a precompilation has the same of all these,
and its drawing goes nowhere.
"""

import ctypes
import time
from typing import NamedTuple

import moderngl
import numpy as np

from evenpalette.gpu.library import library

_TEXTURE_2D, _FRAMEBUFFER, _RENDERBUFFER = 0x0DE1, 0x8D40, 0x8D41
_COLOR, _DEPTH, _OBJECT_TYPE, _OBJECT_NAME = 0x8CE0, 0x8D00, 0x8CD0, 0x8CD1
_IS_TEXTURE, _IS_RENDERBUFFER = 0x1702, 0x8D41
_LEVEL_FORMAT, _RENDERBUFFER_FORMAT = 0x1003, 0x8D44
_VERTEX, _FRAGMENT, _LINKED = 0x8B31, 0x8B30, 0x8B82
_TEXTURE0, _DEPTH_TEST, _GREATER, _ARRAY, _STATIC, _FLOAT, _STRIP = (
    0x84C0,
    0x0B71,
    0x0204,
    0x8892,
    0x88E4,
    0x1406,
    0x0005,
)
_SEAMLESS, _RESTART = 0x884F, 0x8F9D
_SMALL_FILTER, _LARGE_FILTER = 0x2801, 0x2800
_SIDE = 16
#: The driver's own thread writes what was compiled to disk for so long (seconds).
_WRITTEN = 0.05


class Target(NamedTuple):
    """What a framebuffer is made of: OpenGL's internal formats of its colors, and of its depth, 0 for none."""

    colors: tuple[int, ...]
    depth: int


class Precompilation(NamedTuple):
    """A drawing of one quad. corner: the attribute of its corners, two floats. pictures: (sampler of the shader, name
    of the texture, filters (small, large) of what reads it in place of the texture's own). deep: it is drawn where
    depth is greater."""

    vertex: str
    fragment: str
    corner: str
    pictures: tuple[tuple[str, int, tuple[int, int] | None], ...]
    target: Target
    deep: bool


def target_of(framebuffer: moderngl.Framebuffer) -> Target | None:
    """What a framebuffer is made of; None where that is the window system's."""
    if framebuffer.glo == 0:
        return None
    gl = library()
    gl.glBindFramebuffer(_FRAMEBUFFER, framebuffer.glo)
    colors = [_format_of(_COLOR + place) for place in range(2)]
    return Target(tuple(color for color in colors if color), _format_of(_DEPTH))


def _format_of(attachment: int) -> int:
    """The internal format of a part of the framebuffer that is bound; 0 where there is none."""
    gl = library()

    def asked(what: int) -> int:
        value = ctypes.c_int()
        gl.glGetFramebufferAttachmentParameteriv(_FRAMEBUFFER, attachment, what, ctypes.byref(value))
        return value.value

    kind, found = asked(_OBJECT_TYPE), ctypes.c_int()
    if kind == _IS_TEXTURE:
        gl.glActiveTexture(_TEXTURE0)
        gl.glBindTexture(_TEXTURE_2D, asked(_OBJECT_NAME))
        gl.glGetTexLevelParameteriv(_TEXTURE_2D, 0, _LEVEL_FORMAT, ctypes.byref(found))
    elif kind == _IS_RENDERBUFFER:
        gl.glBindRenderbuffer(_RENDERBUFFER, asked(_OBJECT_NAME))
        gl.glGetRenderbufferParameteriv(_RENDERBUFFER, _RENDERBUFFER_FORMAT, ctypes.byref(found))
    return found.value


def precompile(job: Precompilation) -> None:
    """Compile and draw in the context that is current on this thread, which shares textures with the one that draws.

    What the driver refuses is left to be refused, and said, where it is drawn.
    """
    gl = library()
    program = _linked(job)
    if not program:
        return
    gl.glUseProgram(program)
    # As moderngl has them where it draws: they are part of what the driver compiles for.
    gl.glEnable(_SEAMLESS)
    gl.glEnable(_RESTART)
    made = _Made()
    for unit, (name, texture, filters) in enumerate(job.pictures):
        place = gl.glGetUniformLocation(program, name.encode())
        if place >= 0:
            gl.glActiveTexture(_TEXTURE0 + unit)
            gl.glBindTexture(_TEXTURE_2D, texture)
            gl.glBindSampler(unit, made.sampler(*filters) if filters is not None else 0)
            gl.glUniform1i(place, unit)
    try:
        made.take_target(job.target)
        made.take_quad(gl.glGetAttribLocation(program, job.corner.encode()))
        gl.glViewport(0, 0, _SIDE, _SIDE)
        if job.deep:
            gl.glEnable(_DEPTH_TEST)
            gl.glDepthFunc(_GREATER)
            gl.glDepthMask(0)
        gl.glDrawArrays(_STRIP, 0, 4)
        gl.glDisable(_DEPTH_TEST)
        gl.glFinish()
    finally:
        made.give_back()
        gl.glUseProgram(0)
        gl.glDeleteProgram(program)
    time.sleep(_WRITTEN)


def _linked(job: Precompilation) -> int:
    """The program of a job, 0 where it cannot be made."""
    gl = library()
    program = gl.glCreateProgram()
    for kind, text in ((_VERTEX, job.vertex), (_FRAGMENT, job.fragment)):
        shader, content = gl.glCreateShader(kind), ctypes.c_char_p(text.encode())
        gl.glShaderSource(shader, 1, ctypes.byref(content), None)
        gl.glCompileShader(shader)
        gl.glAttachShader(program, shader)
        gl.glDeleteShader(shader)
    gl.glLinkProgram(program)
    done = ctypes.c_int()
    gl.glGetProgramiv(program, _LINKED, ctypes.byref(done))
    if not done.value:
        gl.glDeleteProgram(program)
    return program if done.value else 0


class _Made:
    """What a precompilation makes beside its program, by the function that gives it back."""

    def __init__(self) -> None:
        self._held: list[tuple[str, ctypes.c_uint]] = []

    def _new(self, kind: str) -> int:
        name = ctypes.c_uint()
        getattr(library(), f"glGen{kind}")(1, ctypes.byref(name))
        self._held.append((f"glDelete{kind}", name))
        return name.value

    def sampler(self, small: int, large: int) -> int:
        """What reads a texture with these filters, repeated."""
        gl, name = library(), self._new("Samplers")
        gl.glSamplerParameteri(name, _SMALL_FILTER, small)
        gl.glSamplerParameteri(name, _LARGE_FILTER, large)
        return name

    def take_target(self, target: Target) -> None:
        """Draw into a small framebuffer of these formats."""
        gl = library()
        gl.glBindFramebuffer(_FRAMEBUFFER, self._new("Framebuffers"))
        for place, form in enumerate((*target.colors, target.depth)):
            if form:
                gl.glBindRenderbuffer(_RENDERBUFFER, buffer := self._new("Renderbuffers"))
                gl.glRenderbufferStorage(_RENDERBUFFER, form, _SIDE, _SIDE)
                at = _COLOR + place if place < len(target.colors) else _DEPTH
                gl.glFramebufferRenderbuffer(_FRAMEBUFFER, at, _RENDERBUFFER, buffer)
        places = (ctypes.c_uint * len(target.colors))(*(_COLOR + place for place in range(len(target.colors))))
        gl.glDrawBuffers(len(target.colors), places)

    def take_quad(self, attribute: int) -> None:
        """Draw from corners that lie in a buffer."""
        gl, corners = library(), np.array([[0, 0], [1, 0], [0, 1], [1, 1]], np.float32)
        gl.glBindVertexArray(self._new("VertexArrays"))
        gl.glBindBuffer(_ARRAY, self._new("Buffers"))
        gl.glBufferData(_ARRAY, ctypes.c_ssize_t(corners.nbytes), corners.ctypes.data_as(ctypes.c_void_p), _STATIC)
        if attribute >= 0:
            gl.glEnableVertexAttribArray(attribute)
            gl.glVertexAttribPointer(attribute, 2, _FLOAT, 0, 0, None)

    def give_back(self) -> None:
        gl = library()
        for function, name in reversed(self._held):
            getattr(gl, function)(1, ctypes.byref(name))
        gl.glBindFramebuffer(_FRAMEBUFFER, 0)
