"""Region: the coverage of another region."""

from evenpalette.core.regions.operation_kind import OperationKind
from evenpalette.core.values import Input, ValueType

OPERATION = OperationKind(
    "region", "Other region", "Meets the coverage of another region",
    (Input("region", "Region", ValueType.REGION, ""),),
    lambda _plane, values, around: around.region(values["region"]),
    makes=True, order=60,
)  # fmt: skip
