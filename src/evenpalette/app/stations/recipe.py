"""Recipe: the steps as cards from left to right, each showing the asset after it; the selected one opens."""

from collections.abc import Callable

from PyQt6.QtCore import QPoint, QSize, Qt, QTimer
from PyQt6.QtGui import QAction, QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPixmap
from PyQt6.QtWidgets import (
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QMenu,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from evenpalette.app import theme
from evenpalette.app.session import Session
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import button, clear, label, row, tool
from evenpalette.app.widgets.color_field import ColorField
from evenpalette.app.widgets.parameter_dialog import edit_parameter
from evenpalette.app.widgets.switch import Switch
from evenpalette.app.widgets.value_slider import ValueSlider
from evenpalette.core.project.edits import recipe as edit
from evenpalette.core.project.edits.variants import find, reset_value, set_value
from evenpalette.core.project.model import Role
from evenpalette.core.recipe.binding import read_binding
from evenpalette.core.recipe.kind import AMOUNT, Input
from evenpalette.core.recipe.model import TONE, Binding, ChannelRef, Step
from evenpalette.core.recipe.parameters import Value, ValueType
from evenpalette.core.recipe.steps import KINDS, kind_of
from evenpalette.gpu.look import Look

PICTURE = (100, 76)
CARD_WIDTH = 118


def region_text(session: Session, step: Step) -> str:
    """'all regions' or the numbers."""
    if step.regions is None:
        return "all regions"
    numbers = [str(session.state.project.regions.number(r)) for r in step.regions]
    return ("region " if len(numbers) == 1 else "regions ") + " ".join(numbers) if numbers else "no region"


class Picture(QLabel):
    """A small picture of the asset."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(*PICTURE)
        blank = QPixmap(*PICTURE)
        blank.fill(QColor(theme.SURROUND))
        self.setPixmap(blank)

    def show_image(self, image: QImage) -> None:
        """Show a drawn picture."""
        self.setPixmap(QPixmap.fromImage(image))


class Arrow(QWidget):
    """A small arrow between cards."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedWidth(16)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        theme.icon("arrow-right", "#8d8d8d").paint(painter, 1, self.height() // 2 - 7, 14, 14)


class StepCard(QFrame):
    """A step that is not open: picture, name, regions, alone, on or off."""

    def __init__(self, bench: "RecipeBench", step: Step, index: int) -> None:
        super().__init__()
        self._bench, self.step_id, self._index = bench, step.id, index
        self.setObjectName("card")
        self.setFixedWidth(CARD_WIDTH)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"Step {index + 1}, {step.name}")
        self.setToolTip(f"{step.name}: {kind_of(step.kind).summary}" if step.kind in KINDS else step.name)
        self.picture = Picture()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 6)
        layout.setSpacing(3)
        layout.addWidget(self.picture)
        name = label(self.fontMetrics().elidedText(step.name, Qt.TextElideMode.ElideRight, CARD_WIDTH - 18))
        layout.addWidget(name)
        layout.addWidget(label(region_text(bench.session, step), "note"))
        layout.addStretch(1)
        layout.addWidget(bench.foot(step, index))
        self._pressed = QPoint()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._pressed = event.position().toPoint()
        self._bench.session.select_step(self.step_id)

    def contextMenuEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        self._bench.session.select_step(self.step_id)
        self._bench.step_menu().exec(event.globalPos())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if not self._bench.key(event):
            super().keyPressEvent(event)


class InputRow:
    """The editor of one input, and where its value comes from."""

    def __init__(self, bench: "RecipeBench", step: Step, input: Input) -> None:
        self.bench, self.step_id, self.input = bench, step.id, input
        self.name = label(input.label)
        self.name.setToolTip(input.description)
        self.editor = self._make_editor()
        self.editor.setToolTip(input.description)
        self.source = QPushButton()
        self.source.setObjectName("link")
        self.source.setCursor(Qt.CursorShape.PointingHandCursor)
        self.source.clicked.connect(self._menu)
        self.undo = tool("rotate-ccw", "Follow the parent again", self._reset)
        self.undo.setFixedSize(22, 22)
        keep = self.undo.sizePolicy()
        keep.setRetainSizeWhenHidden(True)
        self.undo.setSizePolicy(keep)
        self.refresh()

    @property
    def binding(self) -> Binding:
        """Where the value comes from now."""
        return edit.binding_of(edit.step_of(self.bench.session.state.project.recipe, self.step_id), self.input.key)

    def _make_editor(self) -> QWidget:
        if self.input.type is ValueType.COLOR:
            color = ColorField(self.bench.views.start_pick)
            color.edited.connect(self._set)
            color.finished.connect(self.bench.seal)
            return color
        if self.input.type is ValueType.NUMBER:
            slider = ValueSlider(self.input.low, self.input.high, self.input.unit)
            slider.edited.connect(self._set)
            slider.finished.connect(self.bench.seal)
            slider.reset.connect(self._reset)
            slider.setFixedWidth(206)
            return slider
        if self.input.type is ValueType.CHOICE:
            box = QComboBox()
            box.addItems(self.input.choices)
            box.activated.connect(lambda i: self._set(self.input.choices[i]))
            return box
        switch = Switch()
        switch.toggled.connect(self._set)
        return switch

    def refresh(self) -> None:
        """Show the value as it is now."""
        state = self.bench.session.state
        binding = self.binding
        value = read_binding(binding, self.input, state.values(state.project.active_variant))
        parameter = state.project.recipe.parameter(binding.parameter or "")
        if isinstance(self.editor, ColorField):
            self.editor.set_color(str(value))
        elif isinstance(self.editor, ValueSlider):
            if parameter is not None:
                self.editor.low, self.editor.high = parameter.low, parameter.high
            self.editor.set_value(float(value))
        elif isinstance(self.editor, QComboBox):
            self.editor.setCurrentIndex(self.input.choices.index(str(value)))
        elif isinstance(self.editor, Switch):
            self.editor.set_on(bool(value))
        if parameter is not None:
            users = len(state.project.recipe.users(parameter.id))
            text = parameter.name if users < 2 else f"{parameter.name} ({users})"
            self.source.setText(self.source.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, 132))
            shared = f", shared by {users} steps" if users > 1 else ""
            self.source.setToolTip(f"Parameter {parameter.name}{shared}. Click to rename, share or release it")
        else:
            self.source.setText("constant")
            self.source.setToolTip("The same in every variant. Click to make it a parameter")
        self.source.setStyleSheet("" if parameter else f"color: {theme.MUTED};")
        variant = find(state, state.project.active_variant)
        self.undo.setVisible(self._can_reset(parameter is not None, variant, binding, value))

    def _can_reset(self, is_parameter: bool, variant, binding: Binding, value: Value) -> bool:  # type: ignore[no-untyped-def]
        if is_parameter:
            self.undo.setToolTip("Follow the parent again")
            return variant is not None and binding.parameter in variant.values
        self.undo.setToolTip(f"Back to {self.input.default}")
        return value != self.input.default

    def _set(self, value: Value) -> None:
        session, binding = self.bench.session, self.binding
        variant = session.state.project.active_variant
        parameter = session.state.project.recipe.parameter(binding.parameter or "")
        shown = value if isinstance(value, str) else f"{value:g}"
        if parameter is not None:
            label_text = f"{parameter.name} to {shown}"
            session.apply(
                label_text, lambda s: set_value(s, variant, parameter.id, value), f"value {variant} {parameter.id}"
            )
        else:
            new = Binding(value=value)
            text = f"{self.input.label} to {shown}"
            session.apply(
                text,
                lambda s: edit.bind_input(s, self.step_id, self.input.key, new),
                f"{self.step_id} {self.input.key}",
            )

    def _reset(self) -> None:
        session, binding = self.bench.session, self.binding
        variant = session.state.project.active_variant
        if binding.parameter is None:
            new = Binding(value=self.input.default)
            session.apply(f"Reset {self.input.label}", lambda s: edit.bind_input(s, self.step_id, self.input.key, new))
        elif variant is not None:
            parameter = binding.parameter
            session.apply(f"Reset {self.input.label}", lambda s: reset_value(s, variant, parameter))

    def _menu(self) -> None:
        session, binding = self.bench.session, self.binding
        recipe = session.state.project.recipe
        menu = QMenu(self.source)
        parameter = recipe.parameter(binding.parameter or "")
        if parameter is not None:
            menu.addAction("Edit parameter ...", lambda: edit_parameter(session, parameter.id, self.bench))
            value = read_binding(binding, self.input, session.state.values(session.state.project.active_variant))
            menu.addAction(
                "Make it a constant",
                lambda: session.apply(
                    f"{self.input.label} is a constant",
                    lambda s: edit.release_input(s, self.step_id, self.input.key, value),
                ),
            )
        else:
            menu.addAction("Make it a parameter ...", self._name)
        fitting = [
            p for p in recipe.parameters
            if p.type is self.input.type and p.choices == self.input.choices and p.id != binding.parameter
        ]  # fmt: skip
        if fitting:
            share = menu.addMenu("Use the parameter")
            assert share is not None
            for p in fitting:
                share.addAction(p.name, lambda p=p: self._bind(p.id, p.name))  # type: ignore[misc]
        menu.exec(self.source.mapToGlobal(QPoint(0, self.source.height())))

    def _bind(self, parameter: str, name: str) -> None:
        new = Binding(parameter=parameter)
        self.bench.session.apply(
            f"{self.input.label} follows {name}", lambda s: edit.bind_input(s, self.step_id, self.input.key, new)
        )

    def _name(self) -> None:
        step = edit.step_of(self.bench.session.state.project.recipe, self.step_id)
        proposal = f"{step.name} {self.input.label.lower()}"
        name, done = QInputDialog.getText(self.bench, "New parameter", "Name of the parameter", text=proposal)
        if done and name.strip():
            self.bench.session.apply(
                f"New parameter {name}", lambda s: edit.name_input(s, self.step_id, self.input.key, name, step.name)
            )


class OpenCard(QFrame):
    """The selected step with all its inputs."""

    def __init__(self, bench: "RecipeBench", step: Step, index: int) -> None:
        super().__init__()
        self.bench, self.step_id = bench, step.id
        self.setObjectName("card")
        self.setProperty("selected", True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(f"Step {index + 1}, {step.name}, open")
        self.picture = Picture()
        kind = KINDS.get(step.kind)
        left = QVBoxLayout()
        left.setSpacing(3)
        left.addWidget(self.picture)
        name = button(step.name, bench.rename, "link", "Rename this step (F2)")
        name.setStyleSheet(f"color: {theme.INK}; font-weight: 600; padding: 2px 0;")
        name.setFixedWidth(PICTURE[0])
        left.addWidget(name)
        self.regions = button(
            region_text(bench.session, step), self._choose_regions, "link", "Choose the regions this step is limited to"
        )
        self.regions.setStyleSheet("padding: 1px 0;")
        left.addWidget(self.regions)
        left.addStretch(1)
        left.addWidget(bench.foot(step, index))
        layout = QHBoxLayout(self)
        layout.setContentsMargins(8, 8, 12, 6)
        layout.setSpacing(14)
        layout.addLayout(left)
        self.rows: list[InputRow] = []
        if kind is not None:
            layout.addLayout(self._grid(step, kind))

    def _grid(self, step: Step, kind) -> QGridLayout:  # type: ignore[no-untyped-def]
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(2)
        inputs = [*kind.inputs, AMOUNT]
        cells = len(inputs) + len(kind.channels)
        per_column = 6 if cells <= 6 else (cells + 1) // 2
        for index, input in enumerate(inputs):
            line, offset = index % per_column, index // per_column * 6
            made = InputRow(self.bench, step, input)
            self.rows.append(made)
            for column, widget in enumerate((made.name, made.editor, made.undo, made.source)):
                grid.addWidget(widget, line, offset + column)
            grid.setColumnMinimumWidth(offset + 3, 100)
            if offset:
                grid.setColumnMinimumWidth(offset - 1, 10)
        for extra, channel in enumerate(kind.channels):
            index = len(inputs) + extra
            line, offset = index % per_column, index // per_column * 6
            name = label(channel.label)
            name.setToolTip(channel.description)
            grid.addWidget(name, line, offset)
            grid.addWidget(self._channel_box(step, channel.key), line, offset + 1, 1, 3)
        grid.setRowStretch(per_column, 1)
        return grid

    def _channel_box(self, step: Step, key: str) -> QWidget:
        box = QComboBox()
        box.addItem("no texture", None)
        current = step.channels.get(key)
        for texture in self.bench.session.state.project.asset.textures:
            if texture.role in (Role.NORMAL,):
                continue
            raster = self.bench.session.state.textures.get(texture.id)
            channels = raster.channels if raster else 1
            for channel in range(1 if channels <= 2 else channels):
                suffix = "" if channels <= 2 else f", {('red', 'green', 'blue', 'alpha')[channel]}"
                for invert in (False, True):
                    ref = ChannelRef(texture=texture.id, channel=channel, invert=invert)
                    box.addItem(texture.name + suffix + (", inverted" if invert else ""), ref)
                    if ref == current:
                        box.setCurrentIndex(box.count() - 1)
        box.setMaximumWidth(300)
        session, step_id = self.bench.session, step.id
        box.activated.connect(
            lambda i: session.apply("Choose texture", lambda s: edit.set_channel(s, step_id, key, box.itemData(i)))
        )
        return box

    def refresh(self) -> None:
        """Show all values as they are now."""
        for made in self.rows:
            made.refresh()

    def _choose_regions(self) -> None:
        session = self.bench.session
        step = edit.step_of(session.state.project.recipe, self.step_id)
        menu = QMenu(self)

        def choose(regions: tuple[str, ...] | None) -> None:
            session.apply(f"Regions of {step.name}", lambda s: edit.update_step(s, self.step_id, regions=regions))

        whole = menu.addAction("The whole surface", lambda: choose(None))
        assert whole is not None
        whole.setCheckable(True)
        whole.setChecked(step.regions is None)
        menu.addSeparator()
        chosen = step.regions or ()
        for number, region in enumerate(session.state.project.regions.regions, 1):
            toggled = tuple(r for r in chosen if r != region.id) if region.id in chosen else (*chosen, region.id)
            action = menu.addAction(f"{number}  {region.name}", lambda t=toggled: choose(t))  # type: ignore[misc]
            assert action is not None
            action.setCheckable(True)
            action.setChecked(region.id in chosen)
        menu.exec(self.regions.mapToGlobal(QPoint(0, self.regions.height())))

    def contextMenuEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        self.bench.step_menu().exec(event.globalPos())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if not self.bench.key(event):
            super().keyPressEvent(event)


class RecipeBench(QWidget):
    """The bench of the station Recipe."""

    def __init__(self, session: Session, views: TwinViews) -> None:
        super().__init__()
        self.session, self.views = session, views
        self._alone: str | None = None
        self._counts = label("", "note")
        self._base = QComboBox()
        self._base.setToolTip("What the recipe starts from")
        self._base.activated.connect(
            lambda i: session.apply("Start of the recipe", lambda s: edit.set_base(s, self._base.itemData(i)))
        )
        add = button("Add step", lambda: None, icon="plus", tip="Add a step after the selected one (Ins)")
        add.setMenu(self._add_menu())
        self._add = add
        self._tools = {
            "left": tool("arrow-left", "Move the step left (Ctrl+Left)", lambda: self._move(-1)),
            "right": tool("arrow-right", "Move the step right (Ctrl+Right)", lambda: self._move(1)),
            "copy": tool("copy", "Duplicate the step", self._duplicate),
            "remove": tool("trash-2", "Remove the step (Del)", self._remove),
        }
        header = row(
            label("Recipe", "heading"), self._counts, None, label("starts from", "note"), self._base, 8, add, *self._tools.values(),
            spacing=6,
        )  # fmt: skip
        self._area = QScrollArea()
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
        self._pictures: list[tuple[int, Picture]] = []
        session.changed.connect(self._on_change)
        session.selection_changed.connect(self._on_select)
        self._shown_step: str | None = None
        self.rebuild()

    def sizeHint(self) -> QSize:
        return QSize(900, 240)

    def _add_menu(self) -> QMenu:
        menu = QMenu(self)
        menu.setToolTipsVisible(True)
        for kind in KINDS.values():
            action = QAction(f"{kind.label}: {kind.summary}", menu)
            action.triggered.connect(lambda _=False, k=kind.key: self.add(k))
            menu.addAction(action)
        return menu

    def add(self, kind: str) -> None:
        """Add a step. Paint comes after the selected step, limited to the selected region; dirt, wear and shade come
        over all paint, in this order, on the whole surface, or the next tint would eat them."""
        session = self.session
        steps = [s.id for s in session.state.project.recipe.steps]
        if kind_of(kind).channels:
            regions = None
            at = edit.place_over_paint(session.state.project.recipe, kind)
        else:
            regions = (session.region,) if session.region else None
            at = steps.index(session.step) + 1 if session.step in steps else len(steps)
        before = set(steps)
        if session.apply(f"Add {kind_of(kind).label}", lambda s: edit.add_step(s, kind, regions, at)):
            new = [s.id for s in session.state.project.recipe.steps if s.id not in before]
            session.select_step(new[0])

    def seal(self) -> None:
        """The next change is an undo step of its own."""
        self.session.history.seal()

    def foot(self, step: Step, index: int) -> QWidget:
        """The bottom line of a card: alone, and on or off."""
        alone = button("alone", lambda: self._toggle_alone(step.id), "link", "Show only this step")
        alone.setStyleSheet(
            f"padding: 0; font-size: {theme.NOTE}px; color: {theme.ACCENT if self._alone == step.id else theme.MUTED};"
            + ("font-weight: 600;" if self._alone == step.id else "")
        )
        switch = Switch()
        switch.set_on(step.enabled)
        switch.setToolTip("On or off")
        switch.setAccessibleName(f"{step.name} on")
        switch.toggled.connect(
            lambda on: self.session.apply(
                f"{step.name} {'on' if on else 'off'}", lambda s: edit.update_step(s, step.id, enabled=on)
            )
        )
        return row(alone, None, switch)

    def _toggle_alone(self, step_id: str) -> None:
        self._alone = None if self._alone == step_id else step_id
        self.session.select_step(step_id)
        self.rebuild()

    def _on_change(self, facets: frozenset[str]) -> None:
        if facets & {"recipe", "regions", "asset", "variants"}:
            self.rebuild()
        elif facets & {"values", "active"} and self._open is not None:
            self._open.refresh()
        if facets - {"name", "delivery"}:
            self._request_pictures()

    def _on_select(self) -> None:
        if self.session.step != self._shown_step:
            self.rebuild()

    def rebuild(self) -> None:
        """Lay the cards anew."""
        focused = self._holder.isAncestorOf(self.focusWidget()) if self.focusWidget() else False
        recipe = self.session.state.project.recipe
        self._fill_base()
        clear(self._cards)
        self._pictures, self._open = [], None
        self._shown_step = self.session.step
        if self._alone not in [s.id for s in recipe.steps]:
            self._alone = None
        self._cards.addWidget(self._base_card())
        for index, step in enumerate(recipe.steps):
            self._cards.addWidget(Arrow())
            card: StepCard | OpenCard
            if step.id == self.session.step:
                card = self._open = OpenCard(self, step, index)
            else:
                card = StepCard(self, step, index)
            self._cards.addWidget(card)
            self._pictures.append((index + 1, card.picture))
        if not recipe.steps:
            hint = label(
                "Add a step: a Tint multiplies the tone by a color in the selected region. Making a tone adds one for every region.",
                "note",
            )
            self._cards.addSpacing(16)
            self._cards.addWidget(hint)
        self._cards.addStretch(1)
        parameters = len(recipe.parameters)
        reads = 1 + (len(self.session.state.region_ids) + 3) // 4 + sum(len(s.channels) for s in recipe.steps)
        self._counts.setText(f"{len(recipe.steps)} steps,  {parameters} parameters,  {reads} texture reads")
        for widget in self._tools.values():
            widget.setEnabled(self.session.step is not None)
        self._show_limit()
        self._request_pictures()
        if self._open is not None:
            card = self._open
            self._holder.adjustSize()
            if focused:
                card.setFocus()
            QTimer.singleShot(0, lambda: self._reveal(card))

    def _reveal(self, card: OpenCard) -> None:
        if card is self._open:
            self._area.ensureWidgetVisible(card, 20, 0)

    def _base_card(self) -> QFrame:
        frame = QFrame()
        frame.setObjectName("card")
        frame.setFixedWidth(CARD_WIDTH)
        layout = QVBoxLayout(frame)
        layout.setContentsMargins(8, 8, 8, 6)
        layout.setSpacing(3)
        picture = Picture()
        layout.addWidget(picture)
        layout.addWidget(label(self._base.currentText()))
        method = self.session.state.project.tone.method
        note = "fitted" if method == "fit" else method
        layout.addWidget(
            label(f"the start, {note}" if self.session.state.project.recipe.base == TONE else "the start", "note")
        )
        layout.addStretch(1)
        self._pictures.append((0, picture))
        return frame

    def _fill_base(self) -> None:
        state = self.session.state
        self._base.clear()
        self._base.addItem("Tone", TONE)
        for texture in state.project.asset.with_role(Role.PAINTED, Role.COLOR):
            self._base.addItem(texture.name, texture.id)
        self._base.setCurrentIndex(max(0, self._base.findData(state.project.recipe.base)))

    def _show_limit(self) -> None:
        steps = [s.id for s in self.session.state.project.recipe.steps]
        if self._alone in steps:
            self.views.show_steps(steps.index(self._alone) + 1, True)
        elif self.views.step_limit is not None:
            self.views.show_steps(None, False)

    def _request_pictures(self) -> None:
        if not self.isVisible():
            return
        variant = self.session.state.project.active_variant
        self.views.drop_pictures("step")
        for count, picture in self._pictures:
            self.views.request_picture(("step", count), Look(variant=variant, steps=count), PICTURE, _guard(picture))

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        self._request_pictures()

    # --- what can be done to the selected step ---------------------------------------------------------------------

    def step_menu(self) -> QMenu:
        """What can be done to the selected step."""
        menu = QMenu(self)
        menu.addAction("Rename\tF2", self.rename)
        menu.addAction("Move left\tCtrl+Left", lambda: self._move(-1))
        menu.addAction("Move right\tCtrl+Right", lambda: self._move(1))
        menu.addAction("Duplicate", self._duplicate)
        menu.addAction("Remove\tDel", self._remove)
        return menu

    def key(self, event: QKeyEvent) -> bool:
        """Keys of the row of cards."""
        steps = [s.id for s in self.session.state.project.recipe.steps]
        if self.session.step not in steps:
            return False
        index = steps.index(self.session.step)
        control = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        offset = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()), 0)
        if offset and control:
            self._move(offset)
        elif offset:
            self.session.select_step(steps[min(max(index + offset, 0), len(steps) - 1)])
            if self._open:
                self._open.setFocus()
        elif event.key() == Qt.Key.Key_Delete:
            self._remove()
        elif event.key() == Qt.Key.Key_F2:
            self.rename()
        elif event.key() == Qt.Key.Key_Insert:
            self._add.showMenu()
        else:
            return False
        return True

    def rename(self) -> None:
        """Ask for another name of the selected step."""
        step_id = self.session.step
        if step_id is None:
            return
        step = edit.step_of(self.session.state.project.recipe, step_id)
        name, done = QInputDialog.getText(self, "Rename step", "Name of the step", text=step.name)
        if done and name.strip() and name != step.name:
            self.session.apply(f"Rename step to {name}", lambda s: edit.update_step(s, step_id, name=name.strip()))

    def _move(self, offset: int) -> None:
        if step := self.session.step:
            steps = [s.id for s in self.session.state.project.recipe.steps]
            self.session.apply("Move step", lambda s: edit.move_step(s, step, steps.index(step) + offset))

    def _duplicate(self) -> None:
        if step := self.session.step:
            self.session.apply("Duplicate step", lambda s: edit.duplicate_step(s, step))

    def _remove(self) -> None:
        if step := self.session.step:
            self.session.apply("Remove step", lambda s: edit.remove_step(s, step))


def _guard(picture: Picture) -> Callable[[QImage], None]:
    """A callback that is harmless after its card is gone."""

    def show(image: QImage) -> None:
        try:
            picture.show_image(image)
        except RuntimeError:
            return

    return show
