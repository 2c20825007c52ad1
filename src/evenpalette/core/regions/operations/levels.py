"""Levels: stretches the values between two ends, with a gamma between."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from evenpalette.core.regions.operation import Around, OperationKind, Plane, Setting


def run(plane: Plane, values: Mapping[str, Any], _: Around) -> Plane:
    """low to high becomes 0 to 1, then the gamma, then to_low to to_high."""
    low, high = float(values["low"]), float(values["high"])
    stretched = np.clip((plane - low) / max(high - low, 1 / 255), 0, 1) ** (1 / float(values["gamma"]))
    return np.asarray(values["to_low"] + (values["to_high"] - values["to_low"]) * stretched, np.float32)


OPERATION = OperationKind(
    "levels", "Levels", "Stretches the values between two ends",
    (
        Setting("low", "From low", "number", 0.0),
        Setting("high", "From high", "number", 1.0),
        Setting("gamma", "Gamma", "number", 1.0, 0.1, 10.0, tip="Above 1 lifts the middle"),
        Setting("to_low", "To low", "number", 0.0),
        Setting("to_high", "To high", "number", 1.0),
    ),
    run, order=40, source="common practice, no source",
)  # fmt: skip
