"""Grow and shrink: the coverage's shape moved outward or inward, on each island by itself."""

from collections.abc import Mapping
from typing import Any

import cv2
import numpy as np

from evenpalette.core.regions.on_islands import on_each_island
from evenpalette.core.regions.operation_kind import Around, OperationKind, Plane
from evenpalette.core.values import Input, ValueType


def disc(radius: int) -> np.ndarray:
    """The texels within a radius, uint8 (2 r + 1, 2 r + 1)."""
    y, x = np.ogrid[-radius : radius + 1, -radius : radius + 1]
    return (x * x + y * y <= radius * radius + radius).astype(np.uint8)


def run(plane: Plane, values: Mapping[str, Any], around: Around) -> Plane:
    """Dilation (by gray values) with a disc for a positive number of texels, erosion for a negative one."""
    texels = int(values["texels"])
    if texels == 0:
        return plane
    kernel = disc(abs(texels))
    # What lies outside an island must neither grow into it nor eat it.
    outside = 0.0 if texels > 0 else 1.0
    move = cv2.dilate if texels > 0 else cv2.erode

    def moved(values: Plane, inside: np.ndarray | None) -> Plane:
        if inside is not None:
            values = np.where(inside, values, np.float32(outside))
        return np.asarray(move(values, kernel, borderType=cv2.BORDER_CONSTANT, borderValue=outside), np.float32)

    return on_each_island(plane, around.texels, abs(texels), moved)


OPERATION = OperationKind(
    "grow", "Grow or shrink", "The edge moved outward (or inward below zero), never onto another island",
    (Input("texels", "Texels", ValueType.INTEGER, 2, -64, 64, " tx"),),
    run, order=20, source="gray-scale dilation and erosion, Serra 1982, from memory",
)  # fmt: skip
