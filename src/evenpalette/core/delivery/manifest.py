"""What a delivery has written, by hashes: the next one writes only what is not there yet, and names what is left."""

import hashlib
import json
from collections.abc import Sequence
from dataclasses import field
from pathlib import Path, PurePosixPath

from evenpalette.core.dataclass import dataclass
from evenpalette.core.files import read_regular

MANIFEST_FILE = "delivery.json"
FORMAT, VERSION = "even-palette-delivery", 1
_MOST_BYTES = 64 << 20
_PIECE = 1 << 20


@dataclass
class Report:
    """What became of a delivery. files: all that belong to it, in order. unchanged: those that lay there already. left:
    files that a former delivery wrote and this one does not, as they are called in the folder. notes: what a form could
    not say, in sentences."""

    files: list[Path] = field(default_factory=list)
    unchanged: int = 0
    left: list[str] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)

    @property
    def said(self) -> str:
        """In words."""
        new = len(self.files) - self.unchanged
        text = f"{len(self.files)} files" if not self.unchanged else f"{new} of {len(self.files)} files are new"
        if self.left:
            some = ", ".join(self.left[:3]) + (" ..." if len(self.left) > 3 else "")
            text += f"; {len(self.left)} of a former delivery are not made any more: {some}"
        return text


class Former:
    """What lies in a folder of a former delivery. Files whose inputs are as they were are taken as they lie there, and
    need not be made; what the new ones depend on is noted for the next delivery."""

    def __init__(self, out: Path) -> None:
        self._out = out
        self.files = read_manifest(out)
        #: Files that are taken as they are, by name, as the manifest has them.
        self.taken: dict[str, dict[str, object]] = {}
        #: By the name of a new file: what it was made from, and what else is said of it.
        self.notes: dict[str, dict[str, object]] = {}

    def take(self, names: Sequence[str], inputs: str) -> list[dict[str, object]] | None:
        """Take these files, all of them, as the manifest has them; None where one was made from something else, or is
        not as it was written. inputs: a `fingerprint`."""
        found = [self.files.get(name, {}) for name in names]
        if any(said.get("inputs") != inputs for said in found):
            return None
        if not all(self._is_whole(name, said) for name, said in zip(names, found, strict=True)):
            return None
        self.taken.update(zip(names, found, strict=True))
        return found

    def note(self, name: str, inputs: str, **more: object) -> None:
        """What a file that is written now was made from."""
        self.notes[name] = {"inputs": inputs, **more}

    def _is_whole(self, name: str, said: dict[str, object]) -> bool:
        place = self._out / name
        if place.is_symlink() or not place.resolve().is_relative_to(self._out.resolve()) or not place.is_file():
            return False
        return place.stat().st_size == said.get("bytes") and _digest(place) == said.get("sha256")


def settle(staged: Path, out: Path, former: Former, *, clean: bool = False) -> Report:
    """Take away from what is to be moved in what lies there already, and put the manifest beside the rest. former: what
    was taken as it lies there, and what new files were made from. clean: what is left over from a former delivery is
    removed once all is in place, by `remove_left`. Raises OSError."""
    report = Report()
    said: dict[str, dict[str, object]] = dict(former.taken)
    report.files = [out / name for name in former.taken]
    report.unchanged = len(former.taken)
    for file in sorted(path for path in staged.rglob("*") if path.is_file()):
        name = file.relative_to(staged).as_posix()
        digest, place = _digest(file), out / name
        said[name] = {"sha256": digest, "bytes": file.stat().st_size, **former.notes.get(name, {})}
        report.files.append(place)
        if (
            place.is_file()
            and not place.is_symlink()
            and place.stat().st_size == file.stat().st_size
            and _digest(place) == digest
        ):
            file.unlink()
            report.unchanged += 1
    report.files.sort()
    report.left = [
        name for name in former.files if name not in said and (out / name).is_file() and not (out / name).is_symlink()
    ]
    kept = {} if clean else {name: former.files[name] for name in report.left}
    text = json.dumps(
        {"format": FORMAT, "version": VERSION, "files": dict(sorted(said.items())), "left": kept},
        indent=1,
        ensure_ascii=False,
    )
    (staged / MANIFEST_FILE).write_text(text + "\n", "utf-8")
    return report


def remove_left(out: Path, report: Report) -> int:
    """Remove what a former delivery wrote and this one does not; returns how many files. Raises OSError."""
    for name in report.left:
        (out / name).unlink(missing_ok=True)
        folder = (out / name).parent
        while folder != out and not any(folder.iterdir()):
            folder.rmdir()
            folder = folder.parent
    return len(report.left)


def read_manifest(out: Path) -> dict[str, dict[str, object]]:
    """The files that former deliveries wrote into a folder, by name; none where nothing is known. Names that lie
    elsewhere are not taken."""
    try:
        raw = json.loads(read_regular(out / MANIFEST_FILE, _MOST_BYTES))
        listed = {**raw["left"], **raw["files"]} if raw.get("format") == FORMAT else {}
    except (OSError, ValueError, KeyError, TypeError, AttributeError, RecursionError):
        return {}
    safe = {}
    for name, said in listed.items():
        parts = PurePosixPath(name).parts
        if isinstance(said, dict) and parts and not PurePosixPath(name).is_absolute() and ".." not in parts:
            safe[name] = said
    return safe


def _digest(file: Path) -> str:
    made = hashlib.sha256()
    with file.open("rb") as stream:
        while piece := stream.read(_PIECE):
            made.update(piece)
    return made.hexdigest()
