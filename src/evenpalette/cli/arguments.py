"""Words of the command line as values; what is wrong with one is said in one line."""

import argparse
import math
from collections.abc import Callable
from pathlib import Path

#: Makes the parser of a verb: its name, what runs it and what it does.
Verb = Callable[[str, Callable[[argparse.Namespace], int | None], str], argparse.ArgumentParser]
#: Padding that fills the whole gutter at any size.
GUTTER = 8192


def place(text: str) -> Path:
    """A path of a file or folder; none that is empty."""
    if not text:
        raise argparse.ArgumentTypeError("a path is empty")
    return Path(text)


def whole(low: int, high: int, what: str) -> Callable[[str], int]:
    """Reads a whole number of a range."""

    def read(text: str) -> int:
        try:
            value = int(text)
        except ValueError:
            value = low - 1
        if not low <= value <= high:
            raise argparse.ArgumentTypeError(f"{what} is a whole number from {low} to {high}, not '{text}'")
        return value

    return read


def real(text: str, high: float, what: str) -> float:
    """A number from 0 to `high`; what: the sentence that says so."""
    try:
        value = float(text)
    except ValueError:
        value = math.nan
    if not 0 <= value <= high:
        raise argparse.ArgumentTypeError(f"{what}, not '{text}'")
    return value


def size(text: str) -> int:
    return whole(1, 16384, "a size in texels")(text)


def picture_size(text: str) -> tuple[int, int]:
    """Width and height, as 1280x720."""
    width, by, height = text.lower().partition("x")
    if not by:
        raise argparse.ArgumentTypeError(f"a size is written as 1280x720, not '{text}'")
    return whole(1, 8192, "a width")(width), whole(1, 8192, "a height")(height)


def bake_size(text: str) -> int:
    return whole(16, GUTTER, "a size in texels")(text)


def jobs(text: str) -> int:
    return whole(1, 256, "a number of threads")(text)


def count(text: str) -> int:
    return whole(0, (1 << 32) - 1, "a number of a copy")(text)


def seconds(text: str) -> float:
    return real(text, 1e9, "a time is a number of seconds from 0 on")


def part(text: str) -> float:
    return real(text, 1, "a part is a number from 0 to 1")


def distance(text: str) -> float:
    return real(text, 1000, "a distance is a number from 0 to 1000")


def mask_output(parser: argparse.ArgumentParser) -> None:
    """Where a mask is written, and how deep."""
    parser.add_argument("--out", type=Path, required=True)
    parser.add_argument("--depth", type=int, choices=(8, 16), default=8)
