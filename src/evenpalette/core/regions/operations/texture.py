"""Texture: a channel of any texture of the asset."""

from evenpalette.core.regions.operation import OperationKind, Setting

OPERATION = OperationKind(
    "texture", "Texture channel", "Meets a channel of a texture: occlusion, height, a scanned mask",
    (Setting("channel", "Channel", "channel", ""),),
    lambda _plane, values, around: around.channel(values["channel"]),
    makes=True, order=70,
)  # fmt: skip
