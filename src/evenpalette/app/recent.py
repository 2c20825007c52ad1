"""Recently opened projects, remembered between sessions."""

from pathlib import Path

from PyQt6.QtCore import QSettings

_KEY, _LONGEST = "recent", 8


def settings() -> QSettings:
    """The user's settings file."""
    return QSettings(QSettings.Format.IniFormat, QSettings.Scope.UserScope, "evenpalette", "evenpalette")


def recent_projects() -> list[Path]:
    """Newest first; folders that are gone are left out."""
    stored = settings().value(_KEY, [])
    names = [stored] if isinstance(stored, str) else list(stored or [])
    return [path for name in names if (path := Path(name)).is_dir()]


def remember(path: Path) -> None:
    """Put a project at the top of the list."""
    names = [str(path.resolve())] + [str(p) for p in recent_projects() if p.resolve() != path.resolve()]
    store = settings()
    store.setValue(_KEY, names[:_LONGEST])
    store.sync()
