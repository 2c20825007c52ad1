"""Flag: coverage from a flag color of an ID image, or from a color that was picked."""

from collections.abc import Callable, Sequence
from typing import Annotated, Literal

import numpy as np
from pydantic import Field, field_validator

from evenpalette.core.color.hexcode import normalize_hex, parse_hex
from evenpalette.core.raster.raster import Raster
from evenpalette.core.regions.dividing.flags import find_flags, to_rgb8
from evenpalette.core.regions.dividing.pick import keep_contiguous, pick_by_color, pick_coverages
from evenpalette.core.regions.dividing.unmix import unmix
from evenpalette.core.regions.overlap import Overlap, resolve_overlap
from evenpalette.core.regions.source import Plane, Source, SourceInputs, SourceKind

#: A coordinate of a texture; layouts may leave the first tile.
_Place = Annotated[float, Field(ge=-1000, le=1000)]


class FlagSource(Source):
    """A color of an image.

    `thresholds`: 1 up to `near`, 0 from `far`, linear between, in the metric (8-bit RGB, CIEDE2000, OKLab times 100).
    `shares`: edge texels are solved as mixtures of the flags found beside them.
    """

    kind: Literal["flag"] = "flag"
    texture: str
    color: str
    edges: Literal["thresholds", "shares"] = "shares"
    metric: Literal["rgb", "ciede2000", "oklab"] = "rgb"
    #: Where the color was picked, (u, v); with `contiguous` only the connected piece around it is taken.
    seed: tuple[_Place, _Place] | None = None
    contiguous: bool = False
    near: float = Field(48.0, ge=0, le=442)
    far: float = Field(208.0, ge=0, le=442)

    _hex = field_validator("color")(normalize_hex)


def planes(sources: Sequence[FlagSource], around: SourceInputs) -> list[Plane]:
    """All that read one image in one way, together, so that they sum to at most 1."""
    raster = around.textures[sources[0].texture]
    stack = _picked(raster, [tuple(parse_hex(source.color)) for source in sources], sources)
    for plane, source in zip(stack, sources, strict=True):
        if source.contiguous and source.seed is not None:
            keep_contiguous(plane, source.seed)
    return [np.ascontiguousarray(plane) for plane in stack]


def _picked(raster: Raster, colors: list[tuple[int, ...]], sources: Sequence[FlagSource]) -> Plane:
    image, edges = to_rgb8(raster.pixels), sources[0].edges
    if edges == "thresholds" and any(source.metric != "rgb" for source in sources):
        picked = [
            pick_by_color(image, (color[0], color[1], color[2]), s.near, s.far, s.metric)
            for color, s in zip(colors, sources, strict=True)
        ]
        return np.rint(resolve_overlap(np.stack(picked), Overlap.EXCLUSIVE) * 255).astype(np.uint8)
    if edges == "thresholds":
        return pick_coverages(image, colors, [s.near for s in sources], [s.far for s in sources])
    wanted = np.array(colors)
    others = [
        code
        for flag in find_flags(raster.pixels)
        if np.linalg.norm(wanted - (code := np.array(parse_hex(flag.color))), axis=1).min() > 26
    ]
    return unmix(image, colors + [tuple(int(v) for v in other) for other in others])[: len(colors)]


def said(source: FlagSource, called: Callable[[str], str]) -> str:
    """The image."""
    return called(source.texture)


SOURCE = SourceKind(
    "flag", "Flag color", FlagSource, planes, said, together=lambda source: (source.texture, source.edges), order=40
)
