"""The application among those of a desktop: its entry, its icon, the type of its projects' files.

Sources: Desktop Entry, Icon Theme, Shared MIME-info and Base Directory specifications of freedesktop.org.
"""

import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from importlib.resources import as_file, files
from pathlib import Path

from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.files import reason, write_atomically

#: Sides of the icon that are drawn beforehand.
ICON_SIDES = (16, 24, 32, 48, 64, 128, 256)


def data_home() -> Path:
    """Where the programs of one user keep their data."""
    held = Path(os.environ.get("XDG_DATA_HOME", ""))
    return held if held.is_absolute() else Path.home() / ".local" / "share"


def _places() -> Iterator[tuple[str, str]]:
    """What is put in place: the name of the file here, and where it goes, relative to a data folder."""
    yield "evenpalette.desktop", "applications/evenpalette.desktop"
    yield "evenpalette.xml", "mime/packages/evenpalette.xml"
    yield "icons/evenpalette.svg", "icons/hicolor/scalable/apps/evenpalette.svg"
    for side in ICON_SIDES:
        yield f"icons/evenpalette-{side}.png", f"icons/hicolor/{side}x{side}/apps/evenpalette.png"


def install(home: Path | None = None) -> list[Path]:
    """Put entry, icons and file type in place for this user; returns the files. The entry starts the program that this
    one is, wherever it lies. Raises EvenPaletteError where a file cannot be written."""
    home = home or data_home()
    written = []
    with as_file(files("evenpalette.desktop")) as source:
        for name, place in _places():
            content, target = (source / name).read_bytes(), home / place
            if name.endswith(".desktop"):
                content = content.replace(b"Exec=evenpalette", b"Exec=" + _command())
            try:
                target.parent.mkdir(parents=True, exist_ok=True)
                write_atomically(target, content)
            except OSError as error:
                raise EvenPaletteError(f"{target} cannot be written: {reason(error)}.") from error
            written.append(target)
    _tell_the_desktop(home)
    return written


def remove(home: Path | None = None) -> list[Path]:
    """Take away what `install` put in place; returns the files that were there. Raises EvenPaletteError."""
    home = home or data_home()
    gone = []
    for _, place in _places():
        target = home / place
        try:
            if target.exists():
                target.unlink()
                gone.append(target)
        except OSError as error:
            raise EvenPaletteError(f"{target} cannot be removed: {reason(error)}.") from error
    _tell_the_desktop(home)
    return gone


def _command() -> bytes:
    """The program as an entry calls it: quoted where its path asks for it."""
    program = Path(sys.argv[0]).resolve()
    if program.name != "evenpalette" or not os.access(program, os.X_OK):
        return f'"{sys.executable}" -m evenpalette'.encode()
    text = str(program)
    return (f'"{text}"' if any(c in text for c in ' "$`\\') else text).encode()


def _tell_the_desktop(home: Path) -> None:
    """Have the lists of applications and types made anew, by the tools of the desktop where they are."""
    for tool, folder in (("update-desktop-database", home / "applications"), ("update-mime-database", home / "mime")):
        if shutil.which(tool) is not None and folder.is_dir():
            subprocess.run([tool, str(folder)], capture_output=True, check=False)
