"""Where the application keeps what is of one user and no document: autosaves, reports, notes of what is being
written."""

import os
from pathlib import Path

import platformdirs


def state_folder() -> Path:
    """The state folder of the XDG base directory specification; EVENPALETTE_STATE overrides it."""
    return Path(os.environ.get("EVENPALETTE_STATE") or platformdirs.user_state_path("evenpalette"))
