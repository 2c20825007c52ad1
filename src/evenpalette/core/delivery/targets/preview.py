"""Preview: the kit as one page for a browser, `kit/preview.html`, to be sent by mail."""

from pathlib import Path

from evenpalette.core.delivery.kit_files import read_kit
from evenpalette.core.delivery.plan import DeliveryPlan
from evenpalette.core.delivery.preview import PAGE_FILE, page_of
from evenpalette.core.delivery.target import Delivered, Target
from evenpalette.core.parallel import Progress


def write(plan: DeliveryPlan, delivered: Delivered, folder: Path, progress: Progress) -> None:
    """The page of the kit that was written just before."""
    (folder / "kit" / PAGE_FILE).write_bytes(page_of(read_kit(folder / "kit")))
    progress(1.0)


TARGET = Target(
    "preview",
    "Page for a browser",
    "The kit as one page that a browser opens, to be sent by mail",
    30,
    write,
    needs=("kit",),
)
