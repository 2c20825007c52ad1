"""Operations: the chain that works on a region's coverage, as a row of cards from left to right."""

from typing import Any

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QMenu, QScrollArea, QWidget

from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.widgets.basics import button, clear, column, label, row, tool
from evenpalette.app.widgets.forms import slider
from evenpalette.app.widgets.switch import Switch
from evenpalette.app.widgets.value_editor import ValueEditor
from evenpalette.core.edits import refining as edit
from evenpalette.core.edits.regions import source_said
from evenpalette.core.regions.operations import OPERATIONS, operation_kind
from evenpalette.core.regions.region_set import Operation, Region
from evenpalette.core.values import Input, ValueType

#: Settings under each other on a card; with more it gets two columns.
_LINES = 5


class OperationsPage(QWidget):
    """The page of the bench Regions that shows one region's chain."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._region: Region | None = None
        self._built: object = None
        self.cards: list[OperationCard] = []
        self._row = QHBoxLayout()
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(8)
        holder = QWidget()
        holder.setLayout(self._row)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(holder)
        self.add = button("Add operation", self._choose, icon="plus", tip="Put an operation at the end of the chain")
        self.freeze = button("Freeze", self._freeze, tip="Keep the coverage as it is now and forget how it was made")
        self._note = label("", "note")
        self._note.setWordWrap(True)
        side = column(self.add, self.freeze, self._note, None, spacing=6)
        side.setFixedWidth(140)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        layout.addWidget(side)
        layout.addWidget(area, 1)

    def refresh(self, region: Region | None) -> None:
        """Show a region's chain; cards are built anew only when the chain itself is another."""
        self._region = region
        self.add.setEnabled(region is not None)
        frozen = region is not None and region.source.keeps_texels
        self.freeze.setEnabled(region is not None and (bool(region.operations) or not frozen))
        state = self._session.state
        names = [(r.id, r.name) for r in state.project.regions.regions]
        textures = [(t.id, t.name) for t in state.project.asset.textures]
        structure = region and (region.id, [o.id for o in region.operations], names, textures)
        if structure != self._built:
            self._built = structure
            self._build(region)
        if region is not None:
            for made, operation in zip(self.cards, region.operations, strict=True):
                made.show_values(operation)
            self._note.setText(f"From {source_said(state, region.source)}")

    def _build(self, region: Region | None) -> None:
        clear(self._row)
        self.cards = []
        for index, operation in enumerate(region.operations if region is not None else ()):
            if index:
                arrow = label("→", "note")
                self._row.addWidget(arrow)
            made = OperationCard(self._session, region.id if region else "", operation)
            self.cards.append(made)
            self._row.addWidget(made)
        if not self.cards:
            self._row.addWidget(label("No operations: the coverage is that of its source.", "note"))
        self._row.addStretch(1)

    def _choose(self) -> None:
        menu = QMenu(self)
        menu.setToolTipsVisible(True)
        for kind in OPERATIONS.values():
            action = menu.addAction(kind.label, lambda k=kind.key: self.add_kind(k))
            assert action is not None
            action.setToolTip(plain(kind.summary))
        menu.exec(self.add.mapToGlobal(QPoint(0, -menu.sizeHint().height())))

    def add_kind(self, kind: str) -> None:
        """Put an operation at the end of the chain."""
        if self._region is not None:
            region = self._region.id
            self._session.run(OPERATIONS[kind].label, lambda s, _: edit.add_operation(s, region, kind))

    def _freeze(self) -> None:
        if self._region is not None:
            region = self._region
            self._session.run(f"Freeze {region.name}", lambda s, _: edit.freeze(s, [region.id]))


class OperationCard(QFrame):
    """One operation: on or off, its settings, how much of it is mixed in."""

    def __init__(self, session: Session, region: str, operation: Operation) -> None:
        super().__init__()
        self._session, self._region, self._id = session, region, operation.id
        self.setObjectName("card")
        kind = operation_kind(operation.kind)
        count = len(kind.all_settings) + 1
        lines = count if count <= _LINES else (count + 1) // 2
        self.setFixedWidth(250 if count <= _LINES else 436)
        self._label = kind.label
        self.switch = Switch()
        self.switch.setToolTip("On or off")
        self.switch.toggled.connect(lambda on: self._change("Turn on" if on else "Turn off", on=on))
        title = label(kind.label, "")
        title.setToolTip(plain(f"{kind.summary}\n{kind.source}".strip()))
        tools = row(
            tool("arrow-left", "Earlier in the chain", lambda: self._move(-1)),
            tool("arrow-right", "Later in the chain", lambda: self._move(1)),
            tool("trash-2", "Take this operation out", self._remove), spacing=0,
        )  # fmt: skip
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(0)
        self.fields: dict[str, ValueEditor] = {}
        for index, setting in enumerate(kind.all_settings):
            line, side = index % lines, index // lines * 3
            field = self._field(setting)
            self.fields[setting.key] = field
            if setting.type is ValueType.STOPS:
                grid.addWidget(field, line, 0, 1, 2)
                continue
            words = label(setting.label, "note")
            words.setToolTip(plain(setting.description))
            grid.addWidget(words, line, side)
            grid.addWidget(field, line, side + 1)
        self._amount = slider(
            0, 1, 0, tip="How much of the operation's result is mixed in", ended=session.history.seal,
            taken=lambda v: self._change("Amount", amount=v),
        )  # fmt: skip
        line, side = (count - 1) % lines, (count - 1) // lines * 3
        grid.addWidget(label("Amount", "note"), line, side)
        grid.addWidget(self._amount, line, side + 1)
        grid.setColumnMinimumWidth(0, 64)
        grid.setColumnStretch(1, 1)
        if side:
            grid.setColumnMinimumWidth(2, 6)
            grid.setColumnMinimumWidth(3, 64)
            grid.setColumnStretch(4, 1)
        body = QWidget()
        body.setLayout(grid)
        inner = column(row(self.switch, title, None, tools, spacing=6), body, None, spacing=0, margins=(8, 2, 6, 2))
        outer = QHBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(inner)

    def _field(self, setting: Input) -> ValueEditor:
        editor = ValueEditor(setting, lambda: self._session.state, without=self._region)
        editor.edited.connect(lambda value: self._change(setting.label, settings={setting.key: value}))
        editor.finished.connect(self._session.history.seal)
        return editor

    def show_values(self, operation: Operation) -> None:
        """Show an operation as it is now."""
        self.switch.set_on(operation.on)
        self._amount.set_value(operation.amount)
        values = operation_kind(operation.kind).values(operation.settings)
        for key, field in self.fields.items():
            field.set_value(values[key])

    def _change(self, text: str, **parts: Any) -> None:
        region, operation = self._region, self._id
        self._session.run_latest(
            f"{self._label}: {text.lower()}", lambda s: edit.change_operation(s, region, operation, **parts),
            f"operation {operation} {sorted(parts)} {sorted(parts.get('settings', {}))}",
        )  # fmt: skip

    def _move(self, offset: int) -> None:
        self._session.run("Reorder operations", lambda s, _: edit.move_operation(s, self._region, self._id, offset))

    def _remove(self) -> None:
        self._session.run(f"Take out {self._label}", lambda s, _: edit.remove_operation(s, self._region, self._id))
