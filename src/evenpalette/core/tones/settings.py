"""What the document stores about the tone."""

from typing import Annotated, Literal

from pydantic import Field

from evenpalette.core.stored import Stored


class StoredStop(Stored):
    """A color at a place of a ramp, 0..1."""

    position: float = Field(ge=0, le=1)
    color: str = Field(pattern="^#[0-9a-f]{6}$")


class StoredRamp(Stored):
    """The stops of a ramp in order, and how it goes from one to the next: a `ramps.Between`."""

    stops: tuple[StoredStop, ...] = Field(min_length=1, max_length=32)
    between: Literal["linear", "oklab", "stepped"] = "oklab"


class ToneRow(Stored):
    """How well a region is rebuilt: CIEDE2000 mean and 95th percentile, and the tone's mean linear gray.

    second: the tint of another hue that the region holds, '' for none; second_share: the part of it that has that hue.
    """

    region: str
    mean: float = Field(ge=0, le=1000)
    p95: float = Field(ge=0, le=1000)
    gray: float = Field(ge=0, le=1e6)
    second: str = Field("", max_length=9)
    second_share: float = Field(0.0, ge=0, le=1)


class ToneReport(Stored):
    """The rebuilt picture against the painted one, over the used UV area and per region. causes: names of steps that
    cannot be undone, so that no tone can rebuild what lies under them."""

    method: str
    mean: float = Field(ge=0, le=1000)
    p95: float = Field(ge=0, le=1000)
    rows: tuple[ToneRow, ...] = ()
    causes: tuple[Annotated[str, Field(max_length=80)], ...] = ()


class ToneSettings(Stored):
    """Which painted texture the tone is made from, and how. method: 'fit' or one of the plain grays."""

    painted: str | None = None
    method: str = "fit"
    white_percentile: float = Field(99.9, ge=90, le=100)
    report: ToneReport | None = None
    compared: tuple[ToneReport, ...] = ()
