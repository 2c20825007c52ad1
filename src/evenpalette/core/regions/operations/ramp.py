"""Ramp: a curve of straight pieces from the old value to the new one."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from evenpalette.core.regions.operation_kind import Around, OperationKind, Plane
from evenpalette.core.values import Input, ValueType, parse_stops


def run(plane: Plane, values: Mapping[str, Any], _: Around) -> Plane:
    """Linear between the stops, level outside of them."""
    positions, targets = parse_stops(str(values["stops"]))
    return np.interp(plane, positions, targets).astype(np.float32)


OPERATION = OperationKind(
    "ramp", "Ramp", "Old values to new ones by a curve of straight pieces",
    (Input("stops", "Stops", ValueType.STOPS, "0:0, 0.5:1, 1:0"),),
    run, order=50, source="piecewise linear interpolation",
)  # fmt: skip
