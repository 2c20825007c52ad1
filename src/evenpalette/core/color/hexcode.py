"""Colors as sRGB hex text, the way they are written on the command line and in JSON."""

import re

import numpy as np

from evenpalette.core.color.encoding import DECODE_8BIT, F32, encode_srgb_8bit
from evenpalette.core.errors import RecipeError

_SHORT = re.compile(r"#?([0-9a-fA-F])([0-9a-fA-F])([0-9a-fA-F])")
_LONG = re.compile(r"#?([0-9a-fA-F]{2})([0-9a-fA-F]{2})([0-9a-fA-F]{2})")


def parse_hex(text: str) -> tuple[int, int, int]:
    """'#d8693c', 'd8693c' or '#abc' to three 8-bit codes. Raises RecipeError for anything else."""
    if match := _LONG.fullmatch(text.strip()):
        r, g, b = (int(part, 16) for part in match.groups())
        return r, g, b
    if match := _SHORT.fullmatch(text.strip()):
        r, g, b = (int(part * 2, 16) for part in match.groups())
        return r, g, b
    raise RecipeError(f"'{text}' is not a color. Write six hex digits such as #d8693c.")


def normalize_hex(text: str) -> str:
    """Any accepted spelling to '#rrggbb'."""
    return format_hex(parse_hex(text))


def format_hex(codes: tuple[int, int, int]) -> str:
    """Three 8-bit codes to '#rrggbb'."""
    return "#{:02x}{:02x}{:02x}".format(*(int(code) for code in codes))


def hex_to_linear(text: str) -> F32:
    """Hex text to linear light: float32, shape (3,), 0..1."""
    return np.array([DECODE_8BIT[code] for code in parse_hex(text)], np.float32)


def linear_to_hex(linear: F32) -> str:
    """Linear light, shape (3,), clamped to 0..1, to the nearest '#rrggbb'."""
    r, g, b = encode_srgb_8bit(np.asarray(linear, np.float32))
    return format_hex((r, g, b))
