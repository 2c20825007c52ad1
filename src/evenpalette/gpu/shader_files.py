"""Shaders that ship with the application, and telling programs their values."""

from collections.abc import Mapping
from functools import cache
from importlib.resources import files
from typing import Any

import moderngl

from evenpalette.core.color.encoding import GLSL as ENCODING

#: The corners of what is drawn: an attribute of the vertex shader.
CORNER = "in_corner"


@cache
def shader_file(name: str) -> str:
    """The text of a shader that ships with the application."""
    return (files("evenpalette.gpu") / "shaders" / name).read_text("utf-8")


def defined(text: str, words: Mapping[str, object]) -> str:
    """A shader with these words defined."""
    return _behind_version(text, *(f"#define {name} {value}" for name, value in words.items()))


def _behind_version(text: str, *lines: str) -> str:
    """A shader with lines behind its first one, which says the version."""
    first, rest = text.split("\n", 1)
    return "\n".join((first, *lines, rest))


@cache
def smoothing(*, between: bool, blooms: bool, linear: bool = False) -> str:
    """What puts a picture into a target: between its pixels, or with the outline softened; with what it scatters; as
    light."""
    words = {name: "" for name, on in (("BETWEEN", between), ("BLOOM", blooms), ("LINEAR", linear)) if on}
    text = shader_file("smooth.frag")
    return defined(_behind_version(text, ENCODING) if linear else text, words)


@cache
def settled() -> str:
    """What shows the mean of pictures that were added up as light."""
    return _behind_version(shader_file("settled.frag"), ENCODING)


def tell(program: moderngl.Program, name: str, value: object) -> None:
    """Set a uniform that the compiler may have dropped because nothing reads it."""
    member: Any = program.get(name, None)
    if member is not None:
        member.value = value


def tell_bytes(program: moderngl.Program, name: str, content: bytes) -> None:
    """`tell`, of a matrix column by column."""
    member: Any = program.get(name, None)
    if member is not None:
        member.write(content)
