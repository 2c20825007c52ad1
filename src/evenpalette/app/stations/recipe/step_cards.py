"""Steps as cards: closed ones with a picture, the open one with all its inputs."""

from PyQt6.QtCore import QPoint, QSize, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QMenu,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from evenpalette.app import theme
from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.stations.recipe.card_parts import PICTURE, SAMPLE, CardPicture, Swatches, fill_samples
from evenpalette.app.stations.recipe.desk import RecipeDesk
from evenpalette.app.stations.recipe.row_strips import RowStrips, StripLook
from evenpalette.app.stations.recipe.step_drag import MovableCard
from evenpalette.app.stations.recipe.step_input import InputRow
from evenpalette.app.widgets.basics import button, choice, label, row
from evenpalette.app.widgets.switch import Switch
from evenpalette.app.widgets.value_slider import SHARE, share_display
from evenpalette.core.document.state import new_id
from evenpalette.core.edits import parameters
from evenpalette.core.edits import recipe as edit
from evenpalette.core.edits.variants import set_value
from evenpalette.core.recipe.binding import read_binding
from evenpalette.core.recipe.kind import AMOUNT, StepKind
from evenpalette.core.recipe.recipe import Binding, Row, Step
from evenpalette.core.recipe.steps import KINDS, kind_of
from evenpalette.core.values import ValueType, value_text

CARD_WIDTH = 118
#: With at most so many inputs, what a row has and what all share stand one above the other.
_STACKED = 2


def row_text(session: Session, row: Row, alone: bool) -> str:
    """'all regions', 'elsewhere' or the numbers."""
    if row.regions is None:
        return "all regions" if alone else "elsewhere"
    numbers = [str(session.state.project.regions.number(r)) for r in row.regions]
    return ("region " if len(numbers) == 1 else "regions ") + " ".join(numbers) if numbers else "no region"


def region_text(session: Session, step: Step) -> str:
    """Where a step acts."""
    if len(step.rows) == 1:
        return row_text(session, step.rows[0], True)
    return f"{len(step.rows)} rows" if step.rows else "no region"


def colors_of(session: Session, step: Step, copy: int) -> list[str]:
    """The color of each row as it is in the active variant, for a copy; empty for steps without colors of their own."""
    kind = KINDS.get(step.kind)
    first = kind.inputs[0] if kind is not None and kind.inputs else None
    if first is None or first.type is not ValueType.COLOR or len(step.rows) < 2:
        return []
    values = session.state.values(session.state.project.active_variant)
    return [str(read_binding(step.binding(row, first.key), first, values, copy)) for row in step.rows]


def foot(desk: RecipeDesk, step: Step) -> QWidget:
    """The bottom line of a card: alone, and on or off."""
    alone = button("alone", lambda: desk.toggle_alone(step.id), "link", "Show only this step")
    theme.restyle(
        alone,
        f"padding: 0; font-size: {theme.NOTE}px; color: {theme.ACCENT if desk.alone == step.id else theme.MUTED};"
        + ("font-weight: 600;" if desk.alone == step.id else ""),
    )
    switch = Switch()
    switch.set_on(step.enabled)
    switch.setToolTip("On or off")
    switch.setAccessibleName(f"{step.name} on")
    switch.toggled.connect(
        lambda on: desk.session.apply(
            f"{step.name} {'on' if on else 'off'}", lambda s: edit.update_step(s, step.id, enabled=on)
        )
    )
    return row(alone, None, switch)


class DeskCard(MovableCard):
    """A card that hands its keys to the desk first."""

    def __init__(self, desk: RecipeDesk, step: Step) -> None:
        super().__init__(step.id)
        self._desk = desk
        self.setObjectName("card")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        event.ignore()
        self._desk.keyed.emit(event)
        if not event.isAccepted():
            super().keyPressEvent(event)


class StepCard(DeskCard):
    """A step that is not open: picture, name, regions, alone, on or off."""

    def __init__(self, desk: RecipeDesk, step: Step, index: int) -> None:
        super().__init__(desk, step)
        self.clicked.connect(lambda: desk.session.selection.select_step(step.id))
        self.setFixedWidth(CARD_WIDTH)
        self.setAccessibleName(f"Step {index + 1}, {step.name}")
        self.setToolTip(plain(f"{step.name}: {kind_of(step.kind).summary}" if step.kind in KINDS else step.name))
        self.picture = CardPicture()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 6)
        layout.setSpacing(3)
        layout.addWidget(self.picture)
        name = label(self.fontMetrics().elidedText(step.name, Qt.TextElideMode.ElideRight, CARD_WIDTH - 18))
        layout.addWidget(name)
        linked = "  linked" if step.link is not None else ""
        layout.addWidget(label(region_text(desk.session, step) + linked, "note"))
        self._swatches = Swatches(colors_of(desk.session, step, desk.copy))
        self._swatches.setVisible(bool(self._swatches.colors))
        layout.addWidget(self._swatches)
        layout.addStretch(1)
        layout.addWidget(foot(desk, step))

    def refresh(self) -> None:
        """Show the colors of the rows as they are now."""
        step = self._desk.session.state.project.recipe.step(self.step_id)
        if step is not None:
            self._swatches.colors = colors_of(self._desk.session, step, self._desk.copy)
            self._swatches.update()

    def contextMenuEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        self._desk.session.selection.select_step(self.step_id)
        self._desk.menu_wanted.emit(event.globalPos())


class OpenCard(DeskCard):
    """The selected step with all its inputs."""

    def __init__(self, desk: RecipeDesk, step: Step, index: int) -> None:
        super().__init__(desk, step)
        self.setProperty("selected", True)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(f"Step {index + 1}, {step.name}, open")
        self.picture = CardPicture()
        kind = KINDS.get(step.kind)
        left = QVBoxLayout()
        left.setSpacing(3)
        left.addWidget(self.picture)
        name = button(step.name, desk.rename_wanted.emit, "link", "Rename this step (F2)")
        theme.restyle(name, f"color: {theme.INK}; font-weight: 600; padding: 2px 0;")
        name.setFixedWidth(PICTURE[0])
        left.addWidget(name)
        if kind is None or kind.label != step.name:
            left.addWidget(label(kind.label if kind is not None else "unknown kind", "note"))
        left.addStretch(1)
        left.addWidget(foot(desk, step))
        layout = QHBoxLayout(self)
        layout.setContentsMargins(8, 8, 12, 6)
        layout.setSpacing(10)
        layout.addLayout(left)
        self.rows: list[InputRow] = []
        self.strips: RowStrips | None = None
        if kind is not None:
            chosen = step.row(desk.session.selection.row) or next(iter(step.rows), None)
            self._row_id = chosen.id if chosen is not None else None
            layout.addLayout(self._row_column(step))
            shown = [i for i in kind.all_inputs if not self._is_placed_nowhere(step, chosen, kind, i.key)]
            own = [i for i in shown if chosen is not None and i.key in chosen.inputs]
            stacked = QVBoxLayout()
            stacked.setSpacing(2)
            layout.addLayout(stacked)
            few = len(shown) <= _STACKED
            words = bool(kind.starting_points) or any(i.unit == SHARE for i in kind.inputs)
            line = self._words_line(kind, chosen.id if chosen is not None else None) if words else None
            if chosen is not None and len(step.rows) > 1:
                cells = [(i, chosen.id) for i in (*own, AMOUNT)]
                stacked.addLayout(self._panel(step, "This row", cells, line if own else None))
                line = None if own else line
            shared = [(i, None) for i in shown if i not in own]
            if chosen is not None and len(step.rows) == 1:
                shared = [*((i, chosen.id) for i in own), *shared]  # type: ignore[list-item]
            title = "All rows" if len(step.rows) > 1 else ""
            panel = self._panel(step, title, [*shared, (AMOUNT, None)], line)
            if few:
                stacked.addLayout(panel)
            else:
                layout.addLayout(panel)
            stacked.addStretch(1)

    @staticmethod
    def _is_placed_nowhere(step: Step, line: Row | None, kind: StepKind, key: str) -> bool:
        """Whether an input is how a texture is laid, while none is chosen."""
        map_ = next((m for m in kind.maps if m.placement.key == key), None)
        if map_ is not None and (map_.looks_up or any(m.looks_up == map_.key for m in kind.maps)):
            # Index art and its strip are read texel by texel, where they lie.
            return True
        binding = step.binding(line, map_.key) if map_ is not None else None
        return map_ is not None and not (binding is not None and (binding.value or binding.parameter))

    def _row_column(self, step: Step) -> QVBoxLayout:
        """The strips, and how rows are added."""
        session = self._desk.session
        column = QVBoxLayout()
        column.setSpacing(2)
        self.strips = RowStrips(
            self._looks(step),
            self._row_id,
            session.selection.select_row,
            self._copy_color,
            self._row_menu,
            self._remove_row,
        )
        add = button("Add row", self._add_row, "link", "A row for the selected region, or for the next that has none")
        theme.restyle(add, "padding: 0;")
        regions = button(
            "Regions ...", lambda: self._choose_regions(self._row_id), "link", "The regions of the chosen row"
        )
        theme.restyle(regions, "padding: 0;")
        column.addWidget(row(add, regions, None, spacing=10))
        column.addWidget(self.strips)
        column.addStretch(1)
        return column

    def _looks(self, step: Step) -> list[StripLook]:
        session = self._desk.session
        state = session.state
        values = state.values(state.project.active_variant)
        regions = state.project.regions
        kind = kind_of(step.kind)
        if not kind.inputs:
            return []
        first = kind.inputs[0]
        looks = []
        for line in step.rows:
            binding = step.binding(line, first.key)
            value = read_binding(binding, first, values, self._desk.copy)
            parameter = state.project.recipe.parameter(binding.parameter or "") if binding is not None else None
            known = [region for r in line.regions or () if (region := regions.find(r)) is not None]
            chips = tuple((regions.number(region.id), region.flag) for region in known)
            is_color = first.type is ValueType.COLOR
            shown = (
                str(value) if is_color or isinstance(value, str) else f"{first.label} {value_text(value, first.unit)}"
            )
            color = str(value) if is_color else ""
            if (point := self._point_of(kind, line)) is not None:
                shown = point
            laid = next((m for m in kind.maps if m.key in kind.row_inputs), None)
            named = step.binding(line, laid.key) if laid is not None else None
            if (
                laid is not None
                and (texture := state.project.asset.texture(str(read_binding(named, laid.input, values)))) is not None
            ):
                shown = texture.name
            follows = parameter.name if parameter is not None else "by copy" if binding and binding.pick else ""
            looks.append(StripLook(line.id, chips, row_text(session, line, len(step.rows) == 1), color, shown, follows))
        return looks

    def _panel(self, step: Step, title: str, inputs, line: QWidget | None) -> QGridLayout:  # type: ignore[no-untyped-def]
        """Inputs in columns of six under a title; line: what stands beside the title."""
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(2)
        start = 0
        if title or line is not None:
            parts = [part for part in (label(title, "note") if title else None, line) if part is not None]
            grid.addWidget(row(*parts, None, spacing=10), 0, 0, 1, 4)
            start = 1
        per_column = 6 - start
        for index, (input, row_id) in enumerate(inputs):
            place, offset = start + index % per_column, index // per_column * 6
            made = InputRow(self._desk, step, input, row_id)
            self.rows.append(made)
            for column, widget in enumerate((made.name, made.editor, made.undo, made.source)):
                grid.addWidget(widget, place, offset + column)
            follows = any(made.follows for made in self.rows[-len(inputs) :])
            grid.setColumnMinimumWidth(offset + 3, 76 if follows else 36)
            if offset:
                grid.setColumnMinimumWidth(offset - 1, 10)
        grid.setRowStretch(start + per_column, 1)
        return grid

    def _words_line(self, kind: StepKind, row_id: str | None) -> QWidget:
        """Named sets of values to begin with, and how shares are read."""
        parts: list[QWidget | None] = []
        if kind.starting_points:
            box = choice(
                "Starting point", tip="Named sets of values to begin with; every value can be changed afterwards"
            )
            box.addItem("Start from ...", None)
            box.setIconSize(QSize(SAMPLE, SAMPLE))
            for point in kind.starting_points:
                box.addItem(point.name, point.name)
            fill_samples(box, kind)
            current = self._point_of(kind, self._step().row(row_id))
            box.setCurrentIndex(max(0, box.findData(current)))
            box.activated.connect(lambda i: self._start_from(kind, row_id, box.itemData(i)))
            parts.append(box)
        if any(i.unit == SHARE for i in kind.inputs):
            percent = button(
                "percent" if not share_display.percent else "0 to 1",
                self._turn_shares,
                "link",
                "How shares are read and typed",
            )
            theme.restyle(percent, "padding: 0;")
            parts.append(percent)
        return row(*parts, None, spacing=8)

    def _turn_shares(self) -> None:
        share_display.set_percent(not share_display.percent)
        self._desk.rebuild_wanted.emit()

    def _point_of(self, kind: StepKind, line: Row | None) -> str | None:
        """The starting point whose values a row has now."""
        state, step = self._desk.session.state, self._step()
        values = state.values(state.project.active_variant)
        for point in kind.starting_points:
            same = (read_binding(step.binding(line, k), kind.input(k), values) == v for k, v in point.values.items())
            if line is not None and all(same):
                return point.name
        return None

    def _start_from(self, kind: StepKind, row_id: str | None, name: str | None) -> None:
        point = next((p for p in kind.starting_points if p.name == name), None)
        if point is not None and row_id is not None:
            values, step_id = point.values, self.step_id
            variant = self._desk.session.state.project.active_variant
            self._desk.session.apply(
                f"Start from {point.name}", lambda s: parameters.set_row_values(s, step_id, row_id, values, variant)
            )

    def refresh(self) -> None:
        """Show all values as they are now."""
        for made in self.rows:
            made.refresh()
        if self.strips is not None:
            self.strips.refresh(self._looks(self._step()), self._row_id)

    def _step(self) -> Step:
        return edit.step_of(self._desk.session.state.project.recipe, self.step_id)

    def _copy_color(self, row_id: str, color: str) -> None:
        """A color was dropped on a row: it takes it, in the active variant where it follows a parameter."""
        session = self._desk.session
        first = kind_of(self._step().kind).inputs[0]
        binding = edit.binding_of(self._step(), first.key, row_id)
        variant = session.state.project.active_variant
        if binding.parameter is not None:
            parameter = binding.parameter
            session.apply(f"Copy {color}", lambda s: set_value(s, variant, parameter, color))
        else:
            session.apply(
                f"Copy {color}", lambda s: edit.bind_input(s, self.step_id, first.key, Binding(value=color), row_id)
            )

    def _add_row(self) -> None:
        """For the selected region where no row has it, else for the next region of the division without a row."""
        session, step = self._desk.session, self._step()
        regions = session.state.project.regions
        named = step.named_regions()
        division = regions.division_of(named[0]) if named else regions.division_of(session.selection.region)
        free = [region.id for region in division.regions if region.id not in named]
        wanted = session.selection.region if session.selection.region in free else free[0] if free else None
        if wanted is None and any(line.regions is None for line in step.rows):
            session.said.emit("Every region has a row. Give a row other regions instead.", True)
            return
        row_id = new_id("row")
        if session.apply("Add row", lambda s: edit.add_row(s, self.step_id, (wanted,) if wanted else None, row_id)):
            session.selection.select_row(row_id)

    def _remove_row(self, row_id: str) -> None:
        self._desk.session.apply("Remove row", lambda s: edit.remove_row(s, self.step_id, row_id))

    def _row_menu(self, row_id: str, place: QPoint) -> None:
        session = self._desk.session
        session.selection.select_row(row_id)
        menu = QMenu(self)
        menu.addAction("Regions ...", lambda: self._desk.choose_regions(self.step_id, row_id))
        menu.addAction(
            "Duplicate", lambda: session.apply("Duplicate row", lambda s: edit.duplicate_row(s, self.step_id, row_id))
        )
        menu.addAction(
            "Move up", lambda: session.apply("Move row", lambda s: edit.move_row(s, self.step_id, row_id, -1))
        )
        menu.addAction(
            "Move down", lambda: session.apply("Move row", lambda s: edit.move_row(s, self.step_id, row_id, 1))
        )
        menu.addAction("Remove\tDel", lambda: self._remove_row(row_id))
        menu.exec(place)

    def _choose_regions(self, row_id: str | None) -> None:
        if row_id is not None:
            self._desk.choose_regions(self.step_id, row_id)

    def contextMenuEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        self._desk.menu_wanted.emit(event.globalPos())
