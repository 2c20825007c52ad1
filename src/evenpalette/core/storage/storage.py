"""Projects on disk: a folder with project.json, rasters as PNG or OpenEXR, and the mesh as it was brought in.

A save is atomic as a whole. Files are named by their content, so a save writes new files beside the old ones, then
replaces project.json in one rename, and only then removes files that the project.json before it named and no longer
does. A kill at any moment leaves a project.json whose files are all there. Saves of one folder wait for each other.
"""

import contextlib
import json
from collections.abc import Iterator, Mapping
from dataclasses import replace
from pathlib import Path
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.migrate import migration_note
from evenpalette.core.document.project import FIRST_SHEET, Project, Sheet, with_sources
from evenpalette.core.document.state import Resting, State
from evenpalette.core.errors import EvenPaletteError, ProjectChanged, ProjectError
from evenpalette.core.files import reason, safe_name
from evenpalette.core.limits import limits
from evenpalette.core.mesh.read import parse_mesh
from evenpalette.core.mesh.tiles import in_tile
from evenpalette.core.mesh.upright import upright
from evenpalette.core.mesh.view import MeshView
from evenpalette.core.raster.formats.exr import encode_exr
from evenpalette.core.raster.formats.png import encode_png
from evenpalette.core.raster.image_read import decode_image
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.regions.coverage import painted
from evenpalette.core.storage.budget import Budget
from evenpalette.core.storage.contents import fingerprint, held
from evenpalette.core.storage.description import (
    PROJECT_FILE,
    absolute_in,
    name_word,
    named_by,
    named_files,
    parse_project,
    relative_to,
)
from evenpalette.core.storage.folder import Identity, ProjectFolder

_FOLDERS = ("textures", "coverages", "painted", "tone", "mesh")


@dataclass(frozen=True)
class _Written:
    """A raster that lies in the folder: what it is in memory, its file, and what identifies that file."""

    content: object
    path: str
    identity: Identity


class Storage:
    """Saves and opens one project folder; remembers which rasters already lie there, so that a save writes only news.

    May be used from any thread. Saves come in the order in which they get the folder; who must have the newest state
    win asks for them in order (the window does, through one queue).
    """

    def __init__(self, folder: Path | str) -> None:
        self.folder = Path(folder)
        self._inside = ProjectFolder(self.folder)
        self._written: dict[int, _Written] = {}
        self._fresh: list[str] = []
        #: Digest of the project.json that was opened or saved last; '' before.
        self._seen = ""
        #: What was made of a project of an earlier version when it was opened, for the history; '' for none.
        self.note = ""

    @property
    def is_changed_outside(self) -> bool:
        """Whether the project on disk is another one than was opened or saved last."""
        return bool(self._seen) and self._on_disk() not in ("", self._seen)

    def save(self, state: State, *, overwrite: bool = False) -> None:
        """Write the state. Raises ProjectError; the folder's last save then still opens.

        Raises ProjectChanged, a ProjectError, when another program saved the folder since it was opened or saved here,
        unless `overwrite`.
        """
        named: set[str] = set()
        self._fresh = []
        try:
            with self._inside.entered(make=True) as inside:
                try:
                    previous = self._take_stock(overwrite)
                    project = self._put_rasters(state)
                    named = named_files(project)
                    text = (json.dumps(project.model_dump(mode="json"), indent=2, ensure_ascii=False) + "\n").encode()
                    # What could not be opened again is not written.
                    parse_project(text, self.folder.name)
                    inside.write(PROJECT_FILE, text)
                    self._seen = _digest(text)
                    self._remove(previous - named)
                except BaseException:
                    self._undo_writes()
                    raise
        except ProjectChanged:
            raise
        except (OSError, EvenPaletteError, UnicodeError) as error:
            why = reason(error) if isinstance(error, OSError) else str(error)
            raise ProjectError(
                f"The project could not be saved to {self.folder}: {why.rstrip('.')}. "
                "The last save is untouched. Free some space or save it elsewhere."
            ) from error
        self._written = {key: item for key, item in self._written.items() if item.path in named}

    def _take_stock(self, overwrite: bool) -> set[str]:
        """Look at what lies there before anything is written; returns the files that it names, ours only."""
        for kind in (".", *_FOLDERS):
            self._inside.sweep(kind)
        if self._inside.identity(PROJECT_FILE) is None:
            return set()
        content, _ = self._inside.read(PROJECT_FILE, limits().project_file_bytes)
        if self._seen and not overwrite and _digest(content) != self._seen:
            raise ProjectChanged(
                f"{self.folder.name} was saved by another program since it was opened here. "
                "Open it again, save yours elsewhere, or overwrite it."
            )
        return named_by(content)

    def _put_rasters(self, state: State) -> Project:
        files = {}
        project = state.project
        for number, sheet in enumerate(state.sheets(), 1):
            for texture in sheet.project.asset.textures:
                if texture.id in state.textures:
                    files[texture.id] = self._put("textures", texture.name, state.textures[texture.id])
            for place, region in enumerate(sheet.project.regions.regions, 1):
                name = f"{place:02}-{region.name}" if number == 1 else f"{number}-{place:02}-{region.name}"
                if region.id in sheet.coverages:
                    files[region.id] = self._put("coverages", name, sheet.coverages[region.id])
                if region.source.keeps_texels and region.id in sheet.made:
                    files[_painted_key(region.id)] = self._put("painted", name, sheet.made[region.id].raw)
            if sheet.tone is not None:
                files[_tone_key(sheet.sheet.id)] = self._put("tone", "tone", sheet.tone)
        mesh_file = self._put_mesh(state.mesh.whole) if state.mesh else None
        project = with_sources(project, lambda path: relative_to(path, self.folder))
        return project.model_copy(update={"rasters": files, "mesh_file": mesh_file})

    def _put(self, kind: str, name: str, content: Raster | np.ndarray) -> str:
        known = self._written.get(id(content))
        if known and known.content is content and self._inside.identity(known.path) == known.identity:
            return known.path
        raster = content if isinstance(content, Raster) else Raster.gray(content)
        is_float = raster.pixels.dtype == np.float32
        data = encode_exr(raster) if is_float else encode_png(raster)
        path, identity = self._put_bytes(kind, name, data, ".exr" if is_float else ".png")
        self._written[id(content)] = _Written(content, path, identity)
        return path

    def _put_mesh(self, view: MeshView) -> str:
        mesh = view.mesh
        known = self._written.get(id(mesh.source_bytes))
        if known and known.content is mesh.source_bytes and self._inside.identity(known.path) == known.identity:
            return known.path
        path, identity = self._put_bytes("mesh", Path(mesh.name).stem, mesh.source_bytes, mesh.source_ending)
        self._written[id(mesh.source_bytes)] = _Written(mesh.source_bytes, path, identity)
        return path

    def _put_bytes(self, kind: str, name: str, data: bytes, ending: str) -> tuple[str, Identity]:
        """Write bytes under a name that tells their content, unless exactly these already lie there."""
        relative = f"{kind}/{safe_name(Path(name).stem if kind == 'textures' else name)}.{_digest(data)}{ending}"
        there = self._inside.identity(relative)
        if there is not None and there.size == len(data):
            with contextlib.suppress(ProjectError):
                content, identity = self._inside.read(relative, len(data))
                if content == data:
                    return relative, identity
        if there is None:
            self._fresh.append(relative)
        return relative, self._inside.write(relative, data)

    def _undo_writes(self) -> None:
        """Take away what a save that failed has added, down to the folders that it made."""
        for relative in self._fresh:
            self._inside.remove(relative)
        for kind in _FOLDERS:
            self._inside.prune(kind)
        for folder in self._inside.made:
            with contextlib.suppress(OSError):
                folder.rmdir()

    def _remove(self, paths: set[str]) -> None:
        for relative in sorted(paths):
            self._inside.remove(relative)

    def _on_disk(self) -> str:
        try:
            with self._inside.entered() as inside:
                if inside.identity(PROJECT_FILE) is None:
                    return ""
                return _digest(inside.read(PROJECT_FILE, limits().project_file_bytes)[0])
        except (OSError, ProjectError):
            return ""

    def open(self) -> State:
        """Read the project. Raises ProjectError that names what is wrong; nothing is half-loaded."""
        with self._reading() as inside:
            content, _ = inside.read(PROJECT_FILE, limits().project_file_bytes)
            project = parse_project(content, self.folder.name)
            state = self._load(with_sources(project, lambda path: absolute_in(path, self.folder)))
            self.note = migration_note(json.loads(content))
            self._seen = _digest(content)
            return state

    def open_description(self) -> Project:
        """What the project's file says, without pictures and mesh: for looking at many. Raises ProjectError."""
        with self._reading() as inside:
            content, _ = inside.read(PROJECT_FILE, limits().project_file_bytes)
            project = parse_project(content, self.folder.name)
            self._seen = _digest(content)
            return with_sources(project, lambda path: absolute_in(path, self.folder))

    def save_description(self, project: Project) -> None:
        """Write the project's file alone, which names the same pictures and mesh as the one that was opened. Raises
        ProjectError, as `save`."""
        try:
            with self._inside.entered() as inside:
                content, _ = inside.read(PROJECT_FILE, limits().project_file_bytes)
                if _digest(content) != self._seen:
                    raise ProjectChanged(f"{self.folder.name} was saved by another program since it was opened here.")
                moved = with_sources(project, lambda path: relative_to(path, self.folder))
                text = (json.dumps(moved.model_dump(mode="json"), indent=2, ensure_ascii=False) + "\n").encode()
                if named_files(parse_project(text, self.folder.name)) != named_files(
                    parse_project(content, self.folder.name)
                ):
                    raise ProjectError(
                        f"{self.folder.name}: a description names other pictures than those that lie there."
                    )
                inside.write(PROJECT_FILE, text)
                self._seen = _digest(text)
        except OSError as error:
            raise ProjectError(f"The project could not be saved to {self.folder}: {reason(error)}.") from error

    def contents(self) -> dict[str, bytes]:
        """The files of the saved project by their paths inside, as they lie there: its own file and all that it names.
        Raises ProjectError."""
        with self._reading() as inside:
            content, _ = inside.read(PROJECT_FILE, limits().project_file_bytes)
            project = parse_project(content, self.folder.name)
            budget = Budget(self.folder.name)
            found = {PROJECT_FILE: content}
            for name in sorted(named_files(project)):
                most = limits().mesh_file_bytes if name == project.mesh_file else limits().image_file_bytes
                found[name], _ = inside.read(name, most)
                budget.take(len(found[name]), name)
            return found

    @contextlib.contextmanager
    def _reading(self) -> Iterator[ProjectFolder]:
        try:
            with self._inside.entered() as inside:
                if inside.identity(PROJECT_FILE) is None and not (self.folder / PROJECT_FILE).is_symlink():
                    raise ProjectError(f"{self.folder} holds no Even Palette project ({PROJECT_FILE} is missing).")
                yield inside
        except FileNotFoundError:
            raise ProjectError(f"{self.folder} holds no Even Palette project ({PROJECT_FILE} is missing).") from None
        except OSError as error:
            raise ProjectError(f"{self.folder} cannot be opened: {reason(error)}.") from error
        except ProjectError:
            raise
        except EvenPaletteError as error:
            raise ProjectError(f"{self.folder.name} cannot be opened: {error}") from error

    def _load(self, project: Project) -> State:
        budget = Budget(self.folder.name)
        textures = {}
        rasters = project.rasters
        for sheet in project.sheets:
            for texture in sheet.textures:
                if texture.id in rasters:
                    textures[texture.id] = self._raster(rasters[texture.id], texture.encoding, budget)
        resting = {sheet.id: self._load_sheet(sheet, rasters, budget) for sheet in project.sheets}
        active = resting.pop(project.sheet.id)
        mesh = self._mesh(project)
        return State(
            project.model_copy(update={"rasters": {}, "mesh_file": None}),
            mesh.only(project.sheet.groups) if mesh is not None else None, MappingProxyType(textures),
            active.coverages, active.made, active.tone, MappingProxyType(resting),
        )  # fmt: skip

    def _load_sheet(self, sheet: Sheet, rasters: Mapping[str, str], budget: Budget) -> Resting:
        coverages, made = {}, {}
        for region in sheet.regions.regions:
            if region.id in rasters:
                coverages[region.id] = self._plane(rasters[region.id], budget)
            if region.source.keeps_texels and _painted_key(region.id) in rasters:
                made[region.id] = painted(self._plane(rasters[_painted_key(region.id)], budget))
        if len({plane.shape for plane in coverages.values()}) > 1:
            raise ProjectError(f"{self.folder.name}: the coverages differ in size.")
        tone = rasters.get(_tone_key(sheet.id))
        raster = self._raster(tone, Encoding.DATA, budget) if tone else None
        return Resting(MappingProxyType(coverages), MappingProxyType(made), raster)

    def _mesh(self, project: Project) -> MeshView | None:
        if not project.mesh_file:
            return None
        content, identity = self._inside.read(project.mesh_file, limits().mesh_file_bytes)
        name = project.mesh.name if project.mesh else Path(project.mesh_file).name
        uv_set = project.mesh.uv_set if project.mesh else None
        tile = project.mesh.tile if project.mesh else ""
        up = project.mesh.up if project.mesh else "y"
        called = f"{Path(name).stem}{Path(project.mesh_file).suffix}"

        def parsed() -> MeshView:
            return MeshView(upright(in_tile(replace(parse_mesh(content, called, uv_set), name=name), tile), up))

        key = fingerprint(content)
        view = held((key, called, name, uv_set, tile, up), MeshView, parsed)
        self._remember(view.mesh.source_bytes, project.mesh_file, identity, key)
        return view

    def _plane(self, relative: str, budget: Budget) -> NDArray[np.uint8]:
        known = next((item.content for item in self._written.values() if item.path == relative), None)
        if isinstance(known, np.ndarray):
            budget.take(known.nbytes, relative)
            return known
        raster, identity, key = self._decode(relative, Encoding.DATA, budget)
        plane = held((key, relative), np.ndarray, lambda: np.ascontiguousarray(raster.pixels[..., 0]))
        if plane.dtype != np.uint8:
            raise ProjectError(f"{relative} is not an 8-bit mask.")
        self._remember(plane, relative, identity, key)
        return plane

    def _raster(self, relative: str, encoding: Encoding, budget: Budget) -> Raster:
        raster, identity, key = self._decode(relative, encoding, budget)
        self._remember(raster, relative, identity, key)
        return raster

    def _decode(self, relative: str, encoding: Encoding, budget: Budget) -> tuple[Raster, Identity, bytes]:
        content, identity = self._inside.read(relative, limits().image_file_bytes)
        key = fingerprint(content)
        pixels = budget.decoded(key, lambda allow: decode_image(content, relative, allow=allow), relative)
        return Raster(pixels, encoding), identity, key

    def _remember(self, held: object, relative: str, identity: Identity, key: bytes) -> None:
        """A file that is named by its content need not be written again; any other is, under a name of its own."""
        if name_word(relative) == _word(key):
            self._written[id(held)] = _Written(held, relative, identity)


def _digest(data: bytes) -> str:
    """Twelve hexadecimal digits that tell contents apart."""
    return _word(fingerprint(data))


def _word(key: bytes) -> str:
    """What a fingerprint is in a file's name."""
    return key.hex()[:12]


def _painted_key(region_id: str) -> str:
    return f"{region_id}/painted"


def _tone_key(sheet_id: str) -> str:
    return "tone" if sheet_id == FIRST_SHEET else f"{sheet_id}/tone"
