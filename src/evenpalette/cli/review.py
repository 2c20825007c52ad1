"""The verbs compare, sheet and film: what is looked at before somebody says yes."""

import argparse
import json
from pathlib import Path

from evenpalette.cli.arguments import Verb, seconds, whole
from evenpalette.cli.projects import open_project
from evenpalette.cli.saying import bar_of
from evenpalette.core.color.vision import VISIONS, Vision, vision_named
from evenpalette.core.delivery.contact_sheet import GROUNDS, PAGES, SheetWish, write_sheet
from evenpalette.core.delivery.film import INTO, TURN, WAYS, FilmWish, write_film
from evenpalette.core.document.lookup import variant_ids
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.variants.compare import USUAL_SIZE, compared
from evenpalette.core.variants.perceptual_difference import TOLD_APART


def add_verbs(verb: Verb) -> None:
    compare = verb("compare", _compare, "how far all variants are apart, the nearest first")
    compare.add_argument("project", type=Path)
    compare.add_argument(
        "--vision", type=_vision, default=Vision(), metavar="KIND[:STRENGTH]",
        help=f"{', '.join(VISIONS)}; the strength is 0 to 1",
    )  # fmt: skip
    compare.add_argument(
        "--size", type=whole(8, 1024, "a size in pixels"), default=USUAL_SIZE, help="pixels that the game shows it at"
    )
    compare.add_argument("--night", action="store_true", help="by the light of a faint sky, with what glows")
    compare.add_argument("--json", action="store_true")
    sheet = verb("sheet", _sheet, "a contact sheet of variants, .pdf or .png")
    sheet.add_argument("project", type=Path)
    sheet.add_argument("--out", type=Path, required=True)
    sheet.add_argument("--variant", action="append", help="name of a variant; may be given several times")
    sheet.add_argument("--columns", type=whole(1, 12, "a number of columns"), default=0)
    sheet.add_argument("--sides", type=whole(1, 4, "a number of sides"), default=1)
    sheet.add_argument("--page", choices=tuple(PAGES), default="a4")
    sheet.add_argument("--ground", choices=tuple(GROUNDS), default="light")
    film = verb("film", _film, "a moving picture of a variant, .webp or .png (APNG)")
    film.add_argument("project", type=Path)
    film.add_argument("--out", type=Path, required=True)
    film.add_argument("--variant", required=True, help="name of a variant")
    film.add_argument("--way", choices=tuple(WAYS), default=TURN, help="turned once around, over time, or into another")
    film.add_argument("--into", metavar="VARIANT", help="the other variant, for --way into")
    film.add_argument("--seconds", type=seconds, default=4.0)
    film.add_argument("--rate", type=whole(1, 60, "a number of pictures a second"), default=12)
    film.add_argument("--size", type=whole(32, 2048, "a size in pixels"), default=320)
    film.add_argument("--ground", choices=tuple(GROUNDS), default="light")


def _vision(text: str) -> Vision:
    try:
        return vision_named(text)
    except EvenPaletteError as error:
        raise argparse.ArgumentTypeError(str(error)) from error


def _compare(options: argparse.Namespace) -> int:
    state = open_project(options.project)
    progress, bar = bar_of("comparing")
    with bar:
        pairs = compared(state, options.vision, options.size, progress=progress, night=options.night)
    names = {v.id: v.name for v in state.project.variants}
    regions = {r.id: r.name for sheet in state.project.sheets for r in sheet.regions.regions}
    rows = [
        {
            "a": names[p.first], "b": names[p.second], "distance": round(p.whole, 3), "region": regions.get(p.region, ""),
            "in_region": round(p.units, 3), "told_apart": p.units >= TOLD_APART,
        }
        for p in pairs
    ]  # fmt: skip
    if options.json:
        print(json.dumps(rows, indent=2, ensure_ascii=False))
    else:
        for row in rows:
            where = f" in {row['region']}" if row["region"] else ""
            mark = "" if row["told_apart"] else "  alike"
            print(f"{row['distance']:7.2f}  {row['a']}, {row['b']}{where}{mark}")
    return 1 if any(not row["told_apart"] for row in rows) else 0


def _sheet(options: argparse.Namespace) -> None:
    state = open_project(options.project)
    chosen = tuple(variant_ids(state, options.variant)) if options.variant else None
    progress, bar = bar_of("drawing")
    with bar:
        write_sheet(
            state,
            options.out,
            SheetWish(options.columns, options.sides, options.page, options.ground, chosen),
            progress,
        )


def _film(options: argparse.Namespace) -> None:
    state = open_project(options.project)
    (variant,) = variant_ids(state, [options.variant])
    if options.way == INTO and not options.into:
        raise EvenPaletteError("Say into which variant: --into NAME.")
    into = variant_ids(state, [options.into])[0] if options.way == INTO else None
    wish = FilmWish(options.way, into, options.seconds, float(options.rate), options.size, options.ground)
    progress, bar = bar_of("drawing")
    with bar:
        write_film(state, variant, options.out, wish, progress)
