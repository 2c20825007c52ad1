"""What Form and Flat show: the stage of each, how far the recipe goes, what is compared, the copy and the time."""

from collections.abc import Mapping
from dataclasses import replace

from PyQt6.QtCore import QObject, pyqtSignal

from evenpalette.app.facets import ACTIVE, ASSET, EVERYTHING, RECIPE, REGIONS, VALUES, VARIANTS
from evenpalette.app.session import Session
from evenpalette.app.views.headers import BEFORE, DEFAULTS, NOTHING, PAINTED, TEXTURE, ViewHeaders
from evenpalette.app.views.light_popup import LightPopup
from evenpalette.app.views.stages import Stages, StationLook
from evenpalette.app.widgets.popup import show_above
from evenpalette.core.color.vision import VISIONS, Vision
from evenpalette.core.document.variant import DEFAULTS_NAME
from evenpalette.core.edits.variants import find_variant
from evenpalette.core.light.lamps import Light
from evenpalette.core.raster.raster import Raster
from evenpalette.core.recipe.moving import is_moving
from evenpalette.gpu.look import Look, Show

#: Before the key of a picture that is held beside the document.
BESIDE = "beside:"
#: Stages that show regions already, so that none are laid over.
_OF_REGIONS = (Show.ID, Show.COVERAGE, Show.DIFFERENCE)


class Shown(QObject):
    """The headers' choices and what the stations ask for, as looks to draw."""

    #: Something else is to be drawn.
    changed = pyqtSignal()

    #: Another copy is shown, or others look on.
    copy_changed = pyqtSignal()
    eyes_changed = pyqtSignal()

    def __init__(self, session: Session, headers: ViewHeaders, looks: Mapping[str, StationLook]) -> None:
        super().__init__(session)
        self._session, self._headers = session, headers
        self.wipe = 0.5
        self._extras: dict[str, str] = {}
        #: What the headers were filled for last.
        self._given: tuple[object, object, bool, dict[str, str]] = None, None, False, {}
        self._laid_out = True
        self.light = Light()
        self._before: tuple[Show | str, ...] = ()
        #: What lies right and left of the wipe's line; the active variant where nothing is said of the left.
        self.against = self.first = NOTHING
        #: Pictures from elsewhere that can be compared with: name and pixels, by key.
        self.beside: dict[str, tuple[str, Raster]] = {}
        self.focus_region = -1
        self.step_limit: int | None = None
        self._alone = False
        #: The moment, and what the active variant turns into: (id, how far); '' for nothing.
        self.seconds, self.into, self.turned = 0.0, "", 0.0
        self.eyes = Vision()
        self._stages, self._station = Stages(looks), session.station
        headers.light.clicked.connect(self._ask_light)
        headers.copy.valueChanged.connect(lambda _: self.copy_changed.emit())
        headers.against_box.activated.connect(lambda _: self.set_against(str(headers.against_box.currentData())))
        headers.show_overlay(self.overlays)
        self.copy_changed.connect(self.changed)
        self._fill_against()
        self._fill_headers()
        session.station_changed.connect(self._on_station)
        session.changed.connect(self._on_change)

    @property
    def copy(self) -> int:
        """Number of the copy that is shown."""
        return int(self._headers.copy.value())

    @property
    def overlays(self) -> bool:
        """Whether regions are laid over: while they are made."""
        return self._stages.look(self._station).lays_regions

    def form(self) -> list[tuple[Look, float]]:
        """What Form shows from the left on, each look up to a share of the width."""
        return self._looks(self._headers.form_stage.currentData(), lit=self._headers.lit.isChecked())

    def flat(self) -> list[tuple[Look, float]]:
        """What Flat shows from the left on."""
        return self._looks(self._headers.flat_stage.currentData(), lit=False)

    @property
    def has_lines(self) -> bool:
        """Whether the UV layout lies over Flat: not over a picture that is laid out otherwise."""
        is_extra = str(self._headers.flat_stage.currentData()).removeprefix("texture:") in self._extras
        return self._headers.lines.isChecked() and (self._laid_out or not is_extra)

    @property
    def compared(self) -> tuple[str, str] | None:
        """The names on both sides of the wipe, None without one."""
        if not self.against:
            return None
        state = self._session.state
        if self.against == BEFORE:
            place = self._step_place()
            step = state.project.recipe.steps[place] if place is not None else None
            return (f"After {step.name}", f"Before {step.name}") if step is not None else None
        return self._name(self.first or state.project.active_variant or DEFAULTS), self._name(self.against)

    def _name(self, key: str) -> str:
        """What lies on a side of the line, in words."""
        known = {PAINTED: "Painted original", DEFAULTS: DEFAULTS_NAME}
        known |= {BESIDE + held: name for held, (name, _) in self.beside.items()}
        variant = find_variant(self._session.state, key)
        return variant.name if variant is not None else known.get(key, "")

    def _look(self, stage: Show | str, *, lit: bool) -> Look:
        """What a view shows of the active variant: a stage, or an attribute by its key."""
        state = self._session.state
        ids = state.region_ids
        region = ids.index(self._session.selection.region) if self._session.selection.region in ids else -1
        texture = stage.removeprefix(TEXTURE) if isinstance(stage, str) and stage.startswith(TEXTURE) else ""
        attribute = stage if isinstance(stage, str) and not texture else ""
        show = (
            Show.PAINTED
            if texture
            else Show.ATTRIBUTE
            if attribute
            else stage
            if isinstance(stage, Show)
            else Show.RECIPE
        )
        overlay = float(self._headers.overlay.value()) / 100 if self.overlays and show not in _OF_REGIONS else 0.0
        return Look(
            show, state.project.active_variant, self.step_limit, self._alone, region, self.focus_region, lit,
            attribute, self.copy, self.seconds, overlay, texture, self.light, self.eyes, self.into, self.turned,
        )  # fmt: skip

    def _looks(self, stage: Show | str, *, lit: bool) -> list[tuple[Look, float]]:
        first = self._look(stage, lit=lit)
        if self.against == NOTHING:
            return [(first, 1.0)]
        if self.against == BEFORE:
            place = self._step_place()
            if place is None:
                return [(first, 1.0)]
            shown = replace(first, steps=place + 1, alone=False)
            return [(shown, self.wipe), (replace(shown, steps=place), 1.0)]
        return [(self._beside(first, self.first), self.wipe), (self._beside(first, self.against), 1.0)]

    def _beside(self, look: Look, key: str) -> Look:
        """What is shown of a side of the line."""
        if key == NOTHING:
            return look
        if key == PAINTED:
            return replace(look, show=Show.PAINTED, texture="")
        if key.startswith(BESIDE):
            return replace(look, show=Show.PAINTED, texture=key)
        return replace(look, variant=None if key == DEFAULTS else key, into="", turned=0.0)

    def _step_place(self) -> int | None:
        """Where the chosen step is in the recipe."""
        ids = [step.id for step in self._session.state.project.recipe.steps]
        return ids.index(self._session.selection.step) if self._session.selection.step in ids else None

    def _ask_light(self) -> None:
        popup = LightPopup(self.light, self.eyes, self._headers.light)
        popup.changed.connect(self.set_light)
        popup.eyes_changed.connect(self.set_eyes)
        show_above(popup, self._headers.light)

    def set_light(self, light: Light) -> None:
        """What Form is lit by from now on."""
        self.light = light
        self.changed.emit()

    def set_eyes(self, eyes: Vision) -> None:
        """Who looks on from now on: in both views, in small pictures, in the crowd."""
        self.eyes = eyes
        self._headers.say_eyes("" if eyes.is_normal else f"{VISIONS[eyes.kind]}, {eyes.strength:.0%}")
        self.eyes_changed.emit()
        self.changed.emit()

    def set_moment(self, seconds: float, into: str = "", turned: float = 0.0) -> None:
        """Show another moment, and how far the active variant has turned into another one."""
        if (seconds, into, turned) != (self.seconds, self.into, self.turned):
            self.seconds, self.into, self.turned = seconds, into, turned
            self.changed.emit()

    def offer_extras(self, names: dict[str, str], laid_out: bool = True) -> None:
        """Offer pictures that are no textures of the document as stages: what a look calls them, and in words.

        laid_out: whether they lie as the asset's UVs do.
        """
        self._extras, self._laid_out = names, laid_out
        self._fill_headers()
        self.changed.emit()

    def show_both(self, stage: Show | str | None) -> None:
        """Show a stage in Form and Flat for a while; None brings back what was shown before."""
        boxes = (self._headers.form_stage, self._headers.flat_stage)
        if stage is None:
            for box, before in zip(boxes, self._before, strict=False):
                box.setCurrentIndex(max(0, box.findData(before)))
            self._before = ()
            return
        self._before = self._before or tuple(box.currentData() for box in boxes)
        for box in boxes:
            box.setCurrentIndex(max(0, box.findData(stage)))

    def show_flat(self, stage: Show | str) -> None:
        """Show a stage in Flat."""
        box = self._headers.flat_stage
        box.setCurrentIndex(max(0, box.findData(stage)))

    # --- what stations ask for -----------------------------------------------------------------------------------

    def set_against(self, against: str) -> None:
        """Compare with 'painted', 'defaults', a variant's id, or nothing ('')."""
        self.against = against
        if not against:
            self.first = NOTHING
        self._headers.show_against(against)
        self.changed.emit()

    def set_first(self, first: str) -> None:
        """What lies left of the line: as for `set_against`; the active variant for nothing."""
        self.first = first
        self.changed.emit()

    def hold_beside(self, key: str, name: str, picture: Raster) -> None:
        """Have a picture from elsewhere, and compare with it."""
        self.beside = {**self.beside, key: (name, picture)}
        self._fill_against()
        self.set_against(BESIDE + key)

    def toggle_compare(self) -> None:
        """Compare with the painted original, or with nothing."""
        self.set_against(NOTHING if self.against else PAINTED)

    def toggle_before(self) -> None:
        """Compare what is there after the chosen step with what was before it, or with nothing."""
        self.set_against(NOTHING if self.against == BEFORE else BEFORE)

    def set_wipe(self, share: float) -> None:
        """Move the line between what is compared."""
        self.wipe = min(0.98, max(0.02, share))
        self.changed.emit()

    def show_steps(self, limit: int | None, alone: bool) -> None:
        """Show the asset after so many steps (None is all), or only the last of them."""
        self.step_limit, self._alone = limit, alone
        self.changed.emit()

    def set_focus_region(self, index: int) -> None:
        """Dim all but one region; -1 is none."""
        if index != self.focus_region:
            self.focus_region = index
            self.changed.emit()

    def next_stage(self, *, form: bool) -> None:
        """Show the next stage on Form or Flat."""
        box = self._headers.form_stage if form else self._headers.flat_stage
        following = [i for i in range(box.count()) if box.itemData(i) is not None]
        place = following.index(box.currentIndex()) if box.currentIndex() in following else -1
        box.setCurrentIndex(following[(place + 1) % len(following)])

    # --- what changes it -----------------------------------------------------------------------------------------

    def _on_station(self, station: str) -> None:
        """Show what the station's work needs, or what was chosen there before."""
        boxes = self._headers.form_stage, self._headers.flat_stage
        self._stages.keep(self._station, boxes[0].currentData(), boxes[1].currentData())
        self._station = station
        for box, stage in zip(boxes, self._stages.of(station, self._session.state), strict=True):
            box.setCurrentIndex(max(0, box.findData(stage)))
        self._headers.show_overlay(self.overlays)
        if not self._stages.look(station).limits_steps and self.step_limit is not None:
            self.step_limit, self._alone = None, False
        self.changed.emit()

    def _on_change(self, facets: frozenset[str]) -> None:
        if facets >= EVERYTHING:
            self.against = self.first = NOTHING
            self.beside = {}
            self.step_limit, self._alone = None, False
            self._stages.forget()
        if facets & {VARIANTS, ASSET, ACTIVE}:
            self._fill_against()
        if facets & {RECIPE, ASSET, REGIONS, VALUES}:
            self._fill_headers()
        self.changed.emit()

    def _fill_headers(self) -> None:
        """Offer the attributes, the copy and the clock that the recipe gives a reason for."""
        state, headers = self._session.state, self._headers
        given = state.sheet, state.project.parameters, bool(state.project.variants), dict(self._extras)
        if all(a is b for a, b in zip(given[:2], self._given[:2], strict=True)) and given[2:] == self._given[2:]:
            return
        self._given = given
        bindings = [b for step in state.project.recipe.steps for b in step.bindings]
        copies = any(binding.pick is not None for binding in bindings)
        moves = len(state.project.variants) > 0 or is_moving(state.project.recipe)
        textures = [(texture.id, texture.name) for texture in state.project.asset.textures]
        headers.fill_stages(state.attributes, [*textures, *self._extras.items()])
        headers.show_moment(copies=copies, moves=moves)
        if not copies:
            headers.copy.setValue(0)
        if not moves:
            headers.clock.setChecked(False)

    def _fill_against(self) -> None:
        """Offer what there is to compare with; what is gone is not compared with any more."""
        pictures = [(name, BESIDE + key) for key, (name, _) in self.beside.items()]
        if not self._headers.fill_against(self._session.state.project.variants, pictures, self.against):
            self.against = NOTHING
        ids = {v.id for v in self._session.state.project.variants}
        if self.first not in (NOTHING, PAINTED, DEFAULTS, *(key for _, key in pictures), *ids):
            self.first = NOTHING
