"""Specks and holes: pieces too small to be meant are taken out, holes filled."""

from evenpalette.core.regions.checks.specks import SMALLEST_TEXELS, despeckle
from evenpalette.core.regions.operation_kind import OperationKind
from evenpalette.core.values import Input, ValueType

OPERATION = OperationKind(
    "despeckle", "Specks and holes", "Takes out small pieces and fills small holes",
    (Input("smallest", "Below", ValueType.INTEGER, SMALLEST_TEXELS, 1, 10_000, " tx", description="Pieces of fewer texels go"),),
    lambda plane, values, _around: despeckle(plane, int(values["smallest"])),
    order=25, source="connected components with 8 neighbors",
)  # fmt: skip
