"""Reading and writing single files: a reader never sees half of one, and nothing but regular files is read."""

import contextlib
import os
import re
import secrets
import stat
from pathlib import Path

from anyascii import anyascii

from evenpalette.core.limits import RAISE, readable_bytes

#: What a write that was cut off leaves behind, today and by version 0.1; nobody else names files like this.
PART_FILE = re.compile(
    r"\.even-palette-[0-9a-f]{12}\.part|\.(project\.json|[a-z0-9-]+\.[0-9a-f]{12}\.(png|exr|obj|ply|glb))\.[a-z0-9_]{8}\.part"
)


#: Bytes that are read at once of a file that grows meanwhile.
_PIECE = 1 << 20


class NotRegularError(OSError):
    """A pipe, a device, a folder: nothing that can be read to an end."""


class TooLargeError(OSError):
    """A file beyond its limit."""


def read_regular(path: Path | str, most_bytes: int, *, folder: int | None = None, links: bool = True) -> bytes:
    """The bytes of a regular file of at most `most_bytes`. Nothing is waited for and no more is read than is allowed.

    folder: descriptor of the folder that a relative path starts in. links: whether the last part may be a link.
    Raises OSError (missing, no permission), NotRegularError, TooLargeError, each with a `strerror` to show.
    """
    flags = os.O_RDONLY | os.O_CLOEXEC | os.O_NONBLOCK | (0 if links else os.O_NOFOLLOW)
    try:
        descriptor = os.open(path, flags, dir_fd=folder)
    except (ValueError, UnicodeError) as error:
        raise OSError(22, "this is no file name") from error
    with os.fdopen(descriptor, "rb") as stream:
        found = os.fstat(stream.fileno())
        if not stat.S_ISREG(found.st_mode):
            raise NotRegularError(22, "it is not a regular file")
        if found.st_size > most_bytes:
            raise TooLargeError(
                27,
                f"it has {readable_bytes(found.st_size)}, the limit is {readable_bytes(most_bytes)}. {RAISE.rstrip('.')}",
            )
        # The size that it says, and not the limit: memory is taken for what is asked for. One more tells that it grows.
        content = stream.read(found.st_size + 1)
        while len(content) > found.st_size and len(content) <= most_bytes and (more := stream.read(_PIECE)):
            content += more
    if len(content) > most_bytes:
        raise TooLargeError(27, f"it is larger than {readable_bytes(most_bytes)}")
    return content


def write_atomically(path: Path, content: bytes) -> None:
    """Write beside, flush to the disk, rename, flush the folder. On any failure the old file stays and nothing else is
    left behind.

    Raises OSError (no space, no permission, no such folder).
    """
    path = Path(path)
    try:
        folder = os.open(path.parent, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    except (ValueError, UnicodeError) as error:
        raise OSError(22, "this is no file name") from error
    try:
        write_inside(folder, path.name, content)
    finally:
        os.close(folder)


def write_inside(folder: int, name: str, content: bytes) -> os.stat_result:
    """Write a file into an open folder as `write_atomically` does; returns what was written, as `os.stat` tells it.

    Because the folder is held open, nothing that is done to its path meanwhile leads elsewhere.
    """
    part = f".even-palette-{secrets.token_hex(6)}.part"
    descriptor = os.open(
        part, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC, 0o666, dir_fd=folder
    )
    try:
        with os.fdopen(descriptor, "wb") as stream:
            stream.write(content)
            stream.flush()
            os.fsync(stream.fileno())
        os.rename(part, name, src_dir_fd=folder, dst_dir_fd=folder)
    except BaseException:
        with contextlib.suppress(OSError):
            os.unlink(part, dir_fd=folder)
        raise
    flush_descriptor(folder)
    return os.stat(name, dir_fd=folder, follow_symlinks=False)


def flush_descriptor(folder: int) -> None:
    """Make renames inside an open folder last through a power cut, where the file system can."""
    with contextlib.suppress(OSError):
        os.fsync(folder)


def flush_folder(folder: Path) -> None:
    """Make renames inside the folder last through a power cut, where the file system can."""
    with contextlib.suppress(OSError):
        descriptor = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
        try:
            os.fsync(descriptor)
        finally:
            os.close(descriptor)


def make_folder(folder: Path) -> list[Path]:
    """Make a folder and those above it, lastingly; returns the ones that were not there. Raises OSError."""
    missing = []
    place = Path(folder).absolute()
    while not place.is_dir() and place != place.parent:
        missing.append(place)
        place = place.parent
    for made in reversed(missing):
        made.mkdir(exist_ok=True)
        flush_folder(made.parent)
    return missing


def reason(error: OSError) -> str:
    """What the system says of a failure, in a few words."""
    return str(error.strerror or error)


#: What an interpreter says of a program that was given what it did not expect.
_TO_PROGRAMMERS = (
    AttributeError,
    TypeError,
    LookupError,
    AssertionError,
    ArithmeticError,
    RecursionError,
    UnicodeError,
)
_OF_VALUES = re.compile(
    r"invalid literal|could not convert|cannot reshape|unpack|broadcast|mismatch|buffer size|object at 0x"
)


def told_by(error: Exception) -> str:
    """What a library says of a file that it cannot read, in brackets after a space; '' where it speaks to those who
    wrote it and not to those whose file it is."""
    text = (str(error).strip().splitlines() or [""])[0][:120]
    if not text or isinstance(error, _TO_PROGRAMMERS) or _OF_VALUES.search(text):
        return ""
    return f" ({text})"


def plain_text(text: str) -> str:
    """Any text in printable ASCII on one line, letters of other scripts transliterated, without a backslash or the
    marks of a comment's end: safe inside a comment of shader code.
    """
    kept = "".join(c if " " <= c <= "~" and c != "\\" else " " for c in anyascii(" ".join(text.split())))
    while "*/" in kept or "/*" in kept or "??" in kept:
        kept = kept.replace("*/", "* ").replace("/*", " *").replace("??", "? ")
    return " ".join(kept.split())


def safe_name(text: str, fallback: str = "unnamed") -> str:
    """Any text as a file name: lower case letters, digits and dashes; other scripts are transliterated."""
    kept = "".join(
        letter if letter.isalnum() and letter.isascii() else "-" for letter in anyascii(text.strip()).lower()
    )
    return "-".join(part for part in kept.split("-") if part)[:60] or fallback


def identifier(text: str, fallback: str = "unnamed") -> str:
    """Any text as an identifier, as formats and languages want them: letters, digits and underscores, no digit in
    front."""
    plain = safe_name(text, fallback).replace("-", "_")
    return plain if plain[0].isalpha() else f"n_{plain}"


def unique_identifiers(texts: list[str]) -> list[str]:
    """An identifier for each text, all different."""
    return [identifier(name) for name in unique_names([identifier(text) for text in texts])]


def unique_names(texts: list[str]) -> list[str]:
    """A file name for each text, all different."""
    taken: set[str] = set()
    names = []
    for text in texts:
        base = name = safe_name(text)
        count = 2
        while name in taken:
            name = f"{base}-{count}"
            count += 1
        taken.add(name)
        names.append(name)
    return names
