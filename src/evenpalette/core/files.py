"""Writing files so that a reader never sees half of one."""

import contextlib
import os
import tempfile
from pathlib import Path


def write_atomically(path: Path, content: bytes) -> None:
    """Write beside, flush to the disk, rename. On any failure the old file stays and nothing else is left behind.

    Raises OSError (no space, no permission, no such folder).
    """
    path = Path(path)
    handle, temporary = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".part", dir=path.parent)
    try:
        with os.fdopen(handle, "wb") as stream:
            stream.write(content)
            stream.flush()
            os.fsync(stream.fileno())
        umask = os.umask(0)
        os.umask(umask)
        Path(temporary).chmod(0o666 & ~umask)
        Path(temporary).replace(path)
    except BaseException:
        with contextlib.suppress(OSError):
            Path(temporary).unlink()
        raise
    flush_folder(path.parent)


def flush_folder(folder: Path) -> None:
    """Make renames inside the folder last through a power cut, where the file system can."""
    with contextlib.suppress(OSError):
        descriptor = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(descriptor)
        finally:
            os.close(descriptor)


def safe_name(text: str, fallback: str = "unnamed") -> str:
    """Any text as a file name: lower case letters, digits and dashes."""
    kept = "".join(letter if letter.isalnum() and letter.isascii() else "-" for letter in text.strip().lower())
    return "-".join(part for part in kept.split("-") if part)[:60] or fallback


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
