"""A project, opened by a script."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from pathlib import Path
from threading import RLock
from types import TracebackType
from typing import Self

import numpy as np
from numpy.typing import NDArray

from evenpalette.api.places import Finding, Pair, Parameter, Region, Step, Value
from evenpalette.api.variants import Variant, Variants, stored_value
from evenpalette.core.batch.deliver import deliver_all
from evenpalette.core.batch.delivery import FAILED, Asset
from evenpalette.core.batch.executors import executor_named
from evenpalette.core.batch.wish import Wish
from evenpalette.core.collection import shared as shared_edits
from evenpalette.core.collection.files import CollectionFile
from evenpalette.core.color.vision import vision_named
from evenpalette.core.consent import inside
from evenpalette.core.dataclass import dataclass
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.delivery.layouts.named import layout_named
from evenpalette.core.delivery.render import delivered_size
from evenpalette.core.document.lookup import parameter_named, sheet_named, variant_ids, variant_named
from evenpalette.core.document.state import State
from evenpalette.core.edits import asset as asset_edits
from evenpalette.core.edits import kit_packing, many_values, marks
from evenpalette.core.edits import roll as rolling
from evenpalette.core.edits import variants as edit
from evenpalette.core.edits.create import TextureFile, create_project, role_named
from evenpalette.core.edits.limits import limit_of_text
from evenpalette.core.errors import EvenPaletteError, ProjectError
from evenpalette.core.findings.findings import find_all
from evenpalette.core.findings.kinds import FINDINGS
from evenpalette.core.recipe.attributes import BASE_COLOR, attribute_named
from evenpalette.core.recipe.binding import Moment
from evenpalette.core.recipe.evaluate import evaluate_surface
from evenpalette.core.recipe.own_kinds import take_own
from evenpalette.core.regions.checks.gaps import shares
from evenpalette.core.storage.description import check_new, project_folder
from evenpalette.core.storage.held import check_free
from evenpalette.core.storage.storage import Storage
from evenpalette.core.temp_folder import temp_folder
from evenpalette.core.variants.compare import USUAL_SIZE, compared
from evenpalette.core.variants.portrait import Sitting
from evenpalette.core.variants.random_values import Chance, RollWay


@dataclass(frozen=True)
class Delivery:
    """What became of a delivery. folder: where it lies. files: all that belong to it. written: how many are new. left:
    names of those that a former delivery wrote and this one does not. notes: what a form could not say."""

    folder: Path
    files: tuple[Path, ...]
    written: int
    left: tuple[str, ...]
    notes: tuple[str, ...]


class Project:
    """A project: an asset with its regions, tones, recipe and variants.

    Made by `evenpalette.open` and `evenpalette.new`. Changes are in memory until `save`. May be used from several
    threads: each change is whole, and what takes long (`render`, `deliver`, `check`) works on the project as it was
    when it was called, without keeping others waiting. Everything that goes wrong is an Error.

    >>> project = evenpalette.open(market / "pennant")
    >>> list(project.variants)
    ['Market Red', 'River Stall', 'Tea Quarter', 'Night Row']
    >>> night = project.derive("Market Red", "Market Red by night", {"Bleach": 0.2})
    >>> project.render("Market Red by night", "base_color", size=32).shape
    (32, 32, 3)
    >>> project.check()
    []
    """

    def __init__(self, state: State, storage: Storage | None) -> None:
        self._held: State | None = state
        self._storage = storage
        self._lock = RLock()

    @property
    def _state(self) -> State:
        state = self._held
        if state is None:
            raise ProjectError("This project is closed.")
        return state

    def _change(self, edit: Callable[[State], State]) -> State:
        with self._lock:
            self._held = edit(self._state)
            return self._held

    @property
    def name(self) -> str:
        """What it is called, also where it is delivered."""
        return self._state.project.name

    @name.setter
    def name(self, name: str) -> None:
        self._change(lambda s: asset_edits.rename_project(s, name))

    @property
    def folder(self) -> Path | None:
        """Where it is saved, None before the first time."""
        return self._storage.folder if self._storage is not None else None

    @property
    def variants(self) -> Variants:
        """Its variants by name, in their order."""
        return Variants(self)

    @property
    def parameters(self) -> dict[str, Parameter]:
        """The parameters of its recipe by name, in their order."""
        textures = {t.id: t.name for sheet in self._state.project.sheets for t in sheet.textures}
        return {
            p.name: Parameter(
                p.id, p.name, p.type.value, p.default, p.low, p.high, p.unit,
                tuple(textures.get(choice, choice) for choice in p.choices), p.group,
            )
            for p in self._state.project.parameters
        }  # fmt: skip

    @property
    def regions(self) -> dict[str, Region]:
        """The regions of all divisions and sheets by name; of two that have one name the first."""
        found: dict[str, Region] = {}
        for sheet in self._state.sheets():
            known, first = shares(dict(sheet.coverages), sheet.used), sheet.sheet is sheet.project.sheets[0]
            number = 0
            for division in sheet.project.regions.divisions:
                for region in division.regions:
                    number += 1
                    share = known.get(region.id, 0.0)
                    made = Region(
                        region.id, region.name, division.name, sheet.sheet.name, number if first else 0, share
                    )
                    found.setdefault(region.name, made)
        return found

    @property
    def steps(self) -> tuple[Step, ...]:
        """The steps of its recipe in order, sheet by sheet."""
        found = []
        for sheet in self._state.project.sheets:
            names = {r.id: r.name for r in sheet.regions.regions}
            for step in sheet.steps:
                regions = tuple(names[key] for key in step.named_regions() if key in names)
                found.append(Step(step.id, step.name, step.kind, sheet.name, step.enabled, regions))
        return tuple(found)

    def derive(self, parent: str | None, name: str, values: Mapping[str, Value] | None = None) -> Variant:
        """Add a variant that follows another one, or the defaults (None), but for the values that are given.

        Raises Error where the name is taken, or a value cannot be; the project is as it was then.
        """
        with self._lock:
            state = self._state
            if any(v.name.lower() == name.strip().lower() for v in state.project.variants):
                raise EvenPaletteError(f"Another variant is called '{name}'.")
            active = state.project.active_variant
            above = variant_named(state, parent).id if parent is not None else None
            state = edit.add_variant(state, name, above)
            fresh = state.project.active_variant
            for parameter, value in (values or {}).items():
                key = parameter_named(state, parameter).id
                state = edit.set_value(state, fresh, key, stored_value(state, key, value))
            self._held = edit.activate(state, active if active is not None else fresh)
            assert fresh is not None
            return Variant(self, fresh)

    def follow(self, parameter: str, collection: str | Path, shared: str, variant: str | None = None) -> None:
        """Let a parameter, in a variant or as its default (None), have a shared value of a collection's file, and
        follow it. What the project has is in the project: it opens and is delivered without the collection."""
        path = Path(collection)
        held = CollectionFile(path).read().shared_value(shared)

        def edit_it(state: State) -> State:
            key = variant_named(state, variant).id if variant is not None else None
            return shared_edits.follow(state, parameter_named(state, parameter).id, key, path, held)

        self._change(edit_it)

    def part(self, parameter: str, variant: str | None = None) -> None:
        """Let a value follow nothing any more; it stays as it is."""

        def edit_it(state: State) -> State:
            key = variant_named(state, variant).id if variant is not None else None
            return shared_edits.part(state, parameter_named(state, parameter).id, key)

        self._change(edit_it)

    def take_shared(self) -> int:
        """Take what shared values have become since; returns how many changed. What was set otherwise here stays."""
        state = self._state
        changes = [change for change in shared_edits.changes_of(state, lambda _: True) if change.changes]
        self._change(lambda s: shared_edits.take(s, changes))
        return len(changes)

    def roll(
        self, count: int, seed: int = 1, apart: float = 0.0, parent: str | None = None, name: str = "Roll",
        spread: float = 0.5, free: Iterable[str] | None = None, mix: bool = False, limits: Iterable[str] = (),
    ) -> list[Variant]:  # fmt: skip
        """Add variants by chance; equal seeds give equal ones.

        count: 1 to 100. apart: units of CIEDE2000 over the whole surface that each is to be away from every other,
        where that can be. parent: derived from it. spread: how far values go, 0..1 of their ranges. free: names of the
        parameters that may change, None is all of them. mix: take each value from one of the variants that are there.
        limits: what values keep to besides the project's own limits, a text for each parameter:
        `Paper tint: lightness=0.4..0.8 chroma=0..0.2 hue=20..80 avoid=#c03020 apart=20 contrast=Frame:15`.
        """
        with self._lock:
            state = self._state
            names = free if free is not None else [p.id for p in state.project.parameters]
            chance = Chance(
                RollWay.MIX if mix else RollWay.VARY, min(max(spread, 0.0), 1.0),
                frozenset(parameter_named(state, one).id for one in names),
                {limit.parameter: limit for limit in (limit_of_text(state, text) for text in limits)},
            )  # fmt: skip
            base = variant_named(state, parent).id if parent is not None else None
            rolled = rolling.roll_variants(state, count, chance, seed, base=base, least=apart, name=name)
            self._held = rolled.state
            return [Variant(self, key) for key in rolled.variants]

    def between(self, first: str, second: str, count: int) -> list[Variant]:
        """Add variants in equal steps between two, behind the first: colors on a straight line in OKLab, numbers
        plainly, choices by the half. count: 1 to 32."""
        with self._lock:
            state = self._state
            ids = variant_named(state, first).id, variant_named(state, second).id
            made = many_values.fill_between(state, *ids, count)
            self._held = made.with_project(active_variant=state.project.active_variant)
            known = {v.id for v in state.project.variants}
            return [Variant(self, v.id) for v in made.project.variants if v.id not in known]

    def compare(self, vision: str = "normal", size: int = USUAL_SIZE, night: bool = False) -> list[Pair]:
        """How far all variants are apart, the nearest first.

        vision: whose eyes look on: normal, protanomaly, deuteranomaly, tritanomaly or gray, with a strength of 0 to 1
        behind a colon. size: pixels a side that the game shows it at. night: in a faint light, with what glows.
        """
        state = self._state
        names = {v.id: v.name for v in state.project.variants}
        regions = {r.id: r.name for sheet in state.project.sheets for r in sheet.regions.regions}
        pairs = compared(state, vision_named(vision), size, night=night)
        return [Pair(names[p.first], names[p.second], p.whole, regions.get(p.region, "")) for p in pairs]

    def take_review(self, text: str) -> int:
        """Put marks and notes of a text, as the page of a kit copies it, onto the variants of those names; returns how
        many there are. Raises Error for text that is no review."""
        taken: list[int] = []

        def take(state: State) -> State:
            made, count, _ = marks.take_marks(state, text)
            taken.append(count)
            return made

        self._change(take)
        return taken[-1]

    def render(
        self, variant: str | None, attribute: str = BASE_COLOR, size: int | None = None, copy: int = 0,
        seconds: float = 0.0, sheet: str = "",
    ) -> NDArray[np.float32]:  # fmt: skip
        """An attribute of the surface as a game would compute it, float32 (height, width, channels).

        base_color and emissive: linear, Rec. 709 primaries, not clamped. normal: unit vectors, x right, y up, z out.
        The others: 0..1. variant: its name, None for the defaults. size: longest side in texels, None is the textures'
        own; smaller ones are averaged as a mip chain would. copy: the number of the placed copy, for what is picked by
        it. seconds: time, for what moves.
        """
        state = self._state
        state = state.on(sheet_named(state, sheet).id)
        key = attribute_named(attribute).key
        steps = state.bound_steps(
            variant_named(state, variant).id if variant is not None else None, Moment(copy, seconds)
        )
        how = delivered_size(state, size or 0)
        raster = evaluate_surface(steps, state.working, (key,), size=how, float_output=True)[key]
        return _vectors(raster.pixels) if key == "normal" else raster.pixels

    def picture(
        self, variant: str | None, size: int = 256, yaw: float | None = None, pitch: float | None = None
    ) -> NDArray[np.uint8]:
        """The asset in soft light, uint8 RGBA (size, size, 4), sRGB, alpha not multiplied in. variant: its name, None
        for the defaults. yaw, pitch: degrees that it is looked at from, None as the window begins."""
        state = self._state
        key = variant_named(state, variant).id if variant is not None else None
        return Sitting(state, size, yaw, pitch).picture(state.values(key))

    def deliver(
        self, folder: str | Path, layout: str | Path | None = None, targets: Sequence[str] | None = None,
        variants: Sequence[str] | None = None, executor: str | None = None, size: int = 0,
        maps: Sequence[str] = (BASE_COLOR,), clean: bool = False,
    ) -> Delivery:  # fmt: skip
        """Write a delivery into a folder, as `evenpalette export` does; all files take their places together.

        layout: a file, or the name of a layout that ships, that is kept for all projects, or that the project has.
        targets: forms of delivery ('images', 'kit', 'preview', 'gltf', 'usd', 'materialx'); without any those that are
        usual, or none where there is a layout. variants: names, None is all. executor: None is here, with all threads;
        'local:N' in so many processes; 'dask:ADDRESS' on a cluster. size: longest side, 0 is the textures' own. maps:
        attributes of the images. clean: what a former delivery wrote and this one does not is removed.
        """
        state = self._state
        files = layout_named(state, str(layout)) if layout is not None else None
        keys = tuple(attribute_named(name).key for name in maps)
        out = Path(folder)
        if executor is None:
            chosen = variant_ids(state, variants) if variants is not None else None
            report = deliver(
                state, out, variants=chosen, longest=size, maps=keys, targets=tuple(targets or ()), layout=files, clean=clean
            )  # fmt: skip
            return Delivery(
                out, tuple(report.files), len(report.files) - report.unchanged, tuple(report.left), tuple(report.notes)
            )
        if clean:
            raise EvenPaletteError("Files are cleaned away by a delivery here, without an executor.")
        wish = Wish.of(
            targets=tuple(targets or ()), layout=files, maps=keys, size=size,
            variants=tuple(variants) if variants is not None else None,
        )  # fmt: skip
        with temp_folder("script") as place:
            frozen = place / "project"
            Storage(frozen).save(state)
            running = executor_named(executor)
            try:
                (made,) = deliver_all([Asset(self.name, frozen, out)], wish, running)
            finally:
                running.close()
        if made.status == FAILED:
            raise EvenPaletteError(made.error)
        paths = tuple(out / name for name in made.names)
        return Delivery(out, paths, made.written, tuple(made.left), tuple(made.notes))

    def kit_planes(self, sheet: str = "") -> list[list[str]]:
        """The planes of data of a sheet's kit, the first sheet's where none is named, by the texture that they share:
        names of regions, or a texture's with its channels. Only those that can be moved."""
        on = self._state.on(sheet_named(self._state, sheet).id)
        return [[one.name for one in share.held] for share in kit_packing.kit_shares(on)]

    def put_plane(self, plane: str, beside: str | None = None, sheet: str = "") -> None:
        """Have a plane of the kit in the texture where another one lies, or in one of its own. Where there is no room
        the two change places. Raises EvenPaletteError where that cannot be."""

        def edit_it(on: State) -> State:
            there = kit_packing.plane_named(on, beside) if beside is not None else ""
            return kit_packing.plane_moved(on, kit_packing.plane_named(on, plane), there)

        self._change_on(sheet, edit_it)

    def pack_kit(self, sheet: str = "") -> None:
        """Have the planes of the kit in as few textures as can be, whatever was put together by hand."""
        self._change_on(sheet, kit_packing.packed_by_itself)

    def _change_on(self, sheet: str, edit: Callable[[State], State]) -> None:
        """Change a sheet, and stay on the one that is active."""
        self._change(lambda state: edit(state.on(sheet_named(state, sheet).id)).on(state.sheet.id))

    def check(self) -> list[Finding]:
        """Everything that is wrong or doubtful, as the window says it, but for what somebody chose to leave."""
        state = self._state
        return [
            Finding(f.code, FINDINGS[f.code].weight.name.lower(), f.station, f.text, f.region, f.place)
            for f in find_all(state, may_read=inside(self.folder))
        ]

    def save(self, folder: str | Path | None = None) -> Path:
        """Save it, where it was opened or into another folder, whole or not at all; returns the folder.

        Raises Error where a window has the project open, or another program saved it meanwhile.
        """
        with self._lock:
            state = self._state
            if folder is not None and (self._storage is None or Path(folder) != self._storage.folder):
                place = project_folder(folder)
                if (place / "project.json").exists():
                    raise ProjectError(f"{place} holds a project already. Save into another folder, or open that one.")
                storage = Storage(place)
            elif self._storage is not None:
                storage = self._storage
                check_free(storage.folder)
            else:
                raise ProjectError("This project has no folder yet: name one.")
            storage.save(state)
            self._storage = storage
            return storage.folder

    def close(self) -> None:
        """Let its memory go; what was not saved is lost."""
        with self._lock:
            self._held = None

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def __repr__(self) -> str:
        return f"<Project {self.name!r}>" if self._held is not None else "<Project, closed>"


def open(path: str | Path) -> Project:
    """Open a project by its folder, or its project.json. Raises Error that says what is wrong with it."""
    take_own()
    storage = Storage(project_folder(path))
    return Project(storage.open(), storage)


def new(
    folder: str | Path, mesh: str | Path, textures: Mapping[str | Path, str | None] | None = None, regions: str = "",
    fit: bool = False, tile: str = "", layout: str | Path | None = None,
) -> Project:  # fmt: skip
    """Make a project of a mesh and save it into a folder that has nothing in it.

    textures: files with what each holds, in the window's words in lower case with '-' for spaces ('painted-color',
    'normal', 'id-map' ...), None to have it guessed; those that the mesh brings come along by themselves. regions:
    'material', 'shell', 'island', 'vertex-color', 'id:FILE', 'channels:FILE' or ''. fit: make a tone of the painted
    color. tile: the UV tile to work on. layout: by which packed textures are taken apart. Raises Error.
    """
    place = Path(folder)
    check_new(place)
    take_own()
    brought = [
        TextureFile(Path(path), role_named(role) if role is not None else None)
        for path, role in (textures or {}).items()
    ]
    files = layout_named(None, str(layout)) if layout is not None else None
    state = create_project(Path(mesh), brought, regions, fit=fit, name=place.name[:80], tile=tile, layout=files)
    storage = Storage(place)
    storage.save(state)
    return Project(state, storage)


def _vectors(pixels: NDArray[np.float32]) -> NDArray[np.float32]:
    """Unit vectors of slopes; of vectors, those again."""
    if pixels.shape[2] == 3:
        return pixels
    made = np.concatenate([pixels, np.ones_like(pixels[..., :1])], 2)
    return np.ascontiguousarray(made / np.linalg.norm(made, axis=2, keepdims=True), np.float32)
