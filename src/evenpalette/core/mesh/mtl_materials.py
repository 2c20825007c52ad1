"""What the materials of an OBJ file say: textures in the roles that its MTL libraries give them.

Source: the Wavefront MTL description as archived by the Library of Congress (format fdd000508): newmtl, map_Kd,
map_Ke, map_d, bump and their options. norm, map_Pr and map_Pm are common practice. Kd is read where no texture has its
place; it does not darken one, as exporters write 0.8 beside textures that are meant as they are (common practice).
"""

import math
import re
from collections.abc import Iterator
from functools import cache
from pathlib import PurePosixPath

from evenpalette.core.errors import MeshFileError
from evenpalette.core.mesh.file_sheets import FileSheet, FileTexture, keep_plain
from evenpalette.core.mesh.reader import Beside, text_of

#: What each statement names, in the order in which it is taken: names of the texture roles of a project.
_SLOTS = {
    "map_kd": "painted color", "norm": "normal", "map_bump": "height", "bump": "height", "map_ke": "emissive",
    "map_d": "opacity", "map_pr": "roughness", "map_pm": "metallic",
}  # fmt: skip
#: Options before a name, with how many words each takes at most; numbers may be left out.
_OPTIONS = {
    "-blendu": 1, "-blendv": 1, "-cc": 1, "-clamp": 1, "-imfchan": 1, "-type": 1, "-texres": 1, "-bm": 1, "-boost": 1,
    "-mm": 2, "-o": 3, "-s": 3, "-t": 3,
}  # fmt: skip
#: Libraries that one file may name, materials and bytes of each; what is beyond is not looked at.
_MOST_LIBRARIES, _MOST_MATERIALS, _MOST_BYTES = 16, 4096, 1 << 24
_NUMBER = re.compile(r"[-+]?[\d.]+(e[-+]?\d+)?", re.IGNORECASE)

#: What a material names by its statements, and the three numbers of its Kd.
Material = tuple[dict[str, str], tuple[float, ...]]


def sheets_of(content: bytes, used: tuple[str, ...], beside: Beside) -> tuple[list[FileSheet], list[str]]:
    """The groups that are used, those that name the same textures together, and what is left out, in words; nothing
    where no texture is there. beside: reads the files that are named, from the file's folder."""
    materials: dict[str, Material] = {}
    for library in _libraries(content):
        try:
            text = beside(_tidy(library))
        except MeshFileError:
            # An OBJ is often handed on without it.
            continue
        materials |= _materials(text_of(text[:_MOST_BYTES]))
    beside = cache(beside)
    notes: list[str] = []
    by_textures: dict[tuple, FileSheet] = {}
    plain: list[str] = []
    for name in used:
        named, color = materials.get(name, ({}, ()))
        textures = _textures(named, beside, notes)
        if not textures:
            plain.append(name)
            continue
        key = tuple((one.name, one.role) for one in textures)
        held = by_textures.get(key, FileSheet(name, (), tuple(textures), {}))
        has_color = any(one.role == "painted color" for one in textures)
        factors = {"base_color": color} if color and not has_color else {}
        by_textures[key] = FileSheet(held.name, (*held.groups, name), held.textures, held.factors | factors)
    sheets = list(by_textures.values())
    if not sheets:
        return [], []
    keep_plain(sheets, plain, notes)
    return sheets, list(dict.fromkeys(notes))


def _libraries(content: bytes) -> list[str]:
    """The libraries that an OBJ names; a name may have spaces, or the line several names."""
    lines = [line[7:].strip() for line in content.splitlines() if line[:7].lower() in (b"mtllib ", b"mtllib\t")]
    found: list[str] = []
    for line in map(text_of, lines):
        names = re.findall(r".+?\.mtl(?=\s|$)", line, re.IGNORECASE)
        found += [name.strip() for name in names] or [line]
    return list(dict.fromkeys(found))[:_MOST_LIBRARIES]


def _tidy(name: str) -> str:
    """A name as a path from the file's folder; of one that leads elsewhere, the machine that exported it, its end."""
    path = PurePosixPath(name.replace("\\", "/"))
    return path.name if path.is_absolute() or ".." in path.parts or ":" in name else str(path)


def _materials(text: str) -> dict[str, Material]:
    found: dict[str, Material] = {}
    name = ""
    for line in text.replace("\\\n", " ").splitlines():
        key, _, rest = line.replace("\t", " ").strip().partition(" ")
        key, rest = key.lower(), rest.strip()
        if key == "newmtl":
            name = " ".join(rest.split())
            if len(found) >= _MOST_MATERIALS:
                return found
            found.setdefault(name, ({}, ()))
        elif name and key in _SLOTS and rest:
            found[name][0].setdefault(key, _file_of(rest))
        elif name and key == "kd" and (color := tuple(_numbers(rest))[:3]) and len(color) == 3:
            found[name] = found[name][0], color
    return found


def _numbers(text: str) -> Iterator[float]:
    for word in text.split():
        if not _NUMBER.fullmatch(word):
            return
        number = float(word)
        if not math.isfinite(number):
            return
        yield number


def _file_of(rest: str) -> str:
    """The name behind the options of a statement; it may have spaces."""
    words = rest.split(" ")
    while words and words[0].lower() in _OPTIONS:
        most = _OPTIONS[words.pop(0).lower()]
        taken = 0
        while words and taken < most and (taken == 0 or _NUMBER.fullmatch(words[0])) and len(words) > 1:
            words.pop(0)
            taken += 1
    return " ".join(words).strip()


def _textures(named: dict[str, str], beside: Beside, notes: list[str]) -> list[FileTexture]:
    found: list[FileTexture] = []
    for key, role in _SLOTS.items():
        file = _tidy(named.get(key, ""))
        if key not in named or any(one.role == role for one in found):
            continue
        try:
            found.append(FileTexture(PurePosixPath(file).name, role, beside(file), source=file))
        except MeshFileError as error:
            notes.append(f"{PurePosixPath(file).name} is named as {role} and was left out: {error}")
    return found
