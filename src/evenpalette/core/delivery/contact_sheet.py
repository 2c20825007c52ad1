"""A contact sheet: every variant in pictures with its values, as PDF with text that can be searched, or as PNG."""

import io
import math
import tempfile
from collections.abc import Callable, Mapping, Sequence
from datetime import date
from functools import cache
from importlib.resources import files
from pathlib import Path
from typing import Any

import numpy as np
from anyascii import anyascii
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State
from evenpalette.core.document.variant import DEFAULTS_NAME
from evenpalette.core.errors import EvenPaletteError, one_line
from evenpalette.core.files import reason, write_atomically
from evenpalette.core.mesh.camera import OrbitCamera
from evenpalette.core.parallel import Progress, no_progress, run_over
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.values import KINDS, ValueType, value_text
from evenpalette.core.variants.portrait import Sitting

#: Points of a page, width and height.
PAGES = {"a4": (595.28, 841.89), "letter": (612.0, 792.0)}
GROUNDS = {"light": ("#f4f4f4", "#1b1b1b", "#6a6a6a"), "dark": ("#3a3a3a", "#f0f0f0", "#b4b4b4")}
_MARGIN, _GAP, _HEAD, _FOOT = 36.0, 12.0, 34.0, 22.0
_NAME, _TEXT, _TITLE, _LINE = 9.0, 6.5, 15.0, 8.5
_SWATCH = 6.0
#: Degrees that a side is turned from the one before.
_TURN = 90.0
#: Pixels of a picture for each point that it takes.
_DENSITY = 2.0
_MOST_VALUES = 12
_FONT = "source-sans-3-latin-400-normal.woff"


@dataclass(frozen=True)
class SheetWish:
    """columns: variants in a row, 0 as many as read well. sides: pictures of each, 1 to 4. page: of PAGES. ground: of
    GROUNDS. variants: ids, None is all."""

    columns: int = 0
    sides: int = 1
    page: str = "a4"
    ground: str = "light"
    variants: tuple[str, ...] | None = None


@dataclass(frozen=True, eq=False)
class Entry:
    """A variant on the sheet. pictures: RGBA, one for each side. values: what it has, in words; a color with its
    hex."""

    name: str
    pictures: tuple[NDArray[np.uint8], ...]
    values: tuple[tuple[str, str, str], ...]


@dataclass(frozen=True)
class _Grid:
    """Where things lie, in points: a cell's width and height, pictures a row, rows a page."""

    columns: int
    rows: int
    cell: tuple[float, float]
    picture: float


def _grid(wish: SheetWish, count: int, lines: int) -> _Grid:
    width, height = PAGES[wish.page]
    columns = wish.columns or (3 if wish.sides == 1 else 2 if wish.sides == 2 else 1)
    columns = min(columns, max(1, count))
    cell = (width - 2 * _MARGIN - (columns - 1) * _GAP) / columns
    picture = min(cell / wish.sides, 170.0)
    tall = picture + _NAME + 6 + lines * _LINE + _GAP
    room = height - 2 * _MARGIN - _HEAD - _FOOT
    return _Grid(columns, max(1, int(room // tall)), (cell, tall), picture)


def named_variants(state: State, wish: SheetWish) -> list[tuple[str | None, str]]:
    """Id and name of what stands on the sheet."""
    chosen = [v for v in state.project.variants if wish.variants is None or v.id in wish.variants]
    return [(v.id, v.name) for v in chosen] or [(None, DEFAULTS_NAME)]


def picture_size(state: State, wish: SheetWish) -> int:
    """Pixels a side of a picture."""
    told = [p for p in state.project.parameters if KINDS[p.type].is_short]
    lines = _lines(min(len(told), _MOST_VALUES))
    return max(32, min(512, round(_grid(wish, len(named_variants(state, wish)), lines).picture * _DENSITY)))


def entries_of(
    state: State, wish: SheetWish, progress: Progress = no_progress,
    given: Mapping[tuple[str | None, int], NDArray[np.uint8]] | None = None,
) -> list[Entry]:  # fmt: skip
    """What stands on the sheet, each picture as Form begins and turned by quarters. given: pictures by variant and
    side, RGBA of `picture_size`, in the place of ours, as the views draw them."""
    named = named_variants(state, wish)
    told = [p for p in state.project.parameters if KINDS[p.type].is_short]
    size = picture_size(state, wish)
    pictures: dict[tuple[int, int], NDArray[np.uint8]] = {}
    if given is not None:
        pictures = {
            (number, side): given[key, side] for number, (key, _) in enumerate(named) for side in range(wish.sides)
        }
        return _entries(state, named, told, pictures, wish.sides)
    sittings = [Sitting(state, size, OrbitCamera().yaw + _TURN * side) for side in range(wish.sides)]

    def draw(side: int) -> None:
        for number, (key, _) in enumerate(named):
            pictures[number, side] = sittings[side].picture(state.values(key))

    run_over(range(wish.sides), draw, progress)
    return _entries(state, named, told, pictures, wish.sides)


def _entries(
    state: State, named: Sequence[tuple[str | None, str]], told: Sequence[Parameter],
    pictures: Mapping[tuple[int, int], NDArray[np.uint8]], sides: int,
) -> list[Entry]:  # fmt: skip
    made = []
    for number, (key, name) in enumerate(named):
        values = state.values(key)
        said = tuple(
            (p.name, value_text(values[p.id], p.unit), str(values[p.id]) if p.type is ValueType.COLOR else "")
            for p in told[:_MOST_VALUES]
        )
        made.append(Entry(name, tuple(pictures[number, side] for side in range(sides)), said))
    return made


def _lines(values: int) -> int:
    return math.ceil(values / 2)


def write_sheet(
    state: State, path: Path, wish: SheetWish, progress: Progress = no_progress,
    given: Mapping[tuple[str | None, int], NDArray[np.uint8]] | None = None,
) -> int:  # fmt: skip
    """Write a contact sheet by its ending, .pdf or .png; returns its pages (of a PNG one, as long as it must be).
    given: as for `entries_of`. Raises EvenPaletteError."""
    ending = path.suffix.lower()
    if ending not in (".pdf", ".png"):
        raise EvenPaletteError(f"A contact sheet is a .pdf or a .png, not {path.name}.")
    if not 1 <= wish.sides <= 4 or not 0 <= wish.columns <= 12:
        raise EvenPaletteError("A contact sheet shows 1 to 4 sides in at most 12 columns.")
    entries = entries_of(state, wish, lambda done: progress(0.9 * done), given)
    content, pages = (_pdf if ending == ".pdf" else _png)(state.project.name, entries, wish)
    try:
        write_atomically(path, content)
    except OSError as error:
        raise EvenPaletteError(f"{path} cannot be written: {reason(error)}.") from error
    progress(1.0)
    return pages


@cache
def _font_bytes() -> bytes:
    """The font that ships, as TrueType."""
    from fontTools.ttLib import TTFont

    font = TTFont(io.BytesIO((files("evenpalette.core") / "fonts" / _FONT).read_bytes()))
    font.flavor = None
    stream = io.BytesIO()
    font.save(stream)
    return stream.getvalue()


@cache
def _letters() -> frozenset[int]:
    """What the font has."""
    from fontTools.ttLib import TTFont

    return frozenset(TTFont(io.BytesIO(_font_bytes())).getBestCmap())


def _said(text: str) -> str:
    """A text in letters that the font has: others as they are spelled in plain ones."""
    return "".join(c if ord(c) in _letters() else anyascii(c) or "?" for c in one_line(text))


def over_ground(picture: NDArray[np.uint8], ground: str) -> NDArray[np.uint8]:
    """A picture over a plain ground; edges are mixed as they are stored, as a screen does it."""
    alpha = picture[..., 3:].astype(np.float32) / 255
    behind = np.array(parse_hex(ground), np.float32)
    return np.rint(picture[..., :3] * alpha + behind * (1 - alpha)).astype(np.uint8)


def _places(entries: Sequence[Entry], grid: _Grid) -> list[tuple[int, float, float]]:
    """Page, left and top of each cell, in points."""
    a_page = grid.columns * grid.rows
    found = []
    for number in range(len(entries)):
        row, column = divmod(number % a_page, grid.columns)
        found.append((
            number // a_page, _MARGIN + column * (grid.cell[0] + _GAP), _MARGIN + _HEAD + row * grid.cell[1],
        ))  # fmt: skip
    return found


def _pdf(project: str, entries: Sequence[Entry], wish: SheetWish) -> tuple[bytes, int]:
    from fpdf import FPDF

    ground, ink, muted = GROUNDS[wish.ground]
    grid = _grid(wish, len(entries), _lines(max((len(e.values) for e in entries), default=0)))
    width, height = PAGES[wish.page]
    pdf = FPDF(unit="pt", format=(width, height))
    pdf.set_auto_page_break(False)
    pdf.set_title(project)
    pdf.set_creator("Even Palette")
    with tempfile.TemporaryDirectory() as folder:
        (Path(folder) / "sans.ttf").write_bytes(_font_bytes())
        pdf.add_font("Sans", fname=Path(folder) / "sans.ttf")
    places = _places(entries, grid)
    pages = places[-1][0] + 1 if places else 1
    page = -1
    for entry, (number, left, top) in zip(entries, places, strict=True):
        if number != page:
            page = number
            _pdf_page(pdf, project, page, pages, (width, height), (ground, ink, muted))
        for side, picture in enumerate(entry.pictures):
            shown = Image.fromarray(over_ground(picture, ground))
            stream = io.BytesIO()
            shown.save(stream, "PNG")
            pdf.image(stream, left + side * grid.picture, top, grid.picture, grid.picture)
        pdf.set_text_color(*parse_hex(ink))
        pdf.set_font("Sans", size=_NAME)
        pdf.text(left, top + grid.picture + _NAME, _fit(pdf.get_string_width, entry.name, grid.cell[0]))
        pdf.set_font("Sans", size=_TEXT)
        half = grid.cell[0] / 2
        for place, (label, value, swatch) in enumerate(entry.values):
            column, line = place % 2, place // 2
            x, y = left + column * half, top + grid.picture + _NAME + 6 + (line + 0.8) * _LINE
            if swatch:
                pdf.set_fill_color(*parse_hex(swatch))
                pdf.rect(x, y - _SWATCH + 1, _SWATCH, _SWATCH, style="F")
            pdf.set_text_color(*parse_hex(muted))
            pdf.text(x + _SWATCH + 3, y, _fit(pdf.get_string_width, f"{value}  {label}", half - _SWATCH - 6))
    return bytes(pdf.output()), pages


def _pdf_page(
    pdf: Any, project: str, page: int, pages: int, size: tuple[float, float], colors: tuple[str, str, str]
) -> None:
    ground, ink, muted = colors
    pdf.add_page()
    pdf.set_fill_color(*parse_hex(ground))
    pdf.rect(0, 0, *size, style="F")
    pdf.set_text_color(*parse_hex(ink))
    pdf.set_font("Sans", size=_TITLE)
    pdf.text(_MARGIN, _MARGIN + _TITLE * 0.8, _fit(pdf.get_string_width, project, size[0] - 2 * _MARGIN - 80))
    pdf.set_text_color(*parse_hex(muted))
    pdf.set_font("Sans", size=_NAME)
    said = date.today().isoformat()
    pdf.text(size[0] - _MARGIN - pdf.get_string_width(said), _MARGIN + _TITLE * 0.8, said)
    foot = f"{page + 1} of {pages}"
    pdf.text(size[0] - _MARGIN - pdf.get_string_width(foot), size[1] - _MARGIN, foot)


def _fit(width_of: Callable[[str], float], text: str, room: float) -> str:
    """A text that has room, cut with an ellipsis where it has none."""
    plain = _said(text)
    if width_of(plain) <= room:
        return plain
    while plain and width_of(plain + "\N{HORIZONTAL ELLIPSIS}") > room:
        plain = plain[:-1]
    return plain + "\N{HORIZONTAL ELLIPSIS}"


def _png(project: str, entries: Sequence[Entry], wish: SheetWish) -> tuple[bytes, int]:
    ground, ink, muted = GROUNDS[wish.ground]
    grid = _grid(wish, len(entries), _lines(max((len(e.values) for e in entries), default=0)))
    scale = _DENSITY
    rows = math.ceil(len(entries) / grid.columns)
    width = round(PAGES[wish.page][0] * scale)
    height = round((2 * _MARGIN + _HEAD + rows * grid.cell[1]) * scale)
    page = Image.new("RGB", (width, height), ground)
    draw = ImageDraw.Draw(page)
    title, name, small = (
        ImageFont.truetype(io.BytesIO(_font_bytes()), round(s * scale)) for s in (_TITLE, _NAME, _TEXT)
    )
    draw.text(
        (_MARGIN * scale, _MARGIN * scale), _fit(title.getlength, project, width - 3 * _MARGIN * scale), ink, title
    )
    said = date.today().isoformat()
    draw.text((width - _MARGIN * scale - name.getlength(said), _MARGIN * scale), said, muted, name)
    for number, entry in enumerate(entries):
        line, column = divmod(number, grid.columns)
        left = (_MARGIN + column * (grid.cell[0] + _GAP)) * scale
        top = (_MARGIN + _HEAD + line * grid.cell[1]) * scale
        side_pixels = entry.pictures[0].shape[0]
        for side, picture in enumerate(entry.pictures):
            page.paste(Image.fromarray(over_ground(picture, ground)), (round(left + side * side_pixels), round(top)))
        below = top + grid.picture * scale
        draw.text((left, below), _fit(name.getlength, entry.name, grid.cell[0] * scale), ink, name)
        half = grid.cell[0] * scale / 2
        for place, (label, value, swatch) in enumerate(entry.values):
            x, y = left + place % 2 * half, below + (_NAME + 6 + place // 2 * _LINE) * scale
            if swatch:
                draw.rectangle((x, y + 1, x + _SWATCH * scale, y + 1 + _SWATCH * scale), swatch)
            words = _fit(small.getlength, f"{value}  {label}", half - (_SWATCH + 6) * scale)
            draw.text((x + (_SWATCH + 3) * scale, y), words, muted, small)
    stream = io.BytesIO()
    page.save(stream, "PNG")
    return stream.getvalue(), 1
