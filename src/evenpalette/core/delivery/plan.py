"""A delivery before anything is written: which variants and sheets, and what each of their folders is called."""

from collections.abc import Sequence
from pathlib import PurePosixPath

from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State
from evenpalette.core.errors import RecipeError
from evenpalette.core.files import unique_names
from evenpalette.core.recipe.steps import KINDS

#: What the values without a variant are called.
DEFAULTS = "default"


@dataclass(frozen=True)
class PlannedVariant:
    """id: None for the defaults. folder: its name as a plain and unique one."""

    id: str | None
    name: str
    folder: str


@dataclass(frozen=True)
class PlannedSheet:
    """place: its folder among those of the sheets, '' where there is but one."""

    id: str
    place: str


@dataclass(frozen=True, eq=False)
class DeliveryPlan:
    """Frozen, so that work in other threads agrees on it. state: the document on any of its sheets. maps: attributes.
    longest, kit_longest: sides of maps and of a kit's textures in texels, 0 the sources' own."""

    state: State
    variants: tuple[PlannedVariant, ...]
    sheets: tuple[PlannedSheet, ...]
    maps: tuple[str, ...]
    longest: int = 0
    kit_longest: int = 0
    workers: int = 0

    def maps_folder(self, variant: PlannedVariant, sheet: PlannedSheet) -> PurePosixPath:
        """Where the pictures of a variant lie, relative to what is delivered to."""
        return PurePosixPath("variants") / variant.folder / sheet.place

    def kit_folder(self, sheet: PlannedSheet) -> PurePosixPath:
        """Where the kit of a sheet lies."""
        return PurePosixPath("kit") / sheet.place


def check_installed(state: State) -> None:
    """Raises RecipeError where a step is of a kind that is not installed here: a delivery would be without it."""
    for sheet in state.project.sheets:
        for step in sheet.steps:
            if step.enabled and step.kind not in KINDS:
                raise RecipeError(
                    f"{state.project.name} uses the step '{step.kind}', which is not installed here. Install it, or switch {step.name} off."
                )


def planned(
    state: State, *, variants: Sequence[str] | None, maps: Sequence[str], longest: int, kit_longest: int, workers: int
) -> DeliveryPlan:
    """variants: ids, None is all; a project without any gets the defaults. Raises RecipeError where a step is not
    installed."""
    check_installed(state)
    chosen = [v for v in state.project.variants if variants is None or v.id in variants]
    named: list[tuple[str | None, str]] = [(v.id, v.name) for v in chosen] or [(None, DEFAULTS)]
    folders = unique_names([name for _, name in named])
    sheets = state.project.sheets
    places = unique_names([sheet.name for sheet in sheets]) if len(sheets) > 1 else [""]
    return DeliveryPlan(
        state,
        tuple(PlannedVariant(*both, folder) for both, folder in zip(named, folders, strict=True)),
        tuple(PlannedSheet(sheet.id, place) for sheet, place in zip(sheets, places, strict=True)),
        tuple(maps), longest, kit_longest, workers,
    )  # fmt: skip
