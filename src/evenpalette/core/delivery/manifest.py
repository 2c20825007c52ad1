"""What a delivery has written, by hashes: the next one writes only what is not there yet, and names what is left."""

import hashlib
import json
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath

from evenpalette.core.files import read_regular

MANIFEST_FILE = "delivery.json"
FORMAT, VERSION = "even-palette-delivery", 1
_MOST_BYTES = 64 << 20
_PIECE = 1 << 20


@dataclass
class Report:
    """What became of a delivery. files: all that belong to it, in order. unchanged: those that lay there already. left:
    files that a former delivery wrote and this one does not, as they are called in the folder."""

    files: list[Path] = field(default_factory=list)
    unchanged: int = 0
    left: list[str] = field(default_factory=list)

    @property
    def said(self) -> str:
        """In words."""
        new = len(self.files) - self.unchanged
        text = f"{len(self.files)} files" if not self.unchanged else f"{new} of {len(self.files)} files are new"
        if self.left:
            some = ", ".join(self.left[:3]) + (" ..." if len(self.left) > 3 else "")
            text += f"; {len(self.left)} of a former delivery are not made any more: {some}"
        return text


def settle(staged: Path, out: Path, *, clean: bool = False) -> Report:
    """Take away from what is to be moved in what lies there already, and put the manifest beside the rest. clean: what
    is left over from a former delivery is removed once all is in place, by `remove_left`. Raises OSError."""
    report, said = Report(), {}
    former = read_manifest(out)
    for file in sorted(path for path in staged.rglob("*") if path.is_file()):
        name = file.relative_to(staged).as_posix()
        digest, place = _digest(file), out / name
        said[name] = {"sha256": digest, "bytes": file.stat().st_size}
        report.files.append(place)
        if (
            place.is_file()
            and not place.is_symlink()
            and place.stat().st_size == file.stat().st_size
            and _digest(place) == digest
        ):
            file.unlink()
            report.unchanged += 1
    report.left = [
        name for name in former if name not in said and (out / name).is_file() and not (out / name).is_symlink()
    ]
    kept = {} if clean else {name: former[name] for name in report.left}
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
