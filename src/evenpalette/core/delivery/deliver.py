"""Delivering: every target that is asked for, all files as one set."""

from collections.abc import Sequence
from pathlib import Path

from evenpalette.core.delivery.plan import planned
from evenpalette.core.delivery.target import Delivered, Target
from evenpalette.core.delivery.targets import TARGETS
from evenpalette.core.document.state import State
from evenpalette.core.errors import EvenPaletteError, ImageFileError
from evenpalette.core.files import reason
from evenpalette.core.parallel import Progress, no_progress, part_of
from evenpalette.core.recipe.attributes import BASE_COLOR
from evenpalette.core.storage.file_set import files_as_one

#: The part of the time that putting files in place takes.
_MOVING = 0.03


def deliver(
    state: State, out: Path | str, *, variants: Sequence[str] | None = None, longest: int = 0, kit_longest: int = 0,
    maps: Sequence[str] = (BASE_COLOR,), targets: Sequence[str] = (), workers: int = 0,
    progress: Progress = no_progress,
) -> list[Path]:  # fmt: skip
    """Write a delivery into the folder; returns the files.

    Several sheets have a folder each: `variants/<variant>/<sheet>/` and `kit/<sheet>/`. variants: ids, None is all.
    longest: side of the maps, kit_longest: of the kit's textures, in texels, 0 is the sources' own. workers: threads, 0
    is one for each core. maps: attributes to write, as `render_maps` makes them. targets: keys of TARGETS, () for those
    that are usual. A project without variants gets one called 'default'. All files take their places together at the
    end (`files_as_one`), so a failure or cancel leaves the folder as it was. Raises EvenPaletteError.
    """
    out, asked = Path(out), _asked(targets)
    plan = planned(state, variants=variants, maps=maps, longest=longest, kit_longest=kit_longest, workers=workers)
    written: list[Path] = []
    whole, done = sum(target.weight for target in asked) / (1 - _MOVING), 0.0
    try:
        with files_as_one(out, written) as staged:
            delivered = Delivered()
            for target in asked:
                target.write(plan, delivered, staged, part_of(progress, done / whole, target.weight / whole))
                done += target.weight
    except (OSError, UnicodeError) as error:
        why = reason(error) if isinstance(error, OSError) else "this is no folder name"
        raise EvenPaletteError(f"Delivery to {out} failed: {why.rstrip('.')}. The folder is as it was.") from error
    except ImageFileError as error:
        raise EvenPaletteError(f"Delivery to {out} failed: {error}") from error
    return written


def _asked(keys: Sequence[str]) -> list[Target]:
    """The targets of these keys, in their order. Raises EvenPaletteError for one that there is not."""
    unknown = [key for key in keys if key not in TARGETS]
    if unknown:
        raise EvenPaletteError(f"'{unknown[0]}' is no target. There are {', '.join(TARGETS)}.")
    return [target for target in TARGETS.values() if target.key in keys or (not keys and target.usual)]
