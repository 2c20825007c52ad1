"""Several files that take their places together: all of them or none.

They are written into a folder beside their places, flushed, and listed in a journal; then each is renamed into its
place and what lay there is kept until the last one is in. A failure puts the old ones back. After a kill, the next
set that is written to the folder finishes what the journal lists first.
"""

import contextlib
import errno
import fcntl
import json
import os
import re
import secrets
import shutil
from collections.abc import Iterator
from pathlib import Path, PurePosixPath

from evenpalette.core.files import flush_folder, make_folder, write_atomically
from evenpalette.core.storage.unfinished import left_behind, noted

_STAGE = re.compile(r"\.even-palette-[0-9a-f]{12}\.set")
_JOURNAL = "journal.json"
_MOST_JOURNAL_BYTES = 16 << 20


@contextlib.contextmanager
def files_as_one(out: Path, written: list[Path] | None = None) -> Iterator[Path]:
    """A folder to write files into, by the paths that they will have inside `out`; at the end they take their places.

    written: gets the paths of all files in their places. When the body or the move fails, `out` is as it was, and not
    there if it was not there. Raises OSError: a folder in the place of a file, a link in the place of a folder, another
    program that is writing a set into `out`.
    """
    made = make_folder(out)
    try:
        with noted(out), _alone_in(out):
            finish_interrupted(out)
            stage = out / f".even-palette-{secrets.token_hex(6)}.set"
            (stage / "new").mkdir(parents=True)
            try:
                yield stage / "new"
                moved = _move_in(stage, out)
            finally:
                shutil.rmtree(stage, ignore_errors=True)
            flush_folder(out)
            if written is not None:
                written.extend(moved)
    except BaseException:
        for folder in made:
            with contextlib.suppress(OSError):
                folder.rmdir()
        raise


def finish_interrupted(out: Path) -> None:
    """Finish sets whose journal is whole and remove those that were cut off before. Nobody else may be writing here."""
    for stage in sorted(out.iterdir()):
        if not _STAGE.fullmatch(stage.name) or stage.is_symlink() or not stage.is_dir():
            continue
        for name in _listed(stage):
            source, target = stage / "new" / name, out / name
            if source.is_file() and not source.is_symlink():
                _check_place(out, name)
                target.parent.mkdir(parents=True, exist_ok=True)
                source.replace(target)
        shutil.rmtree(stage, ignore_errors=True)


def finish_left_behind() -> list[Path]:
    """Finish or remove what programs that are gone left where they were writing; the folders that were looked after."""
    seen = []
    for note, out in left_behind().items():
        try:
            with _alone_in(out):
                finish_interrupted(out)
            seen.append(out)
        except OSError as error:
            if error.errno == errno.EBUSY:
                continue
        with contextlib.suppress(OSError):
            note.unlink()
    return seen


@contextlib.contextmanager
def _alone_in(out: Path) -> Iterator[None]:
    descriptor = os.open(out, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    try:
        try:
            fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            raise OSError(errno.EBUSY, "another program is writing into this folder") from None
        except OSError:  # a file system without locks
            pass
        yield
    finally:
        os.close(descriptor)


def _listed(stage: Path) -> list[str]:
    """The safe paths that a whole journal lists."""
    try:
        journal = stage / _JOURNAL
        if journal.is_symlink() or journal.stat().st_size > _MOST_JOURNAL_BYTES:
            return []
        names = json.loads(journal.read_text("utf-8"))["files"]
    except (OSError, ValueError, KeyError, TypeError, RecursionError):
        return []
    listed = [name for name in names if isinstance(name, str)] if isinstance(names, list) else []
    return [name for name in listed if not PurePosixPath(name).is_absolute() and ".." not in PurePosixPath(name).parts]


def _check_place(out: Path, name: str) -> None:
    """Refuse a place that cannot take a file. Raises OSError."""
    place = out
    parts = PurePosixPath(name).parts
    for part in parts[:-1]:
        place = place / part
        if place.is_symlink():
            raise OSError(errno.ELOOP, f"{place.relative_to(out)} is a link, so it is not written into")
        if place.exists() and not place.is_dir():
            raise OSError(errno.ENOTDIR, f"{place.relative_to(out)} is a file where a folder is needed")
    target = place / parts[-1]
    if target.is_dir() and not target.is_symlink():
        raise OSError(errno.EISDIR, f"{target.relative_to(out)} is a folder where a file is needed. Move it away")


def _move_in(stage: Path, out: Path) -> list[Path]:
    names = sorted(p.relative_to(stage / "new").as_posix() for p in (stage / "new").rglob("*") if p.is_file())
    for name in names:
        _check_place(out, name)
        with (stage / "new" / name).open("rb") as stream:
            os.fsync(stream.fileno())
    for folder in {(stage / "new" / name).parent for name in names}:
        flush_folder(folder)
    write_atomically(stage / _JOURNAL, json.dumps({"files": names}).encode())
    flush_folder(out)
    moved: list[str] = []
    folders: list[Path] = []
    try:
        for name in names:
            target, kept = out / name, stage / "old" / name
            folders += make_folder(target.parent)
            if os.path.lexists(target):
                kept.parent.mkdir(parents=True, exist_ok=True)
                target.rename(kept)
            moved.append(name)
            (stage / "new" / name).rename(target)
        for folder in {(out / name).parent for name in names}:
            flush_folder(folder)
    except BaseException:
        # Without the journal a later run does not finish what is being taken back.
        (stage / _JOURNAL).unlink(missing_ok=True)
        for name in reversed(moved):
            target, kept = out / name, stage / "old" / name
            if os.path.lexists(kept):
                kept.replace(target)
            else:
                target.unlink(missing_ok=True)
        for folder in reversed(folders):
            with contextlib.suppress(OSError):
                folder.rmdir()
        raise
    (stage / _JOURNAL).unlink()
    return [out / name for name in names]
