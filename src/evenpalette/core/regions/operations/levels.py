"""Levels: stretches the values between two ends, with a gamma between."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from evenpalette.core.regions.operation_kind import Around, OperationKind, Plane
from evenpalette.core.values import Input, ValueType


def run(plane: Plane, values: Mapping[str, Any], _: Around) -> Plane:
    """low to high becomes 0 to 1, then the gamma, then to_low to to_high."""
    low, high = float(values["low"]), float(values["high"])
    stretched = np.clip((plane - low) / max(high - low, 1 / 255), 0, 1) ** (1 / float(values["gamma"]))
    return np.asarray(values["to_low"] + (values["to_high"] - values["to_low"]) * stretched, np.float32)


OPERATION = OperationKind(
    "levels", "Levels", "Stretches the values between two ends",
    (
        Input("low", "From low", ValueType.NUMBER, 0.0),
        Input("high", "From high", ValueType.NUMBER, 1.0),
        Input("gamma", "Gamma", ValueType.NUMBER, 1.0, 0.1, 10.0, description="Above 1 lifts the middle"),
        Input("to_low", "To low", ValueType.NUMBER, 0.0),
        Input("to_high", "To high", ValueType.NUMBER, 1.0),
    ),
    run, order=40, source="common practice, no source",
)  # fmt: skip
