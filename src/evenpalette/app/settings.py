"""What the application remembers of its user between sessions."""

import contextlib
from pathlib import Path

from PyQt6.QtCore import QSettings

from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.limits import set_factor

_RECENT, _LONGEST = "recent", 8
_SOURCES, _MOST_SOURCES = "sources", 4000
_LIMITS = "limits"
_STATIONS, _WINDOW = "stations", "window"
_SMOOTHS = "views/smooth"
_DELIVERED, _MOST_DELIVERED = "delivered", 40


def settings() -> QSettings:
    """The user's settings file."""
    return QSettings(QSettings.Format.IniFormat, QSettings.Scope.UserScope, "evenpalette", "evenpalette")


def _list(key: str) -> list[str]:
    stored = settings().value(key, [])
    return [stored] if isinstance(stored, str) else [str(item) for item in stored or []]


def _store(key: str, value: object) -> None:
    store = settings()
    store.setValue(key, value)
    store.sync()


def recent_projects() -> list[Path]:
    """Recently opened projects, newest first; folders that are gone are left out."""
    return [path for name in _list(_RECENT) if (path := Path(name)).is_dir()]


def remember(path: Path) -> None:
    """Put a project at the top of the recent ones."""
    names = [str(path.resolve())] + [str(p) for p in recent_projects() if p.resolve() != path.resolve()]
    _store(_RECENT, names[:_LONGEST])


def remember_station(path: Path, station: str) -> None:
    """Where the work on a project was left."""
    kept = [name for name in _list(_STATIONS) if not name.endswith(f" {path.resolve()}")]
    _store(_STATIONS, [f"{station} {path.resolve()}", *kept][:_LONGEST])


def station_of(path: Path) -> str:
    """Where the work on a project was left, '' when it is not known."""
    return next((name.split(" ", 1)[0] for name in _list(_STATIONS) if name.endswith(f" {path.resolve()}")), "")


def remember_delivery(path: Path, folder: str) -> None:
    """Where a project was delivered to last."""
    mark = f"{path.resolve()}\t"
    kept = [name for name in _list(_DELIVERED) if not name.startswith(mark)]
    _store(_DELIVERED, [f"{mark}{folder}", *kept][:_MOST_DELIVERED])


def delivered_to(path: Path) -> str:
    """Where a project was delivered to last, '' when it is not known."""
    mark = f"{path.resolve()}\t"
    return next((name.removeprefix(mark) for name in _list(_DELIVERED) if name.startswith(mark)), "")


def remember_smoothing(is_on: bool) -> None:
    """Whether Form is made smooth while nothing moves."""
    _store(_SMOOTHS, "on" if is_on else "off")


def smooths() -> bool:
    """Whether Form is made smooth while nothing moves: unless it was switched off."""
    return settings().value(_SMOOTHS, "on") != "off"


def remember_window(state: dict[str, str]) -> None:
    """How the window stood: its parts by name, as text."""
    for key, value in state.items():
        _store(f"{_WINDOW}/{key}", value)


def window_state(key: str) -> str:
    """How a part of the window stood, '' when it is not known."""
    value = settings().value(f"{_WINDOW}/{key}", "")
    return value if isinstance(value, str) else ""


def trusted_sources() -> frozenset[str]:
    """Files that this user has brought in or said may be read; only these are watched for a project."""
    return frozenset(_list(_SOURCES))


def trust_sources(paths: list[str]) -> None:
    """These files may be read whenever a project names them."""
    known = _list(_SOURCES)
    new = [path for path in dict.fromkeys(paths) if path and path not in known]
    if new:
        _store(_SOURCES, (known + new)[-_MOST_SOURCES:])


def limits_factor() -> float:
    """By how much the file limits are raised."""
    try:
        return float(settings().value(_LIMITS, 1.0))
    except (TypeError, ValueError):
        return 1.0


def set_limits_factor(factor: float) -> None:
    """Raise the file limits, now and in later sessions. Raises EvenPaletteError."""
    set_factor(factor)
    _store(_LIMITS, factor)


def apply_limits() -> None:
    """Put the remembered limits into force."""
    with contextlib.suppress(EvenPaletteError):
        set_factor(limits_factor())
