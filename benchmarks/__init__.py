"""Measurements as ratios. They keep out of the user's own folders."""

import os
import tempfile

_OWN = tempfile.mkdtemp(prefix="evenpalette-bench-")
os.environ["EVENPALETTE_STATE"] = f"{_OWN}/state"
os.environ["XDG_CONFIG_HOME"] = f"{_OWN}/config"
