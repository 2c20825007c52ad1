"""The verbs of delivered kits: preview, play."""

import argparse
from pathlib import Path

from evenpalette.cli.arguments import Verb, picture_size, seconds, whole
from evenpalette.core.delivery.kit_files import kit_folder, read_kit
from evenpalette.core.delivery.preview import page_of
from evenpalette.core.errors import KitError
from evenpalette.core.files import reason, write_atomically
from evenpalette.core.limits import readable_bytes


def add_verbs(verb: Verb) -> None:
    preview = verb("preview", _preview, "make one page for a browser of a delivered kit")
    preview.add_argument("kit", type=Path, help="folder of a kit, or of what was delivered")
    preview.add_argument("--out", type=Path, required=True, help="the page, a file")
    play = verb("play", _play, "show a delivered kit as a game does")
    play.add_argument("kit", type=Path, help="folder of a kit, or of what was delivered")
    play.add_argument("--picture", type=Path, metavar="FILE", help="write a picture instead of opening a window")
    play.add_argument("--size", type=picture_size, default=(1280, 720), metavar="WxH", help="of the picture, in pixels")
    play.add_argument("--copies", type=whole(1, 10_000, "a number of copies"), default=1)
    play.add_argument("--variant", action="append", default=[], help="name of a variant; may be given several times")
    play.add_argument("--seconds", type=seconds, default=0.0, help="time, for what moves")


def _preview(options: argparse.Namespace) -> None:
    content = page_of(read_kit(options.kit))
    try:
        write_atomically(options.out, content)
    except OSError as error:
        raise KitError(f"{options.out} cannot be written: {reason(error)}.") from error
    print(f"{options.out}: {readable_bytes(len(content))}")


def _play(options: argparse.Namespace) -> int:
    """The kit is read before a window opens, so that what is wrong with it is said here."""
    if options.picture is None:
        from evenpalette.player.main import run

        kit_folder(options.kit)
        return run(options.kit)
    from evenpalette.core.raster.image_write import write_image
    from evenpalette.player.picture import picture

    made = picture(read_kit(options.kit), options.size, options.copies, options.variant, options.seconds)
    write_image(made, options.picture)
    return 0
