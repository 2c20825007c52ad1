"""Recipe: the steps as cards from left to right, each showing the asset after it; the selected one opens."""

from pathlib import Path

from PyQt6.QtCore import QSize, Qt, QTimer
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QMenu,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from evenpalette.app.facets import ACTIVE, ASSET, CROWD, DELIVERY, NAME, RECIPE, REGIONS, REVIEW, VALUES, VARIANTS
from evenpalette.app.plain import entry
from evenpalette.app.reach_line import ReachLine
from evenpalette.app.session import Session
from evenpalette.app.station import Station
from evenpalette.app.stations.recipe.card_parts import Arrow, CardPicture
from evenpalette.app.stations.recipe.card_pictures import START, CardPictures
from evenpalette.app.stations.recipe.counts import Counts
from evenpalette.app.stations.recipe.desk import RecipeDesk
from evenpalette.app.stations.recipe.step_cards import CARD_WIDTH, OpenCard, StepCard
from evenpalette.app.stations.recipe.step_drag import StepDrag
from evenpalette.app.stations.recipe.step_picker import StepPicker
from evenpalette.app.stations.recipe.step_texts import StepTexts
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import button, choice, clear, label, row, tool
from evenpalette.app.widgets.popup import show_above
from evenpalette.app.widgets.when_shown import WhenShown
from evenpalette.core.document.project import OpacityUse, Role
from evenpalette.core.document.state import State
from evenpalette.core.edits import recipe as edit
from evenpalette.core.edits.bakes import gather_glow
from evenpalette.core.edits.glow_light import GATHERED_STEP, lamps_of
from evenpalette.core.recipe.attributes import OPACITY
from evenpalette.core.recipe.recipe import TONE
from evenpalette.core.recipe.steps import KINDS, kind_of


class RecipeBench(QWidget):
    """The bench of the station Recipe."""

    def __init__(self, session: Session, views: TwinViews) -> None:
        super().__init__()
        self.session, self._views = session, views
        self.texts = StepTexts(session, self)
        self._desk = desk = RecipeDesk(session, views, self)
        desk.rebuild_wanted.connect(self.rebuild)
        desk.menu_wanted.connect(lambda place: self._step_menu().exec(place))
        desk.rename_wanted.connect(self.rename)
        desk.keyed.connect(self._on_key)
        self._counts = Counts(session)
        self._start = choice(
            tip="What the recipe starts from",
            taken=lambda value: session.apply("Start of the recipe", lambda s: edit.set_base(s, value)),
        )
        self._opacity = choice(
            "Alpha",
            (("cut out", OpacityUse.CUT_OUT), ("blended", OpacityUse.BLEND), ("kept, not shown", OpacityUse.OPAQUE)),
            tip="What the alpha of the texture that the recipe starts from is used for",
            taken=lambda value: session.apply("Use of alpha", lambda s: edit.set_opacity_use(s, value)),
        )
        self._opacity_label = label("alpha", "note")
        self._add = add = button(
            "Add step",
            self.choose_kind,
            icon="plus",
            tip="Add a step after the selected one, found by what it does (Ins)",
        )
        self._tools = {
            "left": tool("arrow-left", "Move the step left (Ctrl+Left)", lambda: self._move(-1)),
            "right": tool("arrow-right", "Move the step right (Ctrl+Right)", lambda: self._move(1)),
            "copy": tool("copy", "Duplicate the step", self._duplicate),
            "remove": tool("trash-2", "Remove the step (Del)", self._remove),
        }
        self.reach = ReachLine(session, views)
        header = row(
            label("Recipe", "heading"), self._counts, 8, self.reach, self._opacity_label, self._opacity, 8, label("starts from", "note"), self._start, 8, add, *self._tools.values(),
            spacing=6,
        )  # fmt: skip
        inside = header.layout()
        assert isinstance(inside, QHBoxLayout)
        inside.setStretchFactor(self.reach, 1)
        self._area = QScrollArea()
        self._area.setAccessibleName("Steps of the recipe")
        self._area.setWidgetResizable(True)
        self._area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._holder = QWidget()
        self._cards = QHBoxLayout(self._holder)
        self._cards.setContentsMargins(0, 0, 0, 0)
        self._cards.setSpacing(2)
        self._area.setWidget(self._holder)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 8, 16, 4)
        layout.setSpacing(6)
        layout.addWidget(header)
        layout.addWidget(self._area, 1)
        self._open: OpenCard | None = None
        self._shown_cards: list[StepCard | OpenCard] = []
        self._drag = StepDrag(session, views, self._area, lambda: self._shown_cards)
        self._pictures = CardPictures(session, views)
        self._shown = WhenShown(self, self.rebuild)
        session.changed.connect(self._on_change)
        session.selection.changed.connect(self._on_select)
        views.shown.copy_changed.connect(self._on_copy)
        self._shown_step: tuple[str | None, str | None] = (None, None)
        self.rebuild()

    def sizeHint(self) -> QSize:
        return QSize(900, 240)

    def choose_kind(self) -> None:
        """Ask for a kind of step by what it does."""
        picker = StepPicker(self.add, self)
        show_above(picker, self._add)
        picker.field.setFocus()

    def add(self, kind: str) -> None:
        """Add a step. Paint comes after the selected step, limited to the selected region; dirt, wear and shade come
        over all paint, in this order, on the whole surface, or the next tint would eat them."""
        session = self.session
        steps = [s.id for s in session.state.project.recipe.steps]
        if kind_of(kind).over_paint:
            regions = None
            at = edit.place_over_paint(session.state.project.recipe, kind)
        else:
            regions = (session.selection.region,) if session.selection.region else None
            at = steps.index(session.selection.step) + 1 if session.selection.step in steps else len(steps)
        before = set(steps)
        gathers = kind == GATHERED_STEP and bool(lamps_of(session.state))

        def added(state: State) -> State:
            # Gathered light comes with the bakes of what glows now, and follows its colors.
            return gather_glow(state) if gathers else edit.add_step(state, kind, regions, at)

        if session.apply(f"Add {kind_of(kind).label}", added):
            new = [s.id for s in session.state.project.recipe.steps if s.id not in before]
            session.selection.select_step(new[0])

    def _on_change(self, facets: frozenset[str]) -> None:
        if not facets - {NAME, DELIVERY}:
            return
        if not self.isVisible() or facets & {RECIPE, REGIONS, ASSET, VARIANTS}:
            self._end_alone()
            self._shown.ask()
            return
        if facets & {VALUES, ACTIVE}:
            for card in self._shown_cards:
                card.refresh()
        if self.isVisible() and facets - {CROWD, REVIEW}:
            self._pictures.draw(values_only=facets <= {VALUES, ACTIVE, CROWD, REVIEW, NAME, DELIVERY})

    def _on_copy(self) -> None:
        if not self.isVisible():
            self._shown.ask()
            return
        for card in self._shown_cards:
            card.refresh()
        self._request_pictures()

    def _on_select(self) -> None:
        if (self.session.selection.step, self.session.selection.row) != self._shown_step:
            self._shown.ask()

    def _parameter(self) -> str | None:
        """The parameter that the selected row follows first, or its step."""
        step = self.session.state.project.recipe.step(self.session.selection.step or "")
        if step is None or step.kind not in KINDS:
            return None
        row_ = step.row(self.session.selection.row) or next(iter(step.rows), None)
        keys = [made.key for made in kind_of(step.kind).all_inputs]
        found = [step.binding(row_, key) for key in keys] if row_ is not None else []
        return next((b.parameter for b in found if b is not None and b.parameter), None)

    def rebuild(self) -> None:
        """Lay the cards anew."""
        focused = self._holder.isAncestorOf(self.focusWidget()) if self.focusWidget() else False
        recipe = self.session.state.project.recipe
        self._fill_start()
        clear(self._cards)
        self._pictures.clear()
        self._open, self._shown_cards = None, []
        self._shown_step = self.session.selection.step, self.session.selection.row
        self.reach.look_at(self._parameter())
        self._cards.addWidget(self._start_card())
        for index, step in enumerate(recipe.steps):
            self._cards.addWidget(Arrow())
            card: StepCard | OpenCard
            if step.id == self.session.selection.step:
                card = self._open = OpenCard(self._desk, step, index)
            else:
                card = StepCard(self._desk, step, index)
            self._cards.addWidget(card)
            self._drag.watch(card)
            self._shown_cards.append(card)
            self._pictures.add(index + 1, step.id, card.picture)
        if not recipe.steps:
            hint = label(
                "Add a step: a Tint multiplies the tone by a color, row by row. Making a tone adds one with a row for every region.",
                "note",
            )
            self._cards.addSpacing(16)
            self._cards.addWidget(hint)
        self._cards.addStretch(1)
        self._counts.follow()
        for widget in self._tools.values():
            widget.setEnabled(self.session.selection.step is not None)
        self._end_alone()
        self._request_pictures()
        if self._open is not None:
            card = self._open
            self._holder.adjustSize()
            if focused:
                card.setFocus()
            QTimer.singleShot(0, lambda: self._reveal(card))

    def _reveal(self, card: OpenCard) -> None:
        if card is self._open:
            # Cards that were laid anew have their places only after the layout has run.
            self._cards.activate()
            self._holder.adjustSize()
            self._area.ensureWidgetVisible(card, 20, 0)
            bar = self._area.horizontalScrollBar()
            if bar is not None and bar.value() > card.x():
                # Wider than the bench: its picture and rows come first.
                bar.setValue(card.x())

    def _start_card(self) -> QFrame:
        frame = QFrame()
        frame.setObjectName("card")
        frame.setFixedWidth(CARD_WIDTH)
        layout = QVBoxLayout(frame)
        layout.setContentsMargins(8, 8, 8, 6)
        layout.setSpacing(3)
        picture = CardPicture()
        layout.addWidget(picture)
        layout.addWidget(label(self._start.currentText()))
        layout.addWidget(self._start_note())
        layout.addStretch(1)
        self._pictures.add(0, START, picture)
        return frame

    def _start_note(self) -> QLabel:
        """What is said of the start: how its tone was made, or what stands for one that is not made yet."""
        state, tone = self.session.state, self.session.state.project.tone
        if state.project.recipe.base != TONE:
            return label("the start", "note")
        if state.tone is not None:
            return label(f"the start, {'fitted' if tone.method == 'fit' else tone.method}", "note")
        said = label("the start, as painted" if tone.painted else "the start, plain gray", "note")
        said.setToolTip("There is no tone yet: it is made at Tones")
        return said

    def _fill_start(self) -> None:
        state = self.session.state
        self._start.clear()
        self._start.addItem("Tone", TONE)
        for texture in state.project.asset.with_role(Role.PAINTED, Role.COLOR):
            self._start.addItem(texture.name, texture.id)
        self._start.setCurrentIndex(max(0, self._start.findData(state.project.recipe.base)))
        has_alpha = OPACITY in state.attributes
        self._opacity.setVisible(has_alpha)
        self._opacity_label.setVisible(has_alpha)
        self._counts.shorten(has_alpha)
        self._opacity.setCurrentIndex(max(0, self._opacity.findData(state.sheet.opacity)))

    def _end_alone(self) -> None:
        """The step that is seen alone may be gone."""
        if self._desk.alone not in [s.id for s in self.session.state.project.recipe.steps]:
            self._desk.alone = None
        self._show_limit()

    def _show_limit(self) -> None:
        steps = [s.id for s in self.session.state.project.recipe.steps]
        if self._desk.alone in steps:
            self._views.shown.show_steps(steps.index(self._desk.alone) + 1, True)
        elif self._views.shown.step_limit is not None:
            self._views.shown.show_steps(None, False)

    def _request_pictures(self) -> None:
        if self.isVisible():
            self._pictures.draw()

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        self._request_pictures()

    # --- what can be done to the selected step ---------------------------------------------------------------------

    def _step_menu(self) -> QMenu:
        """What can be done to the selected step."""
        menu = QMenu(self)
        menu.addAction("Rename\tF2", self.rename)
        menu.addAction("Move left\tCtrl+Left", lambda: self._move(-1))
        menu.addAction("Move right\tCtrl+Right", lambda: self._move(1))
        menu.addAction("Before and after\tB", self._views.shown.toggle_before)
        menu.addAction("Duplicate", self._duplicate)
        menu.addAction("Copy as text\tCtrl+C", self.texts.copy_text)
        menu.addAction("Paste steps\tCtrl+V", self.texts.paste_text)
        menu.addSeparator()
        step = self.session.state.project.recipe.step(self.session.selection.step or "")
        if step is not None and step.link is not None:
            name = Path(step.link.path).name
            menu.addAction(entry(f"Take the changes of {name}"), self.texts.take)
            menu.addAction(entry(f"Detach from {name}"), self.texts.detach)
        else:
            menu.addAction("Save as a linked file ...", self.texts.ask_save_linked)
        menu.addAction("Link steps from a file ...", self.texts.ask_link)
        menu.addSeparator()
        menu.addAction("Join with neighbors of its kind", self._join)
        menu.addAction("Remove\tDel", self._remove)
        return menu

    def _on_key(self, event: QKeyEvent) -> None:
        """Keys of the row of cards."""
        steps = [s.id for s in self.session.state.project.recipe.steps]
        if self.session.selection.step not in steps:
            return
        index = steps.index(self.session.selection.step)
        control = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        offset = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()), 0)
        if self._drag.is_on and event.key() == Qt.Key.Key_Escape:
            self._drag.give_up()
        elif offset and control:
            self._move(offset)
        elif offset:
            self.session.selection.select_step(steps[min(max(index + offset, 0), len(steps) - 1)])
            if self._open:
                self._open.setFocus()
        elif event.matches(QKeySequence.StandardKey.Copy):
            self.texts.copy_text()
        elif event.matches(QKeySequence.StandardKey.Paste):
            self.texts.paste_text()
        elif event.key() == Qt.Key.Key_Delete:
            self._remove()
        elif event.key() == Qt.Key.Key_F2:
            self.rename()
        elif event.key() == Qt.Key.Key_B:
            self._views.shown.toggle_before()
        elif event.key() == Qt.Key.Key_Insert:
            self.choose_kind()
        else:
            return
        event.accept()

    def rename(self) -> None:
        """Ask for another name of the selected step."""
        step_id = self.session.selection.step
        if step_id is None:
            return
        step = edit.step_of(self.session.state.project.recipe, step_id)
        name, done = QInputDialog.getText(self, "Rename step", "Name of the step", text=step.name)
        if done and name.strip() and name != step.name:
            self.session.apply(f"Rename step to {name}", lambda s: edit.update_step(s, step_id, name=name.strip()))

    def _move(self, offset: int) -> None:
        if step := self.session.selection.step:
            steps = [s.id for s in self.session.state.project.recipe.steps]
            self.session.apply("Move step", lambda s: edit.move_step(s, step, steps.index(step) + offset))

    def _duplicate(self) -> None:
        if step := self.session.selection.step:
            self.session.apply("Duplicate step", lambda s: edit.duplicate_step(s, step))

    def _join(self) -> None:
        if step := self.session.selection.step:
            self.session.apply("Join steps", lambda s: edit.join_neighbors(s, step))

    def _remove(self) -> None:
        if step := self.session.selection.step:
            self.session.apply("Remove step", lambda s: edit.remove_step(s, step))


STATION = Station(lambda room: RecipeBench(room.session, room.views))
