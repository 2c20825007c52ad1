"""OBJ text. Read here rather than by a library to keep the file's own vertex sharing, groups and polygons.

Source: the Wavefront OBJ description as archived by the Library of Congress (format fdd000507).
Read: v (with optional r g b), vt, vn, f (n-gons, negative indices), usemtl, g, o. Materials name the groups;
where the file uses none, groups and objects do. Lines of one shape are turned into numbers together.
"""

import warnings
from collections.abc import Iterable, Sequence
from dataclasses import field, replace
from itertools import groupby
from operator import itemgetter

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import MeshFileError
from evenpalette.core.limits import RAISE, limits
from evenpalette.core.mesh.mesh import Mesh, build_mesh, too_many_faces, triangulate
from evenpalette.core.mesh.reader import AssetFile, Beside, MeshReader, text_of

#: An index that names nothing, and that no table is long enough for.
_NOTHING = 1 << 40


@dataclass
class _Lines:
    """What follows the keyword in all lines of one kind, how many words that is, and where the line stands."""

    texts: list[str] = field(default_factory=list)
    widths: list[int] = field(default_factory=list)
    numbers: list[int] = field(default_factory=list)

    def add(self, texts: Sequence[str], numbers: Iterable[int]) -> None:
        self.texts += texts
        self.widths += [len(text.split()) for text in texts]
        self.numbers += numbers

    def cut(self, count: int) -> None:
        """Keep so many of them."""
        del self.texts[count:], self.widths[count:], self.numbers[count:]


class _Read:
    """What was read of a file so far. Lines that begin alike are taken together."""

    def __init__(self, name: str) -> None:
        self._name, self._most = name, limits()
        self.tables = {"v": _Lines(), "vt": _Lines(), "vn": _Lines()}
        self.faces = _Lines()
        #: How many lines each table had before each face. Plain numbers only: the garbage collector would walk
        #: millions of small tuples again and again.
        self.counts: tuple[list[int], ...] = ([], [], [])
        #: Material and group, as they change, and which of these each face has.
        self.labels: list[tuple[str, str]] = [("", "")]
        self.label_of: list[int] = []
        self._face_count = 0

    def take(self, lines: list[str], first: int) -> None:
        """Take lines with the same two first letters. first: the number of the first one. Raises MeshFileError."""
        head, numbers = lines[0][:2], range(first, first + len(lines))
        if head in ("v ", "v\t"):
            self.tables["v"].add([line[2:] for line in lines], numbers)
        elif head in ("f ", "f\t"):
            self._take_faces([line[2:] for line in lines], numbers)
        elif head in self.tables and all(line[2:3] in (" ", "\t") for line in lines):
            self.tables[head].add([line[3:] for line in lines], numbers)
        else:
            for number, line in zip(numbers, lines, strict=True):
                self._take_line(line.replace("\t", " ").strip(), number)

    def _take_line(self, line: str, number: int) -> None:
        key, _, rest = line.partition(" ")
        if key == "f":
            self._take_faces([rest], [number])
        elif key in self.tables:
            self.tables[key].add([rest], [number])
        elif key == "usemtl":
            self.labels.append((" ".join(rest.split()), self.labels[-1][1]))
        elif key in ("g", "o"):
            self.labels.append((self.labels[-1][0], " ".join(rest.split())))

    def _take_faces(self, texts: Sequence[str], numbers: Sequence[int]) -> None:
        before = len(self.faces.texts)
        self.faces.add(texts, numbers)
        corners = self.faces.widths[before:]
        if min(corners) < 3:
            # Points and edges are no faces.
            self.faces.cut(before)
            whole = [row for row, many in enumerate(corners) if many >= 3]
            texts, numbers = [texts[row] for row in whole], [numbers[row] for row in whole]
            self.faces.add(texts, numbers)
            corners = self.faces.widths[before:]
        if corners and max(corners) > self._most.face_corners:
            row = next(row for row, many in enumerate(corners) if many > self._most.face_corners)
            raise MeshFileError(
                f"{self._name}, line {numbers[row]}: a face has {corners[row]:,} corners; the limit is "
                f"{self._most.face_corners:,}. {RAISE}"
            )
        self._face_count += sum(corners) - 2 * len(corners)
        if self._face_count > self._most.mesh_faces:
            raise too_many_faces(self._name, self._face_count)
        for counts, table in zip(self.counts, self.tables.values(), strict=True):
            counts.extend([len(table.texts)] * len(corners))
        self.label_of += [len(self.labels) - 1] * len(corners)


def parse_obj(content: bytes, name: str) -> Mesh:
    """Parse the bytes of an OBJ file. Raises MeshFileError naming the line."""
    most = limits()
    if content.count(b"\n") + content.count(b"\r") > 2 * most.obj_lines:
        raise MeshFileError(f"{name} has more than {most.obj_lines:,} lines. {RAISE}")
    lines = text_of(content).replace("\\\n", " ").splitlines()
    if len(lines) > most.obj_lines:
        raise MeshFileError(f"{name} has {len(lines):,} lines; the limit is {most.obj_lines:,}. {RAISE}")
    if not any(line.startswith(("v ", "v\t")) for line in lines):
        raise MeshFileError(f"{name} is not an OBJ mesh: it has no vertices.")
    read, number = _Read(name), 1
    for _, alike in groupby(lines, key=itemgetter(slice(2))):
        run = list(alike)
        read.take(run, number)
        number += len(run)
    del lines
    places, layout, directions = (
        _table(name, read.tables["v"], 3, 6), _uv_table(name, read.tables["vt"]), _table(name, read.tables["vn"], 3, 3),
    )  # fmt: skip
    if not read.faces.texts:
        raise MeshFileError(f"{name} has no faces.")
    indices, owner = _faces(name, read.faces, np.array(read.counts, np.int64).T)
    return _assemble(
        name, places, layout, directions, indices,
        read.labels, np.array(read.label_of, np.int64)[owner],
    )  # fmt: skip


def _bad_line(name: str, number: int, text: str) -> MeshFileError:
    return MeshFileError(f"{name}, line {number}: '{text.strip()[:60]}' cannot be read.")


def _numbers(text: str, dtype: type) -> NDArray | None:
    """All numbers of a text, None where something in it is none."""
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        try:
            return np.fromstring(text, dtype, sep=" ")
        except (DeprecationWarning, ValueError):
            return None


def _table(name: str, lines: _Lines, least: int, most: int) -> NDArray[np.float64] | None:
    """The numbers of v, vt or vn lines, float64 (lines, widest); what a line lacks is NaN. None without lines."""
    if not lines.texts:
        return None
    width = lines.widths[0]
    if least <= width <= most and lines.widths.count(width) == len(lines.widths):
        found = _numbers(" ".join(lines.texts), np.float64)
        if found is not None and len(found) == width * len(lines.texts):
            return found.reshape(-1, width)
    table = np.full((len(lines.texts), max(least, min(max(lines.widths), most))), np.nan)
    for row, (text, number) in enumerate(zip(lines.texts, lines.numbers, strict=True)):
        try:
            values = [float(word) for word in text.split()[:most]]
        except ValueError:
            raise _bad_line(name, number, text) from None
        if len(values) < least:
            raise _bad_line(name, number, text)
        table[row, : len(values)] = values
    return table


def _uv_table(name: str, lines: _Lines) -> NDArray[np.float64] | None:
    """(u, v) with v down; a missing second number is 0 as the file counts it, from the top."""
    table = _table(name, lines, 1, 2)
    if table is None:
        return None
    if table.shape[1] == 1:
        return np.concatenate([table, np.zeros_like(table)], 1)
    given = np.array(lines.widths) > 1
    return np.stack([table[:, 0], np.where(given, 1.0 - table[:, 1], 0.0)], 1)


def _faces(name: str, lines: _Lines, counts: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Indices from 0 of every triangle's corners, int64 (F, 3, 3) for position, UV, normal, -1 for missing ones; and
    the face line that each triangle is of."""
    shapes: dict[tuple[int, int, bool], list[int]] = {}
    texts = lines.texts
    for row, (text, count) in enumerate(zip(texts, lines.widths, strict=True)):
        shapes.setdefault((count, text.count("/"), "//" in text), []).append(row)
    corners, owners = [], []
    for (count, slashes, skips), rows in shapes.items():
        per = slashes // count + 1
        found = None
        if slashes % count == 0 and per <= 3:
            joined = " ".join(texts[row] for row in rows)
            joined = joined.replace("//", "/0/") if skips else joined
            found = _numbers(joined.replace("/", " "), np.int64)
        if found is not None and len(found) == len(rows) * count * per and (not skips or per == 3):
            polygons = np.zeros((len(rows), count, 3), np.int64)
            polygons[..., :per] = found.reshape(-1, count, per)
        else:
            polygons = np.array([_slowly(name, lines.numbers[row], texts[row]) for row in rows], np.int64)
        polygons = _from_zero(polygons, counts[rows])
        fan = np.array(triangulate(count))
        corners.append(polygons[:, fan].reshape(-1, 3, 3))
        owners.append(np.repeat(np.array(rows, np.int64), count - 2))
    owner = np.concatenate(owners)
    order = np.argsort(owner, kind="stable")
    return np.concatenate(corners)[order], owner[order]


def _slowly(name: str, number: int, text: str) -> list[list[int]]:
    """The corners '7', '7/2', '7//3' or '7/2/3' of one face line, as the file counts them; 0 is missing."""
    try:
        found = [[int(part) if part else 0 for part in (word.split("/") + ["", ""])[:3]] for word in text.split()]
    except ValueError:
        raise _bad_line(name, number, text) from None
    return [[max(-_NOTHING, min(index, _NOTHING)) for index in corner] for corner in found]


def _from_zero(polygons: NDArray[np.int64], counts: NDArray[np.int64]) -> NDArray[np.int64]:
    """File indices to ones from 0: negative ones count back from the newest line, 0 is missing (-1).

    What is out of range stays out of range; -1 would read as missing, and a position may not be.
    """
    back = polygons + counts[:, None, :]
    found = np.where(polygons > 0, polygons - 1, np.where(polygons < 0, np.where(back >= 0, back, _NOTHING), -1))
    found[..., 0][found[..., 0] < 0] = _NOTHING
    return found


def _assemble(
    name: str, positions: NDArray | None, uvs: NDArray | None, normals: NDArray | None, indices: NDArray,
    labels: list[tuple[str, str]], label_of: NDArray[np.int64],
) -> Mesh:  # fmt: skip
    assert positions is not None
    # In the order in which faces first use them.
    used, first = np.unique(label_of, return_index=True)
    used = used[np.argsort(first)]
    by_material = any(labels[i][0] for i in used)
    names = {int(i): (labels[i][0] if by_material else labels[i][1]) or "all" for i in used}
    group_names = tuple(dict.fromkeys(names.values()))
    table = np.zeros(len(labels), np.int32)
    for index, label in names.items():
        table[index] = group_names.index(label)
    colors = None
    if positions.shape[1] >= 6 and np.isfinite(positions[:, 3:6]).all() and (indices[..., 0] < len(positions)).all():
        corner_colors = positions[:, 3:6].astype(np.float32)[indices[..., 0]]
        colors = np.concatenate([corner_colors, np.ones_like(corner_colors[..., :1])], -1)
    return build_mesh(
        name,
        positions[:, :3].astype(np.float32),
        indices[..., 0],
        uvs=_gather(name, "UVs", uvs, indices[..., 1]),
        normals=_gather(name, "normals", normals, indices[..., 2]),
        colors=colors,
        groups=table[label_of],
        group_names=group_names,
    )


def _gather(name: str, what: str, table: NDArray | None, indices: NDArray) -> NDArray | None:
    if table is None or (indices < 0).any():
        return None
    if indices.max() >= len(table):
        raise MeshFileError(f"{name}: faces name {what} that do not exist. Export the mesh again.")
    return np.asarray(table.astype(np.float32)[indices])


def _brought(content: bytes, name: str, beside: Beside) -> AssetFile:
    from evenpalette.core.mesh.mtl_materials import sheets_of  # not for a mesh alone

    mesh = parse_obj(content, name)
    sheets, notes = sheets_of(content, mesh.group_names, beside)
    return AssetFile(replace(mesh, source_bytes=content, source_ending=".obj"), tuple(sheets), tuple(notes))


READER = MeshReader("obj", (".obj",), lambda content, name, _: parse_obj(content, name), 10, _brought)
