"""The verbs of palettes and ramps: reduce, restore, sampling, ramp."""

import argparse
import json
from dataclasses import asdict
from pathlib import Path

import numpy as np

from evenpalette.cli.arguments import Verb, whole
from evenpalette.cli.saying import bar_of, note
from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.errors import EvenPaletteError, one_line
from evenpalette.core.files import reason
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.raster.image_write import encode_image, write_image
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.storage.file_set import files_as_one
from evenpalette.core.tones.palettes.index_filtering import measure_index_art
from evenpalette.core.tones.palettes.mapping import Dither
from evenpalette.core.tones.palettes.reduce import FEWEST, MOST, Order, reduce_pictures
from evenpalette.core.tones.palettes.strip import find_faults, index_raster, palettes_of, restore, strip_raster
from evenpalette.core.tones.ramps import MOST_STOPS, best_path

#: Endings whose files do not keep every number.
_LOSSY = (".jpg", ".jpeg", ".webp")


def add_verbs(verb: Verb) -> None:
    reduce = verb("reduce", _reduce, "an index texture and a strip of few colors")
    reduce.add_argument("image", type=Path)
    reduce.add_argument("--colors", type=whole(FEWEST, MOST, "a number of colors"), required=True)
    reduce.add_argument("--dither", type=Dither, choices=tuple(Dither), default=Dither.NONE)
    reduce.add_argument(
        "--order", type=Order, choices=tuple(Order), default=Order.LIGHTNESS, help="of the entries in the strip"
    )
    reduce.add_argument("--locked", default="", help="'#rrggbb,...': colors that the palette has in any case")
    reduce.add_argument("--importance", type=Path, help="gray image: how much each texel counts")
    reduce.add_argument("--index", type=Path, required=True)
    reduce.add_argument("--strip", type=Path, required=True)
    reduce.add_argument(
        "--rows",
        type=Path,
        nargs="+",
        default=[],
        metavar="FILE",
        help="strips of as many colors that become further rows",
    )
    restoring = verb("restore", _restore, "the picture of an index texture and a strip")
    restoring.add_argument("index", type=Path)
    restoring.add_argument("strip", type=Path)
    restoring.add_argument("--row", type=whole(0, 65535, "a row"), default=0, help="of the strip, 0 is the top one")
    restoring.add_argument("--out", type=Path, required=True)
    sampling = verb("sampling", _sampling, "what filtering, mip levels and compression do to index art")
    sampling.add_argument("index", type=Path)
    sampling.add_argument("strip", type=Path)
    sampling.add_argument("--source", type=Path, required=True, help="the colored picture that the index was made from")
    sampling.add_argument("--row", type=whole(0, 65535, "a row"), default=0)
    sampling.add_argument("--json", action="store_true")
    ramp = verb("ramp", _ramp, "the best one-dimensional path through the colors of an image")
    ramp.add_argument("image", type=Path)
    ramp.add_argument("--stops", type=whole(2, MOST_STOPS, "a number of stops"), required=True)
    ramp.add_argument("--out", type=Path, required=True, metavar="STRIP")
    ramp.add_argument("--width", type=whole(2, 16384, "a width in texels"), default=256)
    ramp.add_argument("--height", type=whole(1, 16384, "a height in texels"), default=1)


def _refuse_lossy(*paths: Path) -> None:
    for path in paths:
        if path.suffix.lower() in _LOSSY:
            raise EvenPaletteError(
                f"{path.name}: {path.suffix[1:].upper()} does not keep every number, and index art is numbers. Write a .png."
            )


def _reduce(options: argparse.Namespace) -> None:
    _refuse_lossy(options.index, options.strip)
    if options.index.resolve() == options.strip.resolve():
        raise EvenPaletteError("--index and --strip name one file.")
    image = read_image(options.image)
    importance = None
    if options.importance is not None:
        importance = read_image(options.importance, Encoding.DATA).resized(*image.size).channel(0)
    locked = [parse_hex(text) for text in options.locked.split(",") if text.strip()]
    more = [read_image(path) for path in options.rows]
    for path, strip in zip(options.rows, more, strict=True):
        if strip.width != options.colors:
            raise EvenPaletteError(
                f"{path.name} has {strip.width} colors in a row; a row of this strip has {options.colors}."
            )
    progress, shown = bar_of("reducing")
    with shown:
        made = reduce_pictures(
            [image], options.colors, dither=options.dither, importance=[importance], order=options.order,
            locked=np.array(locked, np.uint8) if locked else None, progress=progress,
        )  # fmt: skip
    palette, found = made.palette, len(made.palette)
    if found < options.colors:
        note(f"{options.image.name} needs {found} colors only; the last one fills the strip up")
        palette = np.concatenate([palette, np.repeat(palette[-1:], options.colors - found, 0)])
    rows = [palette, *(row for strip in more for row in palettes_of(strip))]
    files = {options.index: index_raster(made.indices[0], options.colors), options.strip: strip_raster(rows)}
    _write_beside(files)


def _write_beside(files: dict[Path, Raster]) -> None:
    """All files or none; of different folders each by itself, after all of them could be encoded."""
    encoded = {path: encode_image(raster, path.suffix.lower()) for path, raster in files.items()}
    folders = {path.absolute().parent for path in files}
    for folder in folders:
        try:
            with files_as_one(folder) as staged:
                for path, content in encoded.items():
                    if path.absolute().parent == folder:
                        (staged / path.name).write_bytes(content)
        except (OSError, ValueError) as error:
            why = reason(error) if isinstance(error, OSError) else "this is no file name"
            raise EvenPaletteError(f"{folder} cannot be written to: {why.rstrip('.')}.") from error


def _restore(options: argparse.Namespace) -> None:
    index, strip = read_image(options.index, Encoding.DATA), read_image(options.strip)
    for fault in find_faults(index, strip):
        note(f"{options.index.name}: {fault.text}")
    write_image(restore(index, strip, options.row), options.out)


def _sampling(options: argparse.Namespace) -> None:
    index, strip, source = (
        read_image(options.index, Encoding.DATA),
        read_image(options.strip),
        read_image(options.source),
    )
    progress, shown = bar_of("measuring")
    with shown:
        seen = measure_index_art(index, strip, source, options.row, progress=progress)
    keys = ["setting", "level", "mean_ciede2000", "p95_ciede2000", "psnr", "bytes"]
    if (worst := max(each.mean_error for each in seen)) > 0:
        keys.append("mean_error")
        note(
            f"{options.index.name} is large: parts were measured; means are right to {worst:.2f} or better (one standard error)"
        )
    lines = [{key: asdict(each)[key] for key in keys} for each in seen]
    if options.json:
        print(
            json.dumps(
                [
                    {key: round(value, 4) if isinstance(value, float) else value for key, value in line.items()}
                    for line in lines
                ],
                indent=1,
            )
        )
        return
    wide = max(len(each.setting) for each in seen)
    print(f"{'':{wide}}  level  mean CIEDE2000  95th    PSNR     bytes")
    for each in seen:
        name = each.setting if each.level == seen[0].level else ""
        print(
            f"{name:{wide}}  {each.level:5}  {each.mean_ciede2000:14.2f}  {each.p95_ciede2000:5.2f}  {each.psnr:6.1f}  {each.bytes:8,}"
        )
    for fault in find_faults(index, strip, source):
        print(one_line(fault.text))


def _ramp(options: argparse.Namespace) -> None:
    ramp = best_path(read_image(options.image), options.stops)
    write_image(ramp.strip(options.width, options.height), options.out)
