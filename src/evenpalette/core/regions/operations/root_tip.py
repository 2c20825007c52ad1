"""Gradient from root to tip of every island: for hair, leaves, feathers and hanging cloth."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.mesh.texels import Texels
from evenpalette.core.regions.operation_kind import Around, OperationKind, Plane
from evenpalette.core.values import Input, ValueType

_FIXED = {"up": (0.0, -1.0), "down": (0.0, 1.0), "left": (-1.0, 0.0), "right": (1.0, 0.0)}


def _ways(texels: Texels, toward: str) -> NDArray[np.float64]:
    """The direction from root to tip of every island in the texture, (islands, 2)."""
    islands, count = texels.topology.islands, texels.topology.island_count
    if toward in _FIXED:
        return np.tile(_FIXED[toward], (count, 1)).astype(np.float64)
    assert texels.mesh.uvs is not None
    corners = texels.mesh.uvs.reshape(-1, 2).astype(np.float64)
    heights = texels.mesh.positions[texels.mesh.faces][..., 1].reshape(-1).astype(np.float64)
    owner = np.repeat(islands, 3)
    number = np.maximum(np.bincount(owner, minlength=count), 1)

    def mean(values: NDArray) -> NDArray:
        return np.asarray(np.bincount(owner, values, minlength=count) / number)

    u, v = corners[:, 0] - mean(corners[:, 0])[owner], corners[:, 1] - mean(corners[:, 1])[owner]
    angle = 0.5 * np.arctan2(2 * mean(u * v), mean(u * u) - mean(v * v))
    ways = np.stack([np.cos(angle), np.sin(angle)], -1)
    rises = mean((u * ways[owner, 0] + v * ways[owner, 1]) * (heights - mean(heights)[owner]))
    return np.where(rises[:, None] > 0, -ways, ways)


def run(_: Plane, values: Mapping[str, Any], around: Around) -> Plane:
    """0 at each island's root, 1 at its tip. Along its length: the longer main axis, the root at the higher end."""
    texels = around.mesh_texels("A gradient from root to tip")
    assert texels.mesh.uvs is not None
    islands = texels.topology.islands
    way = _ways(texels, str(values["toward"]))[islands]
    along = (texels.mesh.uvs.astype(np.float64) * way[:, None]).sum(-1)
    low, high = np.full(texels.topology.island_count, np.inf), np.full(texels.topology.island_count, -np.inf)
    np.minimum.at(low, islands, along.min(1))
    np.maximum.at(high, islands, along.max(1))
    share = (along - low[islands, None]) / np.maximum(high - low, 1e-12)[islands, None]
    plane = np.clip(texels.at_corners(share), 0, 1)
    return 1 - plane if values["turned"] else plane


OPERATION = OperationKind(
    "root_tip", "Root to tip", "From one end of each island to the other",
    (
        Input("toward", "Tip lies", ValueType.CHOICE, "along its length", choices=("along its length", *_FIXED),
                description="Along its length: the root is the end that is higher on the model"),
        Input("turned", "Turned around", ValueType.SWITCH, False),
    ),
    run, makes=True, order=100,
)  # fmt: skip
