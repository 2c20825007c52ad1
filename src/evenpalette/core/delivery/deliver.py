"""Delivering: every target that is asked for, all files as one set."""

from collections.abc import Sequence
from pathlib import Path

from evenpalette.core.delivery.inputs import forms_word
from evenpalette.core.delivery.layouts.write import planned_files, write_files
from evenpalette.core.delivery.manifest import Former, Report, remove_left, settle
from evenpalette.core.delivery.plan import planned
from evenpalette.core.delivery.target import Delivered, Target
from evenpalette.core.delivery.targets import TARGETS
from evenpalette.core.document.layout_model import Layout
from evenpalette.core.document.state import State
from evenpalette.core.errors import EvenPaletteError, ImageFileError
from evenpalette.core.files import reason
from evenpalette.core.parallel import Progress, no_progress, part_of
from evenpalette.core.recipe.attributes import BASE_COLOR
from evenpalette.core.storage.file_set import files_as_one

#: The part of the time that putting files in place takes.
_MOVING = 0.03
#: The target whose files say for themselves what they are made from.
IMAGES = "images"
#: The weight of a layout's files beside that of targets.
_LAYOUT_WEIGHT = 30.0


def deliver(
    state: State, out: Path | str, *, variants: Sequence[str] | None = None, longest: int = 0, kit_longest: int = 0,
    maps: Sequence[str] = (BASE_COLOR,), targets: Sequence[str] = (), layout: Layout | None = None, clean: bool = False,
    workers: int = 0, progress: Progress = no_progress,
) -> Report:  # fmt: skip
    """Write a delivery into the folder; returns what became of it.

    Several sheets have a folder each: `variants/<variant>/<sheet>/` and `kit/<sheet>/`. variants: ids, None is all.
    longest: side of the maps, kit_longest: of the kit's textures, in texels, 0 is the sources' own. workers: threads, 0
    is one for each core. maps: attributes to write, as `render_maps` makes them. targets: keys of TARGETS, () for those
    that are usual, or for none where there is a layout. layout: whose files are written too. A project without variants
    gets one called 'default'. Files that lie there already are not written again; clean: those of a former delivery
    that are not made any more are removed. All files take their places together at the end (`files_as_one`), so a
    failure or cancel leaves the folder as it was. Raises EvenPaletteError.
    """
    out, asked = Path(out), [] if layout is not None and not targets else _asked(targets)
    plan = planned(state, variants=variants, maps=maps, longest=longest, kit_longest=kit_longest, workers=workers)
    files = planned_files(state, layout, variants, longest) if layout is not None else []
    whole = (sum(target.weight for target in asked) + (_LAYOUT_WEIGHT if files else 0)) / (1 - _MOVING)
    done = 0.0
    try:
        with files_as_one(out) as staged:
            delivered = Delivered(Former(out))
            before: set[Path] = set()
            for target in asked:
                target.write(plan, delivered, staged, part_of(progress, done / whole, target.weight / whole))
                done += target.weight
                if target.key == IMAGES:
                    before = set(staged.rglob("*"))
            forms = [target.key for target in asked if target.key != IMAGES]
            word = forms_word(plan, forms) if forms else ""
            for path in set(staged.rglob("*")) - before:
                delivered.former.note(path.relative_to(staged).as_posix(), word)
            write_files(
                state, files, staged, delivered.former, workers, part_of(progress, done / whole, _LAYOUT_WEIGHT / whole)
            )
            report = settle(staged, out, delivered.former, clean=clean)
            report.notes = delivered.notes
        if clean:
            remove_left(out, report)
    except (OSError, UnicodeError) as error:
        why = reason(error) if isinstance(error, OSError) else "this is no folder name"
        raise EvenPaletteError(f"Delivery to {out} failed: {why.rstrip('.')}. The folder is as it was.") from error
    except ImageFileError as error:
        raise EvenPaletteError(f"Delivery to {out} failed: {error}") from error
    return report


def known_targets(keys: Sequence[str]) -> tuple[str, ...]:
    """Those of these targets that this version has."""
    return tuple(key for key in keys if key in TARGETS)


def _asked(keys: Sequence[str]) -> list[Target]:
    """The targets of these keys, in their order. Raises EvenPaletteError for one that there is not."""
    unknown = [key for key in keys if key not in TARGETS]
    if unknown:
        raise EvenPaletteError(f"'{unknown[0]}' is no target. There are {', '.join(TARGETS)}.")
    wanted = {*keys, *(needed for key in keys for needed in TARGETS[key].needs)}
    return [target for target in TARGETS.values() if target.key in wanted or (not keys and target.usual)]
