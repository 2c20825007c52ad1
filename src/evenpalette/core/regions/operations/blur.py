"""Blur: softens the coverage on each island by itself, so that nothing bleeds in from the gutter."""

from collections.abc import Mapping
from typing import Any

import cv2
import numpy as np

from evenpalette.core.regions.on_islands import on_each_island
from evenpalette.core.regions.operation_kind import Around, OperationKind, Plane
from evenpalette.core.values import Input, ValueType


def run(plane: Plane, values: Mapping[str, Any], around: Around) -> Plane:
    """A Gaussian, divided by its own weight inside the island (normalized convolution)."""
    sigma = float(values["radius"]) / 2
    if sigma < 0.05:
        return plane
    reach = max(1, round(3 * sigma))
    side = (2 * reach + 1, 2 * reach + 1)

    def blurred(values: Plane, inside: np.ndarray | None) -> Plane:
        if inside is None:
            return np.asarray(cv2.GaussianBlur(values, side, sigma, borderType=cv2.BORDER_REPLICATE), np.float32)
        mask = inside.astype(np.float32)
        total = cv2.GaussianBlur(values * mask, side, sigma, borderType=cv2.BORDER_CONSTANT)
        weight = cv2.GaussianBlur(mask, side, sigma, borderType=cv2.BORDER_CONSTANT)
        return np.asarray(total / np.maximum(weight, 1e-6), np.float32)

    return on_each_island(plane, around.texels, 0, blurred)


OPERATION = OperationKind(
    "blur", "Blur", "Softens edges within each island",
    (Input("radius", "Radius", ValueType.NUMBER, 4.0, 0.0, 128.0, " tx", description="Two standard deviations, in texels"),),
    run, order=30, source="normalized convolution, Knutsson and Westin 1993, from memory",
)  # fmt: skip
