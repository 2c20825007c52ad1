"""What the document stores about the tone."""

from pydantic import Field

from evenpalette.core.stored import Stored


class ToneRow(Stored):
    """How well a region is rebuilt: CIEDE2000 mean and 95th percentile, and the tone's mean linear gray."""

    region: str
    mean: float = Field(ge=0, le=1000)
    p95: float = Field(ge=0, le=1000)
    gray: float = Field(ge=0, le=1e6)


class ToneReport(Stored):
    """The rebuilt picture against the painted one, over the used UV area and per region."""

    method: str
    mean: float = Field(ge=0, le=1000)
    p95: float = Field(ge=0, le=1000)
    rows: tuple[ToneRow, ...] = ()


class ToneSettings(Stored):
    """Which painted texture the tone is made from, and how. method: 'fit' or one of the plain grays."""

    painted: str | None = None
    method: str = "fit"
    white_percentile: float = Field(100.0, ge=90, le=100)
    report: ToneReport | None = None
    compared: tuple[ToneReport, ...] = ()
