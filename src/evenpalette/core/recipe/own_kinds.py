"""Kinds of steps and operations that are a user's own: files of a folder, run only once somebody said so.

A file is trusted by its content: another content is another file. What is trusted runs with the rights of whoever
starts the program, as any program does.
"""

import hashlib
import json
from pathlib import Path
from threading import Lock

import platformdirs

from evenpalette.core.consent import own_folder
from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.files import read_regular, reason, write_atomically
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.regions.operations import OPERATIONS
from evenpalette.core.registry import Broken

#: Said before anything of a file is run.
SENTENCE = "It is a program and runs with all of your rights: it can read, change and send whatever you can."
_MOST_BYTES, _MOST_FILES, _MOST_TRUSTED = 1 << 20, 500, 10_000
_lock = Lock()
_taken: dict[Path, str] = {}


def _trust_file() -> Path:
    return platformdirs.user_config_path("evenpalette") / "trusted-steps.json"


@dataclass(frozen=True)
class OwnFile:
    """A file of the folder. word: a hash of its content. broken: why it defines nothing, once it was run."""

    path: Path
    word: str
    is_trusted: bool
    broken: Broken | None = None


def _read(path: Path) -> bytes:
    try:
        return read_regular(path, _MOST_BYTES)
    except (OSError, ValueError) as error:
        why = reason(error) if isinstance(error, OSError) else "this is no file name"
        raise EvenPaletteError(f"{path} cannot be read: {why}.") from error


def trusted_words() -> frozenset[str]:
    """The contents that somebody trusted, by their hashes."""
    try:
        raw = json.loads(read_regular(_trust_file(), _MOST_BYTES))
        return frozenset(word for word in raw["trusted"] if isinstance(word, str))
    except (OSError, ValueError, KeyError, TypeError, RecursionError):
        return frozenset()


def trust(path: Path) -> str:
    """Remember that a file, as it is now, may be run; returns the hash of its content. Raises EvenPaletteError."""
    word = hashlib.sha256(_read(path)).hexdigest()
    known = sorted({*trusted_words(), word})[-_MOST_TRUSTED:]
    place = _trust_file()
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        write_atomically(place, json.dumps({"trusted": known}, indent=1).encode())
    except OSError as error:
        raise EvenPaletteError(f"{place} cannot be written: {reason(error)}.") from error
    return word


def _files() -> list[Path]:
    try:
        found = sorted(path for path in own_folder().iterdir() if path.suffix == ".py" and path.name[0] != "_")
    except OSError:
        return []
    return found[:_MOST_FILES]


def take_own() -> list[OwnFile]:
    """Take every trusted file of the folder that is not taken yet; those that changed are taken anew, if they are
    trusted as they are now. Returns all of them; what is broken leaves the rest alone."""
    words = trusted_words()
    found = []
    with _lock:
        files = _files()
        for gone in [path for path in _taken if path not in files]:
            _drop(gone)
        for path in files:
            try:
                content = _read(path)
            except EvenPaletteError as error:
                found.append(OwnFile(path, "", False, Broken(path, 0, str(error))))
                continue
            word = hashlib.sha256(content).hexdigest()
            if word not in words:
                _drop(path)
                found.append(OwnFile(path, word, False))
                continue
            broken = None
            if _taken.get(path) != word:
                _drop(path)
                broken = take_file(path, content)
                if broken is None:
                    _taken[path] = word
            found.append(OwnFile(path, word, True, broken))
    return found


def _drop(path: Path) -> None:
    _taken.pop(path, None)
    KINDS.drop_file(path)
    OPERATIONS.drop_file(path)


def take_file(path: Path, content: bytes) -> Broken | None:
    """Run a file and take the kind of step, or the operation on a coverage, that it defines; says why it defines
    none."""
    if b"OPERATION" in content and b"KIND" not in content.replace(b"OperationKind", b""):
        return OPERATIONS.take_source(path, content)
    return KINDS.take_source(path, content)
