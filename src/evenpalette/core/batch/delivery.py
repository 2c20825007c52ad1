"""One project on its way to its folder: what is there, what is to be made, what was made; and what is said of it.

Parts that were made before the work was stopped or killed lie beside the delivery until it is whole.
"""

import contextlib
import io
import json
import shutil
import time
from dataclasses import field, replace
from pathlib import Path, PurePosixPath
from typing import Any

from evenpalette.core.batch.frames import made_from, made_said, read_frame, read_said, write_frame
from evenpalette.core.batch.parts import CHECK, FORMS, PLAN, Made, Part
from evenpalette.core.batch.wish import Wish
from evenpalette.core.dataclass import dataclass
from evenpalette.core.delivery.deliver import IMAGES
from evenpalette.core.delivery.manifest import MANIFEST_FILE, Former, Report, settle
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.files import read_regular, write_atomically
from evenpalette.core.storage.file_set import files_as_one
from evenpalette.core.storage.pack import packed, word_of
from evenpalette.core.storage.storage import Storage

#: Beside the files of a delivery: what they were made of as a whole, and parts of one that is not whole yet.
RECORD_FILE = ".even-palette-batch.json"
PARTS_FOLDER = ".even-palette-parts"
_MOST_RECORD_BYTES = 64 << 20
MADE, UNCHANGED, FAILED = "made", "unchanged", "failed"


@dataclass(frozen=True)
class Asset:
    """A project to deliver. name: for people. folder: where it is saved. out: where its files go. error: why it is not
    to be opened, '' where it is."""

    name: str
    folder: Path
    out: Path
    error: str = ""


@dataclass
class PartReport:
    """A part of a project. made: whether it was made now; else it lay there. where: who made it."""

    name: str
    made: bool
    files: int
    bytes: int = 0
    seconds: float = 0.0
    where: str = ""


@dataclass
class AssetReport:
    """What became of a project. status: made, unchanged or failed. names: of all files, inside its folder. written:
    files that are new. error: why it failed. notes: what a form could not say. findings: as `check` has them, with
    their weight."""

    name: str
    project: str
    status: str = MADE
    names: list[str] = field(default_factory=list)
    written: int = 0
    bytes: int = 0
    seconds: float = 0.0
    error: str = ""
    left: list[str] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    findings: list[dict[str, Any]] = field(default_factory=list)
    parts: list[PartReport] = field(default_factory=list)


class Delivery:
    """One project on its way: what is there, what is to be made, what was made."""

    def __init__(self, asset: Asset, wish: Wish, *, again: bool) -> None:
        self._asset, self._wish, self._again = asset, wish, again
        self.report = AssetReport(asset.name, str(asset.folder))
        self.key = ""
        self.blob = Path()
        self._began = 0.0
        self._open = 0
        self._all = 1
        self._forms: Part | None = None
        self._former = Former(asset.out / "nothing")
        self._made: list[Path] = []
        self._ended = False

    @property
    def is_whole(self) -> bool:
        """Whether nothing is left to make."""
        return not self._open

    @property
    def share(self) -> float:
        """How far it is, 0..1."""
        return 1.0 if self._ended else 1 - self._open / self._all if self._began else 0.0

    @property
    def _parts_folder(self) -> Path:
        return self._asset.out / PARTS_FOLDER

    def begin(self, blob: Path) -> list[Part]:
        """What is to be made first; nothing where all is as it was."""
        self._began = time.perf_counter()
        if self._asset.error:
            raise EvenPaletteError(self._asset.error)
        content = Storage(self._asset.folder).contents()
        self.key = word_of(content)
        if not self._again and self._is_unchanged():
            return []
        self.blob = blob
        blob.write_bytes(packed(content))
        self._open = self._all = 2
        return [Part(PLAN, "plan"), Part(CHECK, "findings")]

    def _is_unchanged(self) -> bool:
        """Whether the last delivery was of the same, and its files lie there as it left them."""
        record = _read_record(self._asset.out)
        if record.get("word") != self._wish.word(self.key):
            return False
        files = record.get("files", {})
        try:
            for name, said in files.items():
                found = (self._asset.out / name).lstat()
                if [found.st_size, found.st_mtime_ns] != said:
                    return False
        except (OSError, ValueError):
            return False
        self.report.status, self.report.names = UNCHANGED, [name for name in files if name != MANIFEST_FILE]
        self.report.findings = [f for f in record.get("findings", []) if isinstance(f, dict)]
        self.report.bytes = sum(int(said[0]) for said in files.values())
        return True

    def take(self, part: Part, made: Made) -> list[Part]:
        """A part is there; returns what can be made now."""
        self._open -= 1
        if part.kind == CHECK:
            self.report.findings = made.value
            # It may be the last thing that the forms have waited for.
            return self._forms_now()
        if part.kind == PLAN:
            return self._planned([Part(**data) for data in made.value])
        self._keep(part, made)
        self.report.notes += made.said
        self.report.parts.append(
            PartReport(
                part.name, True, len(made.files), sum(map(len, made.files.values())), round(made.seconds, 4), made.where
            )
        )
        return self._forms_now()

    def _planned(self, parts: list[Part]) -> list[Part]:
        self._former = Former(self._asset.out)
        wanted: list[Part] = []
        for part in parts:
            if part.kind == FORMS:
                if not self._lies_there(part):
                    self._forms = part
                continue
            missing = part if self._again else self._missing(part)
            if missing is None:
                self.report.parts.append(PartReport(part.name, False, len(part.words)))
            elif not self._again and (kept := self._parts_folder / missing.word).is_file():
                self._made.append(kept)
                self.report.parts.append(PartReport(missing.name, False, len(missing.words)))
            else:
                wanted.append(missing)
        self._open += len(wanted) + (self._forms is not None)
        self._all += self._open
        return wanted or self._forms_now()

    def _lies_there(self, part: Part) -> bool:
        """Whether the files of all forms lie there, made from the same."""
        word = part.words[FORMS]
        names = [name for name, said in self._former.files.items() if said.get("inputs") == word]
        if self._again or not names or self._former.take(names, word) is None:
            return False
        self.report.parts.append(PartReport(part.name, False, len(names)))
        return True

    def _missing(self, part: Part) -> Part | None:
        """What of a part does not lie there as it would be made."""
        if part.kind == IMAGES:
            names = list(part.words)
            return None if self._former.take(names, part.words[names[0]]) is not None else part
        left = [name for name, word in part.words.items() if self._former.take([name], word) is None]
        return part.only(left) if left else None

    def _forms_now(self) -> list[Part]:
        """The forms, once all that they say something of is there."""
        if self._forms is None or self._open != 1:
            return []
        forms, self._forms = self._forms, None
        maps = {name: said["map"] for name, said in self._former.taken.items() if "map" in said}
        for path in self._made:
            with path.open("rb") as stream:
                notes = read_said(stream)["notes"]
            maps |= {name: note["map"] for name, note in notes.items() if "map" in note}
        return [replace(forms, maps=maps)]

    def _keep(self, part: Part, made: Made) -> None:
        """Lay a part beside the delivery, whole or not at all."""
        self._parts_folder.mkdir(parents=True, exist_ok=True)
        path = self._parts_folder / part.word
        stream = io.BytesIO()
        write_frame(stream, made_said(made), made.files)
        write_atomically(path, stream.getvalue())
        self._made.append(path)

    def finish(self) -> None:
        """All files take their places together. Raises OSError, EvenPaletteError."""
        out = self._asset.out
        former = self._former
        with files_as_one(out) as staged:
            for path in self._made:
                said, files = _read_part(path)
                made = made_from(said, files)
                former.notes.update(made.notes)
                for name, content in files.items():
                    _check_name(name)
                    (staged / name).parent.mkdir(parents=True, exist_ok=True)
                    (staged / name).write_bytes(content)
            report = settle(staged, out, former)
        self._say(report)
        shutil.rmtree(self._parts_folder, ignore_errors=True)
        self._note(report)

    def _say(self, report: Report) -> None:
        self.report.names = [path.relative_to(self._asset.out).as_posix() for path in report.files]
        self.report.written = len(report.files) - report.unchanged
        self.report.left = report.left
        self.report.bytes = sum(path.stat().st_size for path in report.files)
        self.report.status = MADE if self.report.written or any(p.made for p in self.report.parts) else UNCHANGED

    def _note(self, report: Report) -> None:
        """Note what all of it was made of, so that the next time it need not be opened."""
        out = self._asset.out
        files = {}
        for path in (*report.files, out / MANIFEST_FILE):
            found = path.lstat()
            files[path.relative_to(out).as_posix()] = [found.st_size, found.st_mtime_ns]
        record = {
            "word": self._wish.word(self.key),
            "project": self.key,
            "files": files,
            "findings": self.report.findings,
        }
        write_atomically(out / RECORD_FILE, json.dumps(record).encode())

    def end(self) -> None:
        """Nothing more is to be done for it; what was begun of one that failed may still read its blob."""
        self._ended = True
        self.report.seconds = round(time.perf_counter() - self._began, 3)
        if self.report.status != FAILED:
            self.let_go()

    def let_go(self) -> None:
        """Nobody works on it any more."""
        if self.blob.name:
            self.blob.unlink(missing_ok=True)
        if not self._ended:
            raise AssertionError(f"{self.report.name} was left unfinished")


def _read_part(path: Path) -> tuple[dict[str, Any], dict[str, bytes]]:
    with path.open("rb") as stream:
        return read_frame(stream)


def _check_name(name: str) -> None:
    place = PurePosixPath(name)
    if place.is_absolute() or ".." in place.parts or not place.parts or place.parts[0].startswith(".even-palette"):
        raise EvenPaletteError(f"A worker gave back a file that belongs elsewhere: '{name[:80]}'.")


def _read_record(out: Path) -> dict[str, Any]:
    with contextlib.suppress(OSError, ValueError, RecursionError):
        raw = json.loads(read_regular(out / RECORD_FILE, _MOST_RECORD_BYTES))
        if isinstance(raw, dict) and isinstance(raw.get("files", {}), dict):
            return raw
    return {}


def is_delivered(project: Path, out: Path) -> bool | None:
    """Whether the delivery in a folder is of a project as it is saved now; None where there is none of a batch. Raises
    ProjectError."""
    record = _read_record(out)
    if "project" not in record:
        return None
    return record["project"] == word_of(Storage(project).contents())
