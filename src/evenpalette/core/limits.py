"""What a file may ask for. Files are untrusted: everything here is checked before memory is taken for it.

Each limit is chosen so that a file just below it is read in at most 2 GiB and a few seconds. Whoever works with
larger files raises them all by one factor: the environment variable EVENPALETTE_LIMITS, or the window's settings.
"""

import contextlib
import math
import os
from collections.abc import Iterator
from contextvars import ContextVar

from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import EvenPaletteError

VARIABLE = "EVENPALETTE_LIMITS"
MOST = 64.0


@dataclass(frozen=True)
class Limits:
    """Bytes, texels, triangles and lines that files may have; see the table in the README."""

    image_side_texels: int = 16384
    image_texels: int = 16384 * 8192
    image_bytes: int = 512 << 20
    image_file_bytes: int = 512 << 20
    project_bytes: int = 1024 << 20
    project_file_bytes: int = 32 << 20
    mesh_file_bytes: int = 256 << 20
    mesh_faces: int = 2_000_000
    obj_lines: int = 1_200_000
    face_corners: int = 4096

    def times(self, factor: float) -> "Limits":
        """All limits raised by a factor. A side stays: textures beyond it cannot be drawn."""
        scaled = {name: int(value * factor) for name, value in vars(self).items()}
        return Limits(**{**scaled, "image_side_texels": self.image_side_texels})


_factor = 1.0
#: Of the work that is done here, whatever the process has; 0 where it has none of its own.
_own: ContextVar[float] = ContextVar("limits", default=0.0)


def set_factor(factor: float) -> None:
    """Raise all limits for this run. Raises EvenPaletteError for a factor that is not between 1 and 64."""
    global _factor
    if not (math.isfinite(factor) and 1 <= factor <= MOST):
        raise EvenPaletteError(f"Limits can be raised by a factor between 1 and {MOST:g}, not {factor}.")
    _factor = factor


@contextlib.contextmanager
def own_factor(factor: float) -> Iterator[None]:
    """Work that is begun inside has limits of its own, whatever the process has."""
    token = _own.set(min(max(factor, 1.0), MOST))
    try:
        yield
    finally:
        _own.reset(token)


def factor_in_force() -> float:
    """By how much limits are raised here. The environment variable counts where it is larger than what was set."""
    if _own.get():
        return _own.get()
    factor = _factor
    with contextlib.suppress(ValueError):
        asked = float(os.environ.get(VARIABLE, "1"))
        factor = max(factor, min(asked, MOST)) if math.isfinite(asked) else factor
    return factor


def limits() -> Limits:
    """The limits in force, see `factor_in_force`."""
    return Limits().times(factor_in_force())


def readable_bytes(count: int) -> str:
    """A number of bytes as people say it."""
    return f"{count / (1 << 30):.1f} GiB" if count >= 1 << 30 else f"{count / (1 << 20):.0f} MiB"


RAISE = f"Limits can be raised: Project, File limits, or {VARIABLE}."
