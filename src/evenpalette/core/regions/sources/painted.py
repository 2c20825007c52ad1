"""Painted: coverage that was painted, or frozen from what it was made from."""

from typing import ClassVar, Literal

from evenpalette.core.regions.source import Source, SourceKind


class PaintedSource(Source):
    """Its texels lie beside the project file."""

    keeps_texels: ClassVar[bool] = True
    kind: Literal["painted"] = "painted"


SOURCE = SourceKind("painted", "Paint", PaintedSource, None, lambda _, __: "what was painted", order=30)
