"""What every form in which a delivery leaves says about itself."""

from collections.abc import Callable
from dataclasses import field
from pathlib import Path

from evenpalette.core.dataclass import dataclass
from evenpalette.core.delivery.kit_model import KitMap
from evenpalette.core.delivery.manifest import Former
from evenpalette.core.delivery.plan import DeliveryPlan
from evenpalette.core.parallel import Progress


@dataclass
class Delivered:
    """What targets before this one have written, as it is to be said. former: what lies in the folder already. maps: by
    variant and sheet. notes: what a form could not say, in sentences."""

    former: Former
    maps: dict[tuple[str | None, str], dict[str, KitMap]] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class Target:
    """A form of delivery. A file in `delivery/targets` that defines TARGET is one.

    order: a target may say what those before it have written. write: puts its files into a folder; may raise whatever
    writing files raises. weight: its part of the time, beside that of others. usual: whether it is written where nobody
    chose. needs: keys of targets that are written with it.
    """

    key: str
    label: str
    description: str
    order: int
    write: Callable[[DeliveryPlan, Delivered, Path, Progress], None]
    weight: float = 1.0
    usual: bool = False
    needs: tuple[str, ...] = ()
