"""The verb bake: what a mesh knows about itself, and the light of a project, as maps."""

import argparse
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from evenpalette.cli.arguments import GUTTER, Verb, bake_size, real, whole
from evenpalette.cli.saying import bar_of, note
from evenpalette.core.baking.bake import BakedMap, BakeWish, bake, check_layout
from evenpalette.core.baking.denoise import DENOISERS, oidn_missing
from evenpalette.core.baking.finer import Finer
from evenpalette.core.baking.kind import BakeKind
from evenpalette.core.baking.kinds import BAKES
from evenpalette.core.baking.vertices import ON_VERTICES, write_openness
from evenpalette.core.color.flag_plan import plan_flags
from evenpalette.core.errors import EvenPaletteError, MeshFileError
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.read import parse_mesh, read_mesh
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.mesh.tiles import in_tile
from evenpalette.core.mesh.topology import find_topology
from evenpalette.core.mesh.write_colors import WRITABLE
from evenpalette.core.raster.image_write import write_image
from evenpalette.core.raster.raster import Encoding, Raster, quantize
from evenpalette.core.regions.dividing.bake import bake_faces, check_uvs, id_map_from
from evenpalette.core.regions.dividing.mesh_sources import MESH_SOURCES, mesh_labels

GLOW = "glow"
_CASTERS = {"everything": "Everything", "piece": "Its own piece", "group": "Its own material group"}
#: How far off a finer mesh may lie where nothing is said, as a share of the coarse one's size.
_DISTANCE = 0.05


def add_verbs(verb: Verb) -> None:
    made = verb(
        "bake",
        _bake,
        "what a mesh knows about itself as a map: its regions, its occlusion, its shape; or the glow of a project",
    )
    made.add_argument("mesh", type=Path, nargs="?")
    what = made.add_mutually_exclusive_group(required=True)
    what.add_argument("--from", dest="source", choices=MESH_SOURCES, help="an ID map of these regions")
    what.add_argument("--kind", choices=(*BAKES, GLOW))
    made.add_argument("--size", type=bake_size, required=True, help="texels a side, 16 to 8192")
    made.add_argument(
        "--samples",
        type=int,
        choices=(0, 1, 16, 64),
        default=16,
        help="of --from: points a texel: 1, 16 or 64; 0 is exact area",
    )
    made.add_argument("--rays", type=whole(4, 4096, "a number of rays"), default=64, help="of each texel")
    made.add_argument("--reach", type=_length, default=None, help="in units of the mesh; 0 has no limit")
    made.add_argument("--axis", choices=("x", "y", "z"), default="y")
    made.add_argument("--casters", choices=tuple(_CASTERS), default="everything", help="what may hide")
    made.add_argument(
        "--caster",
        action="append",
        metavar="GROUP",
        default=[],
        help="a material group that may hide, and only those named so",
    )
    made.add_argument("--ground", action="store_true", help="a floor without end under the model hides too")
    made.add_argument("--to", metavar="GROUP", help="of distance: the material group that it is measured to")
    made.add_argument("--from-mesh", type=Path, metavar="FILE", help="a finer mesh in the same place")
    made.add_argument("--cage", type=Path, metavar="FILE", help="the mesh, swollen, to look at the finer one from")
    made.add_argument(
        "--distance", type=_length, default=None, help="how far off the finer mesh may lie, in units of the mesh"
    )
    made.add_argument("--denoise", choices=tuple(DENOISERS), default="own")
    made.add_argument(
        "--padding",
        type=int,
        default=None,
        help=f"texels, at most the size; {GUTTER} fills the whole gutter, which is usual but for --from",
    )
    made.add_argument("--depth", type=int, choices=(8, 16), default=8, help="bits of a PNG")
    made.add_argument("--tile", default="", help="UV tile to bake, e.g. 1002; wrap lays all of them into one")
    made.add_argument(
        "--uv-set", type=whole(1, 16, "the number of a UV set"), help="the UV set that the map is laid by, from 1"
    )
    made.add_argument("--project", type=Path, metavar="DIR", help="of glow: the project that glows")
    made.add_argument("--variant", help="of glow: the variant whose colors it has")
    made.add_argument(
        "--bounces", type=whole(0, 4, "a number of bounces"), default=1, help="of glow: how often light is sent on"
    )
    made.add_argument(
        "--out",
        type=Path,
        required=True,
        help="PNG, TIFF or OpenEXR; of occlusion also a mesh with vertex colors, PLY or GLB",
    )


def _length(text: str) -> float:
    return real(text, 1e9, "a length is a number from 0")


def _bake(options: argparse.Namespace) -> None:
    if (options.kind == GLOW) != (options.mesh is None):
        raise EvenPaletteError(
            "glow is baked from --project, without a mesh." if options.kind == GLOW else "Name the mesh to bake."
        )
    if options.padding is not None and not (0 <= options.padding <= options.size or options.padding == GUTTER):
        raise EvenPaletteError(f"Padding is 0 to {options.size} texels at this size, or {GUTTER} for the whole gutter.")
    if options.denoise == "oidn" and (reason := oidn_missing()):
        raise EvenPaletteError(reason)
    if options.kind == GLOW:
        from evenpalette.cli.glow import bake_glow

        bake_glow(options)
        return
    mesh = in_tile(_laid(options), options.tile)
    if options.source is not None:
        _bake_regions(options, mesh)
    elif options.out.suffix.lower() in WRITABLE:
        _bake_vertices(options, mesh)
    else:
        write_baked(options.out, _baked(options, mesh), BAKES[options.kind], options.depth)


def _laid(options: argparse.Namespace) -> Mesh:
    """The mesh, laid out by the UV set that was asked for."""
    mesh = read_mesh(options.mesh)
    if options.uv_set is None:
        return mesh
    if options.uv_set > mesh.uv_sets:
        raise MeshFileError(f"{mesh.name} has {mesh.uv_sets} UV set{'s' * (mesh.uv_sets != 1)}, not {options.uv_set}.")
    return parse_mesh(mesh.source_bytes, options.mesh.name, options.uv_set - 1)


def _bake_regions(options: argparse.Namespace, mesh: Mesh) -> None:
    check_uvs(mesh)
    labels, names = mesh_labels(mesh, find_topology(mesh), options.source)
    flags = plan_flags(len(names)).flags
    padding = 16 if options.padding is None else options.padding
    baked = bake_faces(mesh, labels, len(names), size=options.size, samples=options.samples, padding_texels=padding)
    write_image(Raster(id_map_from(baked.coverages, list(flags)), Encoding.DATA), options.out)


def _settings(options: argparse.Namespace, kind: BakeKind, looked_at: Mesh) -> dict[str, object]:
    """The words of the command line as the kind's settings; lengths as shares of what is looked at."""
    low, high = looked_at.bounds
    size = max(float(np.linalg.norm(high - low)), 1e-20)
    share = (options.reach or 0.0) / size
    said = {
        "rays": options.rays, "reach": 0.0 if share > 4 else share, "axis": options.axis.upper(),
        "casters": _CASTERS[options.casters], "ground": options.ground,
    }  # fmt: skip
    if share > 0:
        said["radius"] = min(max(share, 0.001), 0.5)
    known = {setting.key for setting in kind.settings}
    return kind.values({key: value for key, value in said.items() if key in known})


def _baked(options: argparse.Namespace, mesh: Mesh) -> BakedMap:
    check_layout(mesh)
    kind = BAKES[options.kind]
    finer = _finer(options, mesh)
    target: NDArray[np.bool_] | None = None
    if options.to is not None:
        target = mesh.groups == mesh.group_named(options.to)
    wish = BakeWish(
        kind, _settings(options, kind, finer.mesh if finer is not None else mesh), options.denoise,
        -1 if options.padding in (None, GUTTER) else options.padding, finer, target=target, groups=tuple(options.caster),
    )  # fmt: skip
    kind.check(has_finer=finer is not None)
    progress, bar = bar_of(kind.label)
    with bar:
        made = bake(wish, Texels(mesh, find_topology(mesh), (options.size, options.size)), progress=progress)
    for words in made.notes:
        note(words)
    return made


def _finer(options: argparse.Namespace, mesh: Mesh) -> Finer | None:
    if options.from_mesh is None:
        if options.cage is not None:
            raise EvenPaletteError("A cage goes with --from-mesh.")
        return None
    low, high = mesh.bounds
    distance = options.distance or _DISTANCE * float(np.linalg.norm(high - low))
    cage = read_mesh(options.cage) if options.cage is not None else None
    return Finer(read_mesh(options.from_mesh), distance, cage)


def raster_of(made: NDArray[np.float32], ending: str, depth: int) -> Raster:
    """A map as it is written: float in OpenEXR, else so many bits."""
    if ending == ".exr":
        return Raster(np.ascontiguousarray(made), Encoding.DATA)
    kind = np.dtype(np.uint16 if depth == 16 and ending != ".jpg" else np.uint8)
    return Raster(quantize(made, kind), Encoding.DATA)


def write_baked(path: Path, made: BakedMap, kind: BakeKind, depth: int) -> None:
    """Write a map; the codes of flags stay what they are."""
    write_image(raster_of(made.values, path.suffix.lower(), 8 if kind.key == "id" else depth), path)


def _bake_vertices(options: argparse.Namespace, mesh: Mesh) -> None:
    if options.kind != ON_VERTICES:
        raise EvenPaletteError(f"Vertex colors hold occlusion; {options.kind} is written as a picture.")
    kind = BAKES[ON_VERTICES]
    progress, bar = bar_of(kind.label)
    with bar:
        write_openness(mesh, _settings(options, kind, mesh), options.out, progress, options.caster)
