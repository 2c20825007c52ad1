"""What the command line says: errors and notes in one line, a bar for what takes long."""

import sys
from pathlib import Path

from tqdm import tqdm

from evenpalette.core.errors import EvenPaletteError, one_line
from evenpalette.core.files import reason, write_atomically
from evenpalette.core.parallel import Progress


def refuse(message: str) -> int:
    """One line on standard error, whatever names are in it, and the code for it."""
    encoding = sys.stderr.encoding or "utf-8"
    line = one_line(message).encode(encoding, "replace").decode(encoding)
    print(f"evenpalette: {line}", file=sys.stderr)
    return 2


def note(text: str) -> None:
    """Say what was done that may not be expected."""
    print(f"evenpalette: {one_line(text)}", file=sys.stderr)


def write_report(path: Path, text: str) -> None:
    """Write what was found, whole or not at all. Raises EvenPaletteError."""
    try:
        write_atomically(path, (text + "\n").encode())
    except OSError as error:
        raise EvenPaletteError(f"{path} cannot be written: {reason(error)}.") from error


def bar_of(label: str) -> tuple[Progress, tqdm]:
    """A progress bar on a terminal, silence in a pipe."""
    bar = tqdm(total=1000, desc=label, disable=not sys.stderr.isatty(), bar_format="{desc} {bar} {percentage:3.0f}%")

    def progress(share: float) -> None:
        bar.update(max(0, round(share * 1000) - bar.n))

    return progress, bar
