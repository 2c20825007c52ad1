"""The command line: the same core functions as the window, without one.

Exit codes: 0 done, 1 findings, 2 bad usage or unreadable input with one line on standard error.
"""

import argparse
import gc
import json
import math
import os
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import NoReturn

from tqdm import tqdm

from evenpalette import __version__, cli_palettes
from evenpalette.core.color.hexcode import format_hex, parse_hex
from evenpalette.core.delivery.kit import write_kit
from evenpalette.core.delivery.kit_textures import coverage_textures
from evenpalette.core.delivery.maps import division_named, id_picture
from evenpalette.core.delivery.render import delivered_size, render_maps
from evenpalette.core.errors import EvenPaletteError, one_line
from evenpalette.core.file_set import files_as_one
from evenpalette.core.files import reason
from evenpalette.core.mesh.read import read_mesh
from evenpalette.core.mesh.tiles import in_tile
from evenpalette.core.mesh.topology import find_topology
from evenpalette.core.parallel import Progress
from evenpalette.core.project.create import TextureFile, create_project, role_named
from evenpalette.core.project.findings import find_all
from evenpalette.core.project.state import State
from evenpalette.core.project.storage import PROJECT_FILE, Storage, project_folder
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.raster.image_write import encode_image, mask_raster, write_image
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.attributes import ATTRIBUTES, BASE_COLOR, attribute_named
from evenpalette.core.recipe.binding import Moment
from evenpalette.core.regions.sources.bake import bake_faces, check_uvs, id_map_from
from evenpalette.core.regions.sources.channels import SPLITS, merge_channels, split_channels
from evenpalette.core.regions.sources.flag_plan import plan_flags
from evenpalette.core.regions.sources.flags import FoundFlag, find_flags, to_rgb8
from evenpalette.core.regions.sources.mesh_sources import MESH_SOURCES, mesh_labels
from evenpalette.core.regions.sources.pick import METRICS, pick_from
from evenpalette.core.regions.sources.unmix import unmix
from evenpalette.core.tones.gray import METHODS, to_gray

#: Padding that fills the whole gutter at any size.
GUTTER = 8192
VERBS = ("demo", "check", "render", "export", "new", "bake", "pick", "split", "merge", "unmix", "gray", *cli_palettes.VERBS)


def main(arguments: list[str] | None = None) -> int:
    """Run the command line; returns the exit code."""
    words = list(sys.argv[1:] if arguments is None else arguments)
    if not words or (words[0] not in VERBS and not words[0].startswith("-")):
        return _open_window(words)
    options = _parser().parse_args(words)
    try:
        code = options.run(options)
        return int(code or 0)
    except EvenPaletteError as error:
        return _refuse(str(error))
    except KeyboardInterrupt:
        return _refuse("stopped")
    except BrokenPipeError:
        # Whoever read this wanted no more of it.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except MemoryError:
        return _refuse("there is not enough memory for this. Use a smaller size")


def _refuse(message: str) -> int:
    """One line on standard error, whatever names are in it, and the code for it."""
    encoding = sys.stderr.encoding or "utf-8"
    line = one_line(message).encode(encoding, "replace").decode(encoding)
    print(f"evenpalette: {line}", file=sys.stderr)
    return 2


class _Parser(argparse.ArgumentParser):
    """Says what is wrong with the words in one line."""

    def error(self, message: str) -> NoReturn:
        verb = self.prog.removeprefix("evenpalette").strip() or "VERB"
        said = f"{verb}: {message}" if verb != "VERB" else message
        raise SystemExit(_refuse(f"{said.rstrip('.')}. See evenpalette {verb} --help"))


def _open_window(words: list[str]) -> int:
    if len(words) > 1:
        return _refuse(f"'{words[0]}' is no verb; there are {', '.join(VERBS)}")
    project = Path(words[0]) if words else None
    try:
        is_project = project is None or (project_folder(project) / PROJECT_FILE).is_file()
    except (OSError, ValueError):
        is_project = False
    if not is_project:
        return _refuse(f"{project} is neither a verb nor a project folder")
    return _window()(project)


def _window() -> Callable[..., int]:
    """What opens the window. It is only loaded for those who open it: verbs run where there is no Qt and no display."""
    # What is loaded stays: looking for garbage in it takes a fifth of the time.
    gc.disable()
    from evenpalette.app.main import run

    gc.freeze()
    gc.enable()
    return run


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(
        prog="evenpalette", description="Recolor game assets at runtime. Without a verb the window opens."
    )
    parser.add_argument("--version", action="version", version=f"evenpalette {__version__}")
    verbs = parser.add_subparsers(required=True, metavar="VERB")

    def verb(name: str, run: Callable[[argparse.Namespace], int | None], help: str) -> argparse.ArgumentParser:
        made = verbs.add_parser(name, help=help, description=help)
        made.set_defaults(run=run)
        return made

    demo = verb("demo", _demo, "open the window on a fresh copy of the demo")
    demo.add_argument("--into", type=Path, help="folder to copy the demo into")
    check = verb("check", _check, "list the findings of a project")
    check.add_argument("project", type=Path)
    check.add_argument("--json", action="store_true")
    render = verb("render", _render, "write one map of a variant")
    render.add_argument("project", type=Path)
    render.add_argument("--variant", required=True, help="name of a variant, or 'default'")
    render.add_argument("--map", default="base_color", help=f"{', '.join(ATTRIBUTES)}, tone, id, id:DIVISION, or coverage:REGION")
    render.add_argument("--copy", type=_count, default=0, help="number of the placed copy, for values picked by it")
    render.add_argument("--seconds", type=_seconds, default=0.0, help="time, for textures that drift")
    render.add_argument("--back", action="store_true", help="faces as they are seen from behind")
    render.add_argument("--sheet", default="", help="name of a sheet; the first one if left out")
    render.add_argument("--size", type=_size, default=0, help="longest side in texels; the sources' own if left out")
    render.add_argument("--out", type=Path, required=True)
    export = verb("export", _export, "deliver variants and kit")
    export.add_argument("project", type=Path)
    export.add_argument("--out", type=Path, required=True)
    export.add_argument("--variant", action="append", help="name of a variant; may be given several times")
    export.add_argument("--size", type=_size, default=0, help="longest side in texels; the sources' own if left out")
    export.add_argument("--kit-size", type=_size, default=0, help="longest side of the kit's textures")
    export.add_argument("--maps", type=_maps, default=(BASE_COLOR,), help=f"attributes with commas between: {', '.join(ATTRIBUTES)}")
    export.add_argument("--jobs", type=_jobs, default=0, help="worker threads; one for each core if left out")
    new = verb("new", _new, "make a project of a mesh and textures")
    new.add_argument("project", type=Path, metavar="DIR", help="folder of the new project; must not have anything in it")
    new.add_argument("--mesh", type=Path, required=True, help="OBJ, PLY, GLB or glTF; textures of the last two come along")
    new.add_argument("--texture", type=_texture, action="append", default=[], metavar="FILE[=ROLE]", help="guessed without a role")
    new.add_argument("--regions", default="", help="material, shell, island, vertex-color, id:FILE or channels:FILE")
    new.add_argument("--fit", action="store_true", help="fit a tone to the painted texture")
    bake = verb("bake", _bake, "draw the regions of a mesh into UV space as an ID map")
    bake.add_argument("mesh", type=Path)
    bake.add_argument("--from", dest="kind", choices=MESH_SOURCES, required=True)
    bake.add_argument("--size", type=_bake_size, required=True, help="texels a side, 16 to 8192")
    bake.add_argument("--samples", type=int, choices=(0, 1, 16, 64), default=16, help="points a texel: 1, 16 or 64; 0 is exact area")
    bake.add_argument(
        "--padding", type=int, default=16, help="texels, at most the size; 8192 fills the whole gutter at any size"
    )
    bake.add_argument("--tile", default="", help="UV tile to bake, e.g. 1002; wrap lays all of them into one")
    bake.add_argument("--out", type=Path, required=True)
    pick = verb("pick", _pick, "coverage of one color of an image")
    pick.add_argument("image", type=Path)
    pick.add_argument("--color", required=True, help="#rrggbb")
    pick.add_argument("--near", type=_distance, default=48.0, help="coverage is 1 up to this distance")
    pick.add_argument("--far", type=_distance, default=208.0, help="coverage is 0 from this distance")
    pick.add_argument("--metric", choices=METRICS, default="rgb")
    _mask_output(pick)
    split = verb("split", _split, "take the channels of an image apart")
    split.add_argument("image", type=Path)
    split.add_argument("--as", dest="kind", choices=tuple(SPLITS), required=True)
    split.add_argument("--out", type=Path, required=True, help="folder")
    split.add_argument("--depth", type=int, choices=(8, 16), default=8)
    merge = verb("merge", _merge, "put gray images into the channels of one")
    merge.add_argument("images", type=Path, nargs="+", metavar="R G B [A]")
    _mask_output(merge)
    unmixing = verb("unmix", _unmix, "soft coverages from an antialiased ID image")
    unmixing.add_argument("image", type=Path)
    unmixing.add_argument("--flags", help="'#ff0000,#00ff00,...'; found by themselves when left out")
    unmixing.add_argument("--out", type=Path, required=True, help="folder")
    unmixing.add_argument("--depth", type=int, choices=(8, 16), default=8)
    gray = verb("gray", _gray, "a gray from a color image")
    gray.add_argument("image", type=Path)
    gray.add_argument("--by", choices=METHODS, required=True)
    gray.add_argument("--out", type=Path, required=True)
    cli_palettes.add_verbs(verb, _bar, _note)
    return parser


def _mask_output(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--out", type=Path, required=True)
    parser.add_argument("--depth", type=int, choices=(8, 16), default=8)


def _real(text: str, high: float, what: str) -> float:
    """A number from 0 to `high`; what: the sentence that says so."""
    try:
        value = float(text)
    except ValueError:
        value = math.nan
    if not 0 <= value <= high:
        raise argparse.ArgumentTypeError(f"{what}, not '{text}'")
    return value


def _size(text: str) -> int:
    return cli_palettes.whole(1, 16384, "a size in texels")(text)


def _bake_size(text: str) -> int:
    return cli_palettes.whole(16, GUTTER, "a size in texels")(text)


def _jobs(text: str) -> int:
    return cli_palettes.whole(1, 256, "a number of threads")(text)


def _count(text: str) -> int:
    return cli_palettes.whole(0, (1 << 32) - 1, "a number of a copy")(text)


def _seconds(text: str) -> float:
    return _real(text, 1e9, "a time is a number of seconds from 0 on")


def _maps(text: str) -> tuple[str, ...]:
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


def _distance(text: str) -> float:
    return _real(text, 1000, "a distance is a number from 0 to 1000")


def _bar(label: str) -> tuple[Progress, tqdm]:
    """A progress bar on a terminal, silence in a pipe."""
    bar = tqdm(total=1000, desc=label, disable=not sys.stderr.isatty(), bar_format="{desc} {bar} {percentage:3.0f}%")

    def progress(share: float) -> None:
        bar.update(max(0, round(share * 1000) - bar.n))

    return progress, bar


def _demo(options: argparse.Namespace) -> int:
    return _window()(demo=True, into=options.into)


def _open(path: Path) -> State:
    return Storage(project_folder(path)).open()


def _check(options: argparse.Namespace) -> int:
    findings = find_all(_open(options.project))
    if options.json:
        rows = [
            {"code": f.code, "station": f.station, "text": f.text, "region": f.region, "place": f.place}
            for f in findings
        ]
        print(json.dumps({"findings": rows}, indent=2))
    else:
        for finding in findings:
            print(f"{finding.station}: {finding.text}")
    return 1 if findings else 0


def _variant_ids(state: State, names: list[str]) -> list[str]:
    by_name = {v.name.lower(): v.id for v in state.project.variants}
    missing = [name for name in names if name.lower() not in by_name]
    if missing:
        known = ", ".join(v.name for v in state.project.variants) or "none"
        raise EvenPaletteError(f"There is no variant called '{missing[0]}'. There are: {known}.")
    return [by_name[name.lower()] for name in names]


def _render(options: argparse.Namespace) -> None:
    state = _on_sheet(_open(options.project), options.sheet)
    size = delivered_size(state, options.size)
    variant = None
    known = {v.name.lower() for v in state.project.variants}
    if options.variant.lower() not in {"default", "defaults"} - known:
        variant = _variant_ids(state, [options.variant])[0]
    progress, bar = _bar("rendering")
    with bar:
        write_image(_map(state, variant, options, size, progress), options.out)


def _on_sheet(state: State, name: str) -> State:
    """The state on a sheet by its name or number; '' is the first."""
    wanted = name.strip().lower()
    for number, sheet in enumerate(state.project.sheets, 1):
        if wanted in ("", sheet.name.lower(), str(number)):
            return state.on(sheet.id)
    known = ", ".join(sheet.name for sheet in state.project.sheets)
    raise EvenPaletteError(f"There is no sheet called '{name}'. There are: {known}.")


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
                plane = coverage_textures(state)[index // 4].pixels[..., index % 4]
                return Raster.gray(plane).resized(*size)
        raise EvenPaletteError(f"There is no region '{wanted}'.")
    raise EvenPaletteError(f"'{name}' is no map. There are {', '.join(ATTRIBUTES)}, tone, id, id:DIVISION and coverage:REGION.")


def _export(options: argparse.Namespace) -> None:
    state = _open(options.project)
    chosen = _variant_ids(state, options.variant) if options.variant else None
    progress, bar = _bar("exporting")
    with bar:
        write_kit(
            state, options.out, variants=chosen, longest=options.size, kit_longest=options.kit_size,
            maps=options.maps, workers=options.jobs, progress=progress,
        )  # fmt: skip


def _new(options: argparse.Namespace) -> None:
    folder: Path = options.project
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise EvenPaletteError(f"{folder} is there already and not an empty folder. Name another one.")
    progress, bar = _bar("making the project")
    with bar:
        state = create_project(
            options.mesh, options.texture, options.regions, fit=options.fit, name=folder.name[:80], progress=progress
        )
        Storage(folder).save(state)


def _bake(options: argparse.Namespace) -> None:
    if not (0 <= options.padding <= options.size or options.padding == GUTTER):
        raise EvenPaletteError(f"Padding is 0 to {options.size} texels at this size, or {GUTTER} for the whole gutter.")
    mesh = in_tile(read_mesh(options.mesh), options.tile)
    check_uvs(mesh)
    labels, names = mesh_labels(mesh, find_topology(mesh), options.kind)
    flags = plan_flags(len(names)).flags
    baked = bake_faces(
        mesh, labels, len(names), size=options.size, samples=options.samples, padding_texels=options.padding
    )
    write_image(Raster(id_map_from(baked.coverages, list(flags)), Encoding.DATA), options.out)


def _pick(options: argparse.Namespace) -> None:
    if options.far < options.near:
        raise EvenPaletteError(f"far ({options.far:g}) is smaller than near ({options.near:g}): give it a larger distance.")
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
            _note(f"the flag {flag.color} of the image is taken as {flag.pure}")
    return names


def _note(text: str) -> None:
    """Say what was done that may not be expected."""
    print(f"evenpalette: {one_line(text)}", file=sys.stderr)


def _gray(options: argparse.Namespace) -> None:
    gray = to_gray(read_image(options.image), options.by)
    holds_hdr = options.out.suffix.lower() in (".exr", ".tif", ".tiff")
    if gray.pixels.dtype.kind == "f" and not holds_hdr and float(gray.pixels.max()) > 1:
        _note(f"what is brighter than white was cut in {options.out.name}; an .exr or .tif keeps it")
    write_image(gray, options.out)
