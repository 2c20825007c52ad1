"""What a bake of a document reads, as one word for all of it, and what the tracing is asked."""

import hashlib
import json
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path

import numpy as np

from evenpalette.core.baking.bake import BakeWish
from evenpalette.core.baking.finer import Finer
from evenpalette.core.baking.kind import BakeKind
from evenpalette.core.baking.kinds import bake_kind
from evenpalette.core.document.bake import GLOW, Bake
from evenpalette.core.document.state import State
from evenpalette.core.edits.clear import clear_plane
from evenpalette.core.edits.glow_light import lamp_words
from evenpalette.core.errors import EvenPaletteError, MeshFileError
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.read import read_mesh
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.raster.digest import digest
from evenpalette.core.recipe.attributes import OPACITY

#: Raised when bakes come out otherwise, so that all are made again.
_MADE_BY = 1


def read_by_bake(state: State, wish: Bake) -> str:
    """A hash of all that a bake is made of: the mesh, what is wanted, what is clear, the lamps of a glow; not of the
    colors of a recipe."""
    if state.mesh is None:
        return ""
    mesh = state.mesh.mesh
    made = hashlib.blake2b(digest_size=16)
    # What is as usual is left out, so that a later version which knows more does not make all again.
    wanted = {
        key: value
        for key, value in wish.wish.items()
        if key not in ("ramp", "variant") and value != Bake.model_fields[key].get_default()
    }
    made.update(json.dumps([_MADE_BY, wanted], default=str, sort_keys=True).encode())
    # Normals may be computed, and a last digit differ from machine to machine; the file that they come from does not.
    made.update(mesh.source_digest if mesh.source_bytes else digest(mesh.normals))
    for array in (mesh.positions, mesh.faces, mesh.groups, *(() if mesh.uvs is None else (mesh.uvs,))):
        made.update(digest(array))
    made.update("\n".join(mesh.group_names).encode())
    for path in (wish.finer, wish.cage):
        if path:
            made.update(_file_word(path).encode())
    if wish.region:
        plane = state.coverages.get(wish.region)
        made.update(b"" if plane is None else digest(plane))
    if _sees_through(state, wish):
        made.update(_steps_word(state, OPACITY).encode())
    if wish.kind == GLOW and wish.lamp is not None:
        made.update(lamp_words(state, wish.lamp).encode())
    made.update(json.dumps(wish.ramp.model_dump()).encode())
    return made.hexdigest()


def wish_of(state: State, wish: Bake, may_read: Callable[[str], bool]) -> BakeWish:
    """What the tracing is asked. may_read: whether a file that the document names may be read. Raises
    EvenPaletteError."""
    kind: BakeKind = bake_kind(wish.kind)
    mesh = mesh_of(state)
    finer = None
    if wish.finer:
        for path in (wish.finer, wish.cage):
            if path and not may_read(path):
                raise MeshFileError(
                    f"{path} was named by this project and has not been read here before. Choose it again at Asset, Bakes."
                )
        low, high = mesh.bounds
        distance = wish.distance * float(np.linalg.norm(high - low))
        finer = Finer(_read(wish.finer), distance, _read(wish.cage) if wish.cage else None)
    target = None
    if wish.region:
        plane = state.coverages.get(wish.region)
        if plane is None:
            raise EvenPaletteError("The region that the distance is measured to is no longer there.")
        texels = Texels(mesh, state.mesh.topology, plane.shape[:2])  # type: ignore[union-attr]
        target = texels.faces_in(plane / np.float32(255))
    opacity = clear_plane(state, wish.size, state.project.active_variant) if _sees_through(state, wish) else None
    return BakeWish(kind, kind.values(wish.settings), wish.denoiser, wish.padding, finer, opacity, target, wish.groups)


def _sees_through(state: State, wish: Bake) -> bool:
    return wish.clear and state.sheet.opacity.value != "opaque" and OPACITY in state.attributes


def _steps_word(state: State, attribute: str) -> str:
    """What decides an attribute: the steps that write it, what they read, and what it begins with."""
    steps = [s for s in state.bound_steps(state.project.active_variant) if attribute in s.kind.writes and s.amount]
    textures = {read.texture for step in steps for row in step.rows for read in row.maps.values()}
    start = state.starts.get(attribute)
    if start is not None and start.texture:
        textures.add(start.texture)
    words = [
        [
            step.amount,
            [
                (
                    row.amount,
                    row.regions,
                    {k: str(np.round(v, 4)) if isinstance(v, np.ndarray) else str(v) for k, v in row.values.items()},
                )
                for row in step.rows
            ],
        ]
        for step in steps
    ]
    digests = [digest(state.textures[key].pixels).hex() for key in sorted(textures) if key in state.textures]
    planes = [digest(plane).hex() for _, plane in sorted(state.coverages.items())] if steps else []
    return json.dumps([words, digests, planes, str(start)], default=str)


def mesh_of(state: State) -> Mesh:
    """The mesh that is baked on. Raises MeshFileError where there is none, or one without UVs."""
    if state.mesh is None or state.mesh.mesh.uvs is None:
        raise MeshFileError("That needs a mesh with UVs. Bring one in at Asset.")
    return state.mesh.mesh


def texels_of(state: State, size: int) -> Texels:
    """The texels of the state's sheet at a size. Raises MeshFileError without a mesh."""
    mesh_of(state)
    assert state.mesh is not None
    return Texels(state.mesh.mesh, state.mesh.topology, (size, size))


def _file_word(path: str) -> str:
    try:
        stat = Path(path).stat()
    except OSError:
        return f"{path} gone"
    return f"{path} {stat.st_size} {stat.st_mtime_ns}"


@lru_cache(maxsize=4)
def _read_at(path: str, _: str) -> Mesh:
    return read_mesh(Path(path))


def _read(path: str) -> Mesh:
    return _read_at(path, _file_word(path))
