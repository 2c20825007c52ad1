"""Projects on disk: a folder with project.json, rasters as PNG or OpenEXR, and the mesh as it was brought in.

A save is atomic as a whole. Files are named by their content, so a save writes new files beside the old ones, then
replaces project.json in one rename, and only then removes files that nothing names any more. A kill at any moment
leaves a project.json whose files are all there.
"""

import contextlib
import hashlib
import json
import re
from dataclasses import replace
from pathlib import Path, PurePosixPath
from types import MappingProxyType
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from evenpalette.core.errors import EvenPaletteError, ProjectError
from evenpalette.core.files import safe_name, write_atomically
from evenpalette.core.mesh.read import parse_mesh
from evenpalette.core.mesh.tiles import in_tile
from evenpalette.core.mesh.view import MeshView
from evenpalette.core.project.model import FORMAT, VERSION, Project
from evenpalette.core.project.state import State
from evenpalette.core.raster.image_read import decode_image
from evenpalette.core.raster.image_write import encode_exr, encode_png
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.regions.coverage import painted
from evenpalette.core.regions.model import PaintedSource

PROJECT_FILE = "project.json"
_OWN_FILE = re.compile(r"(textures|coverages|painted|tone|mesh)/[a-z0-9-]+\.[0-9a-f]{12}\.(png|exr|obj|ply|glb)")
_FOLDERS = ("textures", "coverages", "painted", "tone", "mesh")
MAX_PROJECT_BYTES = 64 << 20


class Storage:
    """Saves and opens one project folder; remembers which rasters already lie there, so that a save writes only news."""

    def __init__(self, folder: Path | str) -> None:
        self.folder = Path(folder)
        self._written: dict[int, tuple[object, str]] = {}

    def save(self, state: State) -> None:
        """Write the state. Raises ProjectError; the folder's last save then still opens."""
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            files = {}
            project = state.project
            for texture in project.asset.textures:
                if texture.id in state.textures:
                    files[texture.id] = self._put("textures", texture.name, state.textures[texture.id])
            for number, region in enumerate(project.regions.regions, 1):
                if region.id in state.coverages:
                    plane = state.coverages[region.id]
                    files[region.id] = self._put("coverages", f"{number:02}-{region.name}", plane)
                if isinstance(region.source, PaintedSource) and region.id in state.made:
                    plane = state.made[region.id].raw
                    files[_painted_key(region.id)] = self._put("painted", f"{number:02}-{region.name}", plane)
            if state.tone is not None:
                files["tone"] = self._put("tone", "tone", state.tone)
            mesh_file = self._put_mesh(state.mesh) if state.mesh else None
            stored = project.model_copy(update={"rasters": files, "mesh_file": mesh_file})
            text = json.dumps(stored.model_dump(mode="json"), indent=2, ensure_ascii=False) + "\n"
            write_atomically(self.folder / PROJECT_FILE, text.encode())
        except OSError as error:
            raise ProjectError(
                f"The project could not be saved to {self.folder}: {error.strerror or error}. "
                "The last save is untouched. Free some space or save it elsewhere."
            ) from error
        named = {*files.values(), *([mesh_file] if mesh_file else [])}
        self._written = {key: item for key, item in self._written.items() if item[1] in named}
        self._remove_unnamed(named)

    def _put(self, kind: str, name: str, content: Raster | np.ndarray) -> str:
        known = self._written.get(id(content))
        if known and known[0] is content and (self.folder / known[1]).is_file():
            return known[1]
        raster = content if isinstance(content, Raster) else Raster.gray(content)
        is_float = raster.pixels.dtype == np.float32
        data = encode_exr(raster) if is_float else encode_png(raster)
        path = self._put_bytes(kind, name, data, ".exr" if is_float else ".png")
        self._written[id(content)] = (content, path)
        return path

    def _put_mesh(self, view: MeshView) -> str:
        mesh = view.mesh
        return self._put_bytes("mesh", Path(mesh.name).stem, mesh.source_bytes, mesh.source_ending)

    def _put_bytes(self, kind: str, name: str, data: bytes, ending: str) -> str:
        digest = hashlib.sha256(data).hexdigest()[:12]
        relative = f"{kind}/{safe_name(Path(name).stem if kind == 'textures' else name)}.{digest}{ending}"
        path = self.folder / relative
        if not path.is_file() or path.stat().st_size != len(data):
            path.parent.mkdir(exist_ok=True)
            write_atomically(path, data)
        return relative

    def _remove_unnamed(self, named: set[str]) -> None:
        for kind in _FOLDERS:
            folder = self.folder / kind
            with contextlib.suppress(OSError):
                for path in folder.iterdir():
                    relative = f"{kind}/{path.name}"
                    if relative not in named and (_OWN_FILE.fullmatch(relative) or path.name.endswith(".part")):
                        path.unlink()
                if not any(folder.iterdir()):
                    folder.rmdir()

    def open(self) -> State:
        """Read the project. Raises ProjectError that names what is wrong; nothing is half-loaded."""
        project = read_project_file(self.folder / PROJECT_FILE)
        try:
            return self._load(project)
        except ProjectError:
            raise
        except EvenPaletteError as error:
            raise ProjectError(f"{self.folder.name} cannot be opened: {error}") from error

    def _load(self, project: Project) -> State:
        textures = {}
        for texture in project.asset.textures:
            if texture.id in project.rasters:
                textures[texture.id] = self._raster(project.rasters[texture.id], texture.encoding)
        coverages, made = {}, {}
        for region in project.regions.regions:
            if region.id in project.rasters:
                coverages[region.id] = self._plane(project.rasters[region.id])
            if isinstance(region.source, PaintedSource) and _painted_key(region.id) in project.rasters:
                made[region.id] = painted(self._plane(project.rasters[_painted_key(region.id)]))
        if len({plane.shape for plane in coverages.values()}) > 1:
            raise ProjectError(f"{self.folder.name}: the coverages differ in size.")
        tone = self._raster(project.rasters["tone"], Encoding.DATA) if "tone" in project.rasters else None
        mesh = None
        if project.mesh_file:
            content = self._bytes(project.mesh_file)
            name = project.asset.mesh.name if project.asset.mesh else Path(project.mesh_file).name
            parsed = parse_mesh(content, f"{Path(name).stem}{Path(project.mesh_file).suffix}")
            tile = project.asset.mesh.tile if project.asset.mesh else ""
            mesh = MeshView(in_tile(replace(parsed, name=name), tile)).prepare()
        return State(
            project.model_copy(update={"rasters": {}, "mesh_file": None}),
            mesh, MappingProxyType(textures), MappingProxyType(coverages), MappingProxyType(made), tone,
        )  # fmt: skip

    def _plane(self, relative: str) -> NDArray[np.uint8]:
        known = next((held for held, path in self._written.values() if path == relative), None)
        if isinstance(known, np.ndarray):
            return known
        plane = np.ascontiguousarray(self._raster(relative, Encoding.DATA).pixels[..., 0])
        if plane.dtype != np.uint8:
            raise ProjectError(f"{relative} is not an 8-bit mask.")
        self._written[id(plane)] = (plane, relative)
        return plane

    def _raster(self, relative: str, encoding: Encoding) -> Raster:
        raster = Raster(decode_image(self._bytes(relative), relative), encoding)
        self._written[id(raster)] = (raster, relative)
        return raster

    def _bytes(self, relative: str) -> bytes:
        path = self._inside(relative)
        try:
            return path.read_bytes()
        except OSError as error:
            raise ProjectError(f"{self.folder.name}: {relative} cannot be read: {error.strerror}.") from error

    def _inside(self, relative: str) -> Path:
        """The path, if it stays in the project folder, links followed."""
        parts = PurePosixPath(relative)
        path = self.folder / parts
        root = self.folder.resolve()
        if parts.is_absolute() or ".." in parts.parts or not path.resolve().is_relative_to(root):
            raise ProjectError(
                f"{self.folder.name} names '{relative}', which lies outside the project. It was not read."
            )
        return path


def _painted_key(region_id: str) -> str:
    return f"{region_id}/painted"


def read_project_file(path: Path) -> Project:
    """The checked contents of a project.json. Raises ProjectError for a newer version or anything malformed."""
    where = path.parent.name
    try:
        if path.stat().st_size > MAX_PROJECT_BYTES:
            raise ProjectError(f"{where}: {PROJECT_FILE} is too large to be a project.")
        raw: Any = json.loads(path.read_text("utf-8"))
    except FileNotFoundError:
        raise ProjectError(f"{path.parent} holds no Even Palette project ({PROJECT_FILE} is missing).") from None
    except OSError as error:
        raise ProjectError(f"{path} cannot be read: {error.strerror}.") from error
    except (ValueError, RecursionError) as error:
        raise ProjectError(f"{where}: {PROJECT_FILE} is damaged ({str(error)[:100]}).") from error
    if not isinstance(raw, dict) or raw.get("format") != FORMAT:
        raise ProjectError(f"{where}: {PROJECT_FILE} is not an Even Palette project.")
    if not isinstance(raw.get("version"), int) or raw["version"] > VERSION:
        raise ProjectError(
            f"{where} was saved by a newer Even Palette (format {raw.get('version')}, this one reads up to {VERSION})."
        )
    try:
        return Project.model_validate(raw)
    except ValidationError as error:
        first = error.errors()[0]
        place = " > ".join(str(part) for part in first["loc"])
        raise ProjectError(f"{where}: {PROJECT_FILE} is damaged at {place}: {first['msg']}.") from error


def project_folder(path: Path | str) -> Path:
    """The project folder for what a user points at: the folder or its project.json."""
    path = Path(path)
    return path.parent if path.name == PROJECT_FILE else path
