"""Region: the coverage of another region."""

from evenpalette.core.regions.operation import OperationKind, Setting

OPERATION = OperationKind(
    "region", "Other region", "Meets the coverage of another region",
    (Setting("region", "Region", "region", ""),),
    lambda _plane, values, around: around.region(values["region"]),
    makes=True, order=60,
)  # fmt: skip
