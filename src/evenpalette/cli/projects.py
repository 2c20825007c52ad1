"""The verbs of projects: render, export, new, cost, kit-planes, roll."""

import argparse
import json
import sys
from pathlib import Path

from evenpalette.cli.arguments import Verb, count, distance, jobs, part, seconds, size, whole
from evenpalette.cli.saying import bar_of, note
from evenpalette.core.delivery.cost import cheaper_from, costs
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.delivery.difference import against_former
from evenpalette.core.delivery.layouts.named import layout_named
from evenpalette.core.delivery.layouts.read import read_layout_file
from evenpalette.core.delivery.maps import division_named, id_picture
from evenpalette.core.delivery.render import delivered_size, render_maps
from evenpalette.core.delivery.targets import TARGETS
from evenpalette.core.document.lookup import sheet_named, variant_ids
from evenpalette.core.document.state import State
from evenpalette.core.edits.create import TextureFile, create_project, role_named
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.parallel import Progress
from evenpalette.core.raster.image_write import write_image
from evenpalette.core.raster.raster import Raster
from evenpalette.core.recipe.attributes import ATTRIBUTES, BASE_COLOR, attribute_named
from evenpalette.core.recipe.binding import Moment
from evenpalette.core.storage.description import check_new, project_folder
from evenpalette.core.storage.storage import Storage


def add_verbs(verb: Verb) -> None:
    render = verb("render", _render, "write one map of a variant")
    render.add_argument("project", type=Path)
    render.add_argument("--variant", required=True, help="name of a variant, or 'default'")
    render.add_argument(
        "--map", default="base_color", help=f"{', '.join(ATTRIBUTES)}, tone, id, id:DIVISION, or coverage:REGION"
    )
    render.add_argument("--copy", type=count, default=0, help="number of the placed copy, for values picked by it")
    render.add_argument("--seconds", type=seconds, default=0.0, help="time, for textures that drift")
    render.add_argument("--back", action="store_true", help="faces as they are seen from behind")
    render.add_argument("--sheet", default="", help="name of a sheet; the first one if left out")
    render.add_argument("--size", type=size, default=0, help="longest side in texels; the sources' own if left out")
    render.add_argument("--out", type=Path, required=True)
    export = verb("export", _export, "deliver variants and kit")
    export.add_argument("project", type=Path)
    export.add_argument("--out", type=Path, required=True)
    export.add_argument("--variant", action="append", help="name of a variant; may be given several times")
    export.add_argument("--size", type=size, default=0, help="longest side in texels; the sources' own if left out")
    export.add_argument("--kit-size", type=size, default=0, help="longest side of the kit's textures")
    export.add_argument(
        "--maps",
        type=maps_named,
        default=(BASE_COLOR,),
        help=f"attributes with commas between: {', '.join(ATTRIBUTES)}",
    )
    export.add_argument(
        "--target",
        action="append",
        default=[],
        choices=tuple(TARGETS),
        help="a form of delivery; repeat it for several",
    )
    export.add_argument(
        "--layout", metavar="FILE", help="write the files that this layout says instead; a file, or the name of one"
    )
    export.add_argument(
        "--clean", action="store_true", help="remove what a former delivery wrote and this one does not"
    )
    export.add_argument(
        "--dry-run",
        action="store_true",
        help="write nothing; say by how much each variant differs from what lies there",
    )
    export.add_argument("--jobs", type=jobs, default=0, help="worker threads; one for each core if left out")
    cost = verb("cost", _cost, "what the variants of a project cost a game, by the ways to make them")
    cost.add_argument("project", type=Path)
    cost.add_argument("--variants", type=count, default=0, help="for so many; those that there are if left out")
    cost.add_argument("--json", action="store_true")
    roll = verb("roll", _roll, "add variants by chance that can be told apart")
    roll.add_argument("project", type=Path)
    roll.add_argument("--count", type=whole(1, 100, "a number of variants"), required=True)
    roll.add_argument("--seed", type=count, default=1, help="equal ones give equal variants")
    roll.add_argument("--apart", type=distance, default=0.0, help="at least so far from every other one, in CIEDE2000")
    roll.add_argument(
        "--from", dest="parent", metavar="VARIANT", help="derive from this one; from the defaults if left out"
    )
    roll.add_argument("--spread", type=part, default=0.5, help="how far values go, 0 to 1 of their ranges")
    roll.add_argument("--free", action="append", metavar="NAME", help="a parameter that may change; all if left out")
    roll.add_argument("--mix", action="store_true", help="values of the variants that are there, mixed anew")
    roll.add_argument(
        "--limit", action="append", default=[], metavar="'NAME: WORDS'",
        help="what a parameter keeps to besides the project's limits: lightness=0.4..0.8 chroma=0..0.2 hue=20..80 numbers=0..1 "
        "avoid=#c03020 apart=20 contrast=REGION:15",
    )  # fmt: skip
    roll.add_argument("--json", action="store_true", help="print names and values, and change nothing")
    planes = verb("kit-planes", _kit_planes, "which planes of data share a texture of the kit; put together by hand")
    planes.add_argument("project", type=Path)
    planes.add_argument("--sheet", default="", help="name or number of a sheet; the first one if left out")
    how = planes.add_mutually_exclusive_group()
    how.add_argument("--move", default="", metavar="PLANE", help="a region's name, or 'file.png: r'")
    how.add_argument("--by-itself", action="store_true", help="as few textures as can be")
    planes.add_argument("--beside", metavar="PLANE", help="into the texture of this one; without it, one of its own")
    planes.add_argument("--json", action="store_true")
    new = verb("new", _new, "make a project of a mesh and textures")
    new.add_argument(
        "project", type=Path, metavar="DIR", help="folder of the new project; must not have anything in it"
    )
    new.add_argument(
        "--mesh", type=Path, required=True, help="OBJ, PLY, GLB or glTF; textures that it names come along"
    )
    new.add_argument(
        "--texture", type=_texture, action="append", default=[], metavar="FILE[=ROLE]", help="guessed without a role"
    )
    new.add_argument("--regions", default="", help="material, shell, island, vertex-color, id:FILE or channels:FILE")
    new.add_argument(
        "--tile",
        default="",
        help="UV tile to work on, e.g. 1002; wrap lays all of them into one, which is guessed where pictures repeat",
    )
    new.add_argument("--layout", type=Path, metavar="FILE", help="packed textures are taken apart by this layout")
    new.add_argument("--fit", action="store_true", help="fit a tone to the painted texture")


def maps_named(text: str) -> tuple[str, ...]:
    """Attributes with commas between."""
    try:
        keys = [attribute_named(name).key for name in text.split(",") if name.strip()]
    except EvenPaletteError as error:
        raise argparse.ArgumentTypeError(str(error)) from error
    if not keys:
        raise argparse.ArgumentTypeError("name at least one attribute")
    return tuple(dict.fromkeys(keys))


def _texture(text: str) -> TextureFile:
    path, equals, role = text.rpartition("=")
    if not equals or Path(text).exists():
        return TextureFile(Path(text))
    try:
        return TextureFile(Path(path), role_named(role))
    except EvenPaletteError as error:
        raise argparse.ArgumentTypeError(str(error)) from error


def open_project(path: Path) -> State:
    """The project of a folder. Raises EvenPaletteError."""
    return Storage(project_folder(path)).open()


def _render(options: argparse.Namespace) -> None:
    state = open_project(options.project)
    state = state.on(sheet_named(state, options.sheet).id)
    size = delivered_size(state, options.size)
    variant = None
    known = {v.name.lower() for v in state.project.variants}
    if options.variant.lower() not in {"default", "defaults"} - known:
        variant = variant_ids(state, [options.variant])[0]
    progress, bar = bar_of("rendering")
    with bar:
        write_image(_map(state, variant, options, size, progress), options.out)


def _map(
    state: State, variant: str | None, options: argparse.Namespace, size: tuple[int, int], progress: Progress
) -> Raster:
    name = {"color": BASE_COLOR}.get(options.map, options.map)
    if (key := name.replace("-", "_")) in ATTRIBUTES:
        at, as_light = Moment(options.copy, options.seconds, options.back), options.out.suffix.lower() == ".exr"
        made = render_maps(state, variant, (key,), size, at=at, progress=progress, as_light=as_light)[key]
        if made.strength > 1:
            print(f"strength: {made.strength:.6g}")
        return made.raster
    if name == "tone":
        if state.tone is None:
            raise EvenPaletteError("This project has no tone yet.")
        return state.tone.resized(*size)
    if name == "id" or name.startswith("id:"):
        return id_picture(state, division_named(state, name.partition(":")[2])).resized(*size)
    if name.startswith("coverage:"):
        wanted = name.removeprefix("coverage:").lower()
        for index, region in enumerate(state.project.regions.regions):
            if wanted in (region.name.lower(), str(index + 1)):
                return Raster.gray(state.sources.coverages[index]).resized(*size)
        raise EvenPaletteError(f"There is no region '{wanted}'.")
    raise EvenPaletteError(
        f"'{name}' is no map. There are {', '.join(ATTRIBUTES)}, tone, id, id:DIVISION and coverage:REGION."
    )


def _export(options: argparse.Namespace) -> None:
    state = open_project(options.project)
    chosen = variant_ids(state, options.variant) if options.variant else None
    progress, bar = bar_of("exporting")
    layout = layout_named(state, options.layout) if options.layout is not None else None
    if options.dry_run:
        with bar:
            found = against_former(state, options.out, variants=chosen, longest=options.size, progress=progress)
        for one in found:
            print(f"{one.name}{f', {one.sheet}' if one.sheet else ''}: {one.said}")
        return
    with bar:
        report = deliver(
            state, options.out, variants=chosen, longest=options.size, kit_longest=options.kit_size, maps=options.maps,
            targets=options.target, layout=layout, clean=options.clean, workers=options.jobs, progress=progress,
        )  # fmt: skip
    for said in report.notes:
        note(said)
    if sys.stderr.isatty():
        note(report.said)


def _cost(options: argparse.Namespace) -> None:
    progress, bar = bar_of("measuring")
    with bar:
        found = costs(open_project(options.project), options.variants, progress)
    if options.json:
        print(json.dumps([cost.as_json() for cost in found], indent=2))
        return
    for cost in found:
        print(
            f"{cost.way}: {cost.bytes_disk / 2**20:.1f} MiB on disk, {cost.bytes_memory / 2**20:.1f} MiB in memory ({cost.bytes_bc / 2**20:.1f} in blocks), "
            f"{cost.reads} reads a pixel, {cost.materials} materials, {cost.draws} draw calls ({cost.how})"
        )
    print(f"The kit takes less memory than painted textures from {max(1, cheaper_from(found))} variants on.")


def _kit_planes(options: argparse.Namespace) -> None:
    from evenpalette.api import open as open_by_script

    if options.beside is not None and not options.move:
        raise EvenPaletteError("--beside says where --move puts a plane: name that one too.")
    with open_by_script(options.project) as project:
        if options.move:
            project.put_plane(options.move, options.beside, options.sheet)
        elif options.by_itself:
            project.pack_kit(options.sheet)
        if options.move or options.by_itself:
            project.save()
        found = project.kit_planes(options.sheet)
    if options.json:
        print(json.dumps(found, indent=2, ensure_ascii=False))
        return
    for number, names in enumerate(found, 1):
        print(f"{number}: {', '.join(names)}")


def _roll(options: argparse.Namespace) -> None:
    from evenpalette.api import open as open_by_script

    progress, bar = bar_of("rolling")
    with bar, open_by_script(options.project) as project:
        rolled = project.roll(
            options.count, options.seed, options.apart, options.parent, spread=options.spread, free=options.free, mix=options.mix,
            limits=options.limit,
        )  # fmt: skip
        progress(1.0)
        if options.json:
            print(json.dumps({variant.name: variant.own for variant in rolled}, indent=2, ensure_ascii=False))
            return
        project.save()
        for variant in rolled:
            print(f"{variant.name}: {', '.join(f'{key} {value}' for key, value in variant.own.items())}")


def _new(options: argparse.Namespace) -> None:
    folder: Path = options.project
    check_new(folder)
    progress, bar = bar_of("making the project")
    with bar:
        state = create_project(
            options.mesh,
            options.texture,
            options.regions,
            fit=options.fit,
            name=folder.name[:80],
            tile=options.tile,
            layout=read_layout_file(options.layout) if options.layout is not None else None,
            progress=progress,
        )
        Storage(folder).save(state)
