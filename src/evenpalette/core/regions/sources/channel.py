"""Channel: coverage from one channel of a mask."""

from collections.abc import Callable, Sequence
from typing import Literal

import numpy as np
from pydantic import Field

from evenpalette.core.raster.raster import CHANNEL_NAMES
from evenpalette.core.regions.source import Plane, Source, SourceInputs, SourceKind


class ChannelSource(Source):
    """One channel (0 red .. 3 alpha) of a channel mask."""

    kind: Literal["channel"] = "channel"
    texture: str
    channel: int = Field(ge=0, le=3)
    invert: bool = False


def planes(sources: Sequence[ChannelSource], around: SourceInputs) -> list[Plane]:
    """The channels in 8 bits."""
    found = []
    for source in sources:
        plane = around.textures[source.texture].channel(source.channel)
        codes = np.rint(np.clip(plane, 0, 1) * 255).astype(np.uint8)
        found.append(255 - codes if source.invert else codes)
    return found


def said(source: ChannelSource, called: Callable[[str], str]) -> str:
    """The texture and the channel."""
    return f"{called(source.texture)}, {CHANNEL_NAMES[source.channel]}"


SOURCE = SourceKind("channel", "Channel", ChannelSource, planes, said, order=20)
