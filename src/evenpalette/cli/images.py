"""The verbs of single images: pick, split, merge, unmix, gray."""

import argparse
from collections.abc import Sequence
from pathlib import Path

from evenpalette.cli.arguments import Verb, distance, mask_output
from evenpalette.cli.saying import note
from evenpalette.core.color.hexcode import format_hex, parse_hex
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.files import reason
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.raster.image_write import encode_image, mask_raster, write_image
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.regions.dividing.channels import SPLITS, merge_channels, split_channels
from evenpalette.core.regions.dividing.flags import FoundFlag, find_flags, to_rgb8
from evenpalette.core.regions.dividing.pick import METRICS, pick_from
from evenpalette.core.regions.dividing.unmix import unmix
from evenpalette.core.storage.file_set import files_as_one
from evenpalette.core.tones.gray import METHODS, to_gray


def add_verbs(verb: Verb) -> None:
    pick = verb("pick", _pick, "coverage of one color of an image")
    pick.add_argument("image", type=Path)
    pick.add_argument("--color", required=True, help="#rrggbb")
    pick.add_argument("--near", type=distance, default=48.0, help="coverage is 1 up to this distance")
    pick.add_argument("--far", type=distance, default=208.0, help="coverage is 0 from this distance")
    pick.add_argument("--metric", choices=METRICS, default="rgb")
    mask_output(pick)
    split = verb("split", _split, "take the channels of an image apart")
    split.add_argument("image", type=Path)
    split.add_argument("--as", dest="kind", choices=tuple(SPLITS), required=True)
    split.add_argument("--out", type=Path, required=True, help="folder")
    split.add_argument("--depth", type=int, choices=(8, 16), default=8)
    merge = verb("merge", _merge, "put gray images into the channels of one")
    merge.add_argument("images", type=Path, nargs="+", metavar="R G B [A]")
    mask_output(merge)
    unmixing = verb("unmix", _unmix, "soft coverages from an antialiased ID image")
    unmixing.add_argument("image", type=Path)
    unmixing.add_argument("--flags", help="'#ff0000,#00ff00,...'; found by themselves when left out")
    unmixing.add_argument("--out", type=Path, required=True, help="folder")
    unmixing.add_argument("--depth", type=int, choices=(8, 16), default=8)
    gray = verb("gray", _gray, "a gray from a color image")
    gray.add_argument("image", type=Path)
    gray.add_argument("--by", choices=METHODS, required=True)
    gray.add_argument("--out", type=Path, required=True)


def _pick(options: argparse.Namespace) -> None:
    if options.far < options.near:
        raise EvenPaletteError(
            f"far ({options.far:g}) is smaller than near ({options.near:g}): give it a larger distance."
        )
    picked = pick_from(
        read_image(options.image), parse_hex(options.color), options.near, options.far, options.metric, depth=options.depth
    )  # fmt: skip
    write_image(Raster.gray(picked), options.out)


def _write_set(masks: dict[str, Raster], out: Path) -> None:
    """Write files into a folder, all or none."""
    try:
        with files_as_one(out) as staged:
            for name, raster in masks.items():
                (staged / name).write_bytes(encode_image(raster, ".png"))
    except (OSError, ValueError) as error:
        why = reason(error) if isinstance(error, OSError) else "this is no folder name"
        raise EvenPaletteError(f"{out} cannot be written: {why.rstrip('.')}.") from error


def _split(options: argparse.Namespace) -> None:
    planes = split_channels(read_image(options.image, Encoding.DATA), options.kind)
    _write_set({f"{letter}.png": mask_raster(plane, options.depth) for letter, plane in planes.items()}, options.out)


def _merge(options: argparse.Namespace) -> None:
    if len(options.images) not in (3, 4):
        raise EvenPaletteError("merge takes three or four images: red, green, blue and, if wanted, alpha.")
    merged = merge_channels([read_image(path, Encoding.DATA) for path in options.images], options.depth)
    write_image(merged, options.out)


def _unmix(options: argparse.Namespace) -> None:
    pixels = read_image(options.image, Encoding.DATA).pixels
    if options.flags:
        colors = [parse_hex(text) for text in options.flags.split(",")]
        names = [format_hex(color) for color in colors]
        twice = next((name for index, name in enumerate(names) if name in names[:index]), None)
        if twice:
            raise EvenPaletteError(f"The flag {twice} is given twice: each stands for one region.")
    else:
        found = find_flags(pixels)
        colors = [parse_hex(flag.color) for flag in found]
        names = _pure_names(found)
    planes = unmix(to_rgb8(pixels), colors, depth=options.depth)
    masks = {f"{name[1:]}.png": Raster.gray(plane) for name, plane in zip(names, planes, strict=True)}
    _write_set(masks, options.out)


def _pure_names(found: Sequence[FoundFlag]) -> list[str]:
    """What the files of flags are named by: the pure color that was meant, where no other flag means it too."""
    names = []
    for flag in found:
        alone = sum(other.pure == flag.pure for other in found) == 1
        names.append(flag.pure if alone else flag.color)
        if names[-1] != flag.color:
            note(f"the flag {flag.color} of the image is taken as {flag.pure}")
    return names


def _gray(options: argparse.Namespace) -> None:
    gray = to_gray(read_image(options.image), options.by)
    holds_hdr = options.out.suffix.lower() in (".exr", ".tif", ".tiff")
    if gray.pixels.dtype.kind == "f" and not holds_hdr and float(gray.pixels.max()) > 1:
        note(f"what is brighter than white was cut in {options.out.name}; an .exr or .tif keeps it")
    write_image(gray, options.out)
