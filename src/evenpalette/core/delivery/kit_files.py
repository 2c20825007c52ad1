"""A delivered kit read back as any loader would, from its files alone: for the player and for the page.

Files are untrusted: what is missing, changed, newer or does not fit is said in one sentence. Nothing of the project is
known here.
"""

import hashlib
import json
from collections.abc import Mapping
from pathlib import Path, PurePosixPath
from typing import Any

import numpy as np
from msgspec import ValidationError
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.delivery.kit_model import VERSION, KitDescription, KitSet, read_said
from evenpalette.core.errors import KitError
from evenpalette.core.files import read_regular, reason
from evenpalette.core.limits import limits

_MOST_TEXT = 16 << 20
#: Version 2 had no table, no mesh, no light and no list of sheets; its description lacks what came since.
_OLD = 2


@dataclass(frozen=True)
class KitSheetFiles:
    """One sheet as it was delivered. said: its description. recipe, light: texts, '' where a version had none.
    textures: content by file name. table: float32 (rows, width, 4), None in version 2."""

    name: str
    folder: Path
    said: KitDescription
    recipe: str
    light: str
    textures: Mapping[str, bytes]
    table: NDArray[np.float32] | None


@dataclass(frozen=True)
class KitFiles:
    """A whole kit. mesh: the content of its mesh, b'' for none. files: all that it was read from."""

    name: str
    folder: Path
    sheets: tuple[KitSheetFiles, ...]
    mesh: bytes
    files: tuple[Path, ...]


def kit_folder(path: Path) -> Path:
    """The folder of a kit, by itself or by what was delivered to. Raises KitError."""
    for folder in (path, path / "kit"):
        if (folder / "kit.json").is_file() or (folder / "parameters.json").is_file():
            return folder
    if not path.exists():
        raise KitError(f"{path} does not exist.")
    raise KitError(f"{path} is no kit: it has no kit.json and no parameters.json. Name the folder 'kit' of a delivery.")


def read_kit(path: Path | str) -> KitFiles:
    """Read a kit of version 2 or 3. Raises KitError with one sentence."""
    folder = kit_folder(Path(path))
    listed = folder / "kit.json"
    files = [listed] if listed.is_file() else []
    if files:
        given = _json(listed)
        _check_version(listed, given, "even-palette-kit-set", (1,))
        try:
            whole = read_said(KitSet, given)
        except ValidationError as error:
            raise KitError(f"{listed} is not as a kit's list of sheets is: {_first(error)}.") from error
        sheets = tuple(_sheet(_inside(folder, sheet.folder, listed), sheet.name) for sheet in whole.sheets)
        mesh_file = _inside(folder, whole.mesh, listed) if whole.mesh else None
        name = whole.name
    else:
        sheets, mesh_file = (_sheet(folder, ""),), None
        name = sheets[0].said.name
    mesh = _bytes(mesh_file, limits().mesh_file_bytes) if mesh_file is not None else b""
    for sheet in sheets:
        files += [sheet.folder / "parameters.json", sheet.folder / sheet.said.recipe]
        files += [sheet.folder / "textures" / file for file in sheet.textures]
        files += [sheet.folder / sheet.said.table.file] if sheet.table is not None else []
    return KitFiles(name, folder, sheets, mesh, (*files, *([mesh_file] if mesh_file is not None else [])))


def _sheet(folder: Path, name: str) -> KitSheetFiles:
    file = folder / "parameters.json"
    given = _json(file)
    version = _check_version(file, given, "even-palette-kit", (_OLD, VERSION))
    if version == _OLD:
        given = {
            **given,
            "version": VERSION,
            "table": {"file": "", "width": 1, "height": 1, "rows": [], "places": []},
            "light": "",
            "hlsl": "",
        }
    try:
        said = read_said(KitDescription, given)
    except ValidationError as error:
        raise KitError(f"{file} is not as a kit's description is: {_first(error)}.") from error
    recipe = _text(_inside(folder, said.recipe, file))
    light = _text(_inside(folder, said.light, file)) if said.light else ""
    textures = {}
    for texture in said.textures:
        where = _inside(folder / "textures", texture.file, file)
        content = _bytes(where, limits().image_file_bytes)
        if hashlib.sha256(content).hexdigest() != texture.sha256:
            raise KitError(
                f"{where} is not the file that was delivered: its content has changed. Deliver the kit again."
            )
        textures[texture.file] = content
    table = None
    if version > _OLD:
        where = _inside(folder, said.table.file, file)
        numbers = np.frombuffer(content := _bytes(where, _MOST_TEXT), np.uint8)
        wanted = said.table.width * said.table.height * 16
        if len(numbers) != wanted:
            raise KitError(
                f"{where} has {len(content)} bytes; {said.table.height} rows of {said.table.width} texels are {wanted}. Deliver the kit again."
            )
        table = np.frombuffer(content, "<f4").reshape(said.table.height, said.table.width, 4)
    return KitSheetFiles(name or said.sheet, folder, said, recipe, light, textures, table)


def _check_version(file: Path, given: Any, format: str, known: tuple[int, ...]) -> int:
    if not isinstance(given, dict) or given.get("format") != format:
        raise KitError(f"{file} is not of a kit: its format is not '{format}'.")
    version = given.get("version")
    if not isinstance(version, int) or version not in known:
        newer = isinstance(version, int) and version > max(known)
        said = (
            "It is newer than this program; update Even Palette."
            if newer
            else f"Known are {', '.join(map(str, known))}."
        )
        raise KitError(f"{file} is of version {version!r:.20}. {said}")
    return version


def _inside(folder: Path, name: str, said_by: Path) -> Path:
    """A file of the kit by its name. Raises KitError for one that would lie elsewhere."""
    plain = PurePosixPath(name)
    if not name or plain.is_absolute() or ".." in plain.parts or "\\" in name or "\0" in name:
        raise KitError(f"{said_by} names '{name[:80]}', which is no file of the kit.")
    found = folder / plain
    if not found.resolve().is_relative_to(folder.resolve()):
        raise KitError(f"{said_by} names '{name[:80]}', which lies outside of the kit.")
    return found


def _bytes(file: Path, most: int) -> bytes:
    try:
        return read_regular(file, most)
    except FileNotFoundError:
        raise KitError(f"{file} is missing. Deliver the kit again.") from None
    except OSError as error:
        raise KitError(f"{file} cannot be read: {reason(error)}.") from error


def _text(file: Path) -> str:
    return _bytes(file, _MOST_TEXT).decode("utf-8", "replace")


def _json(file: Path) -> Any:
    try:
        return json.loads(_bytes(file, _MOST_TEXT))
    except (ValueError, RecursionError) as error:
        raise KitError(f"{file} cannot be read as JSON: {str(error)[:120]}.") from error


def _first(error: ValidationError) -> str:
    said, _, where = str(error).partition(" - at `")
    place = where.rstrip("`").removeprefix("$.")
    return f"{place[:80]}: {said[:120]}" if place else said[:120]
