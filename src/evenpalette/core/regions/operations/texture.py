"""Texture: a channel of any texture of the asset."""

from evenpalette.core.regions.operation_kind import OperationKind
from evenpalette.core.values import Input, ValueType

OPERATION = OperationKind(
    "texture", "Texture channel", "Meets a channel of a texture: occlusion, height, a scanned mask",
    (Input("channel", "Channel", ValueType.CHANNEL, ""),),
    lambda _plane, values, around: around.channel(values["channel"]),
    makes=True, order=70,
)  # fmt: skip
