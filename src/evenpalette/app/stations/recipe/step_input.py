"""The editor of one input of a step, and where its value comes from."""

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QInputDialog, QMenu, QPushButton

from evenpalette.app import theme
from evenpalette.app.plain import entry, plain
from evenpalette.app.stations.recipe.desk import RecipeDesk
from evenpalette.app.widgets.basics import label, tool
from evenpalette.app.widgets.color_editor import ColorAround
from evenpalette.app.widgets.parameter_dialog import edit_parameter
from evenpalette.app.widgets.pick_dialog import PickDialog
from evenpalette.app.widgets.pulse_dialog import PulseDialog
from evenpalette.app.widgets.value_editor import ValueEditor
from evenpalette.core.baking.kinds import bake_kind
from evenpalette.core.edits import parameters
from evenpalette.core.edits import recipe as edit
from evenpalette.core.edits.bakes import bake_into, bakes_for
from evenpalette.core.edits.tone import is_tint
from evenpalette.core.edits.variants import find_variant, reset_value, set_value
from evenpalette.core.recipe.binding import read_binding
from evenpalette.core.recipe.kind import AMOUNT
from evenpalette.core.recipe.pulse import TYPES
from evenpalette.core.recipe.recipe import TONE, Binding, Step
from evenpalette.core.recipe.steps import kind_of
from evenpalette.core.values import (
    Input,
    Value,
    ValueType,
    value_text,
    vector_parts,
    vector_text,
)


class InputRow:
    """The editor of one input, and where its value comes from."""

    def __init__(self, desk: RecipeDesk, step: Step, input: Input, row_id: str | None = None) -> None:
        """row_id: the row that has the input for itself; None for what all rows share."""
        self._desk, self.step_id, self.input, self.row_id = desk, step.id, input, row_id
        self.step_kind = step.kind
        #: What the editor shows, None where a hand has been at it.
        self._shown: object = None
        self.name = label(input.label)
        self.name.setToolTip(plain(input.description))
        self.editor = self._make_editor()
        self.editor.setToolTip(plain(input.description))
        self.source = QPushButton()
        self.source.setObjectName("link")
        self.source.setCursor(Qt.CursorShape.PointingHandCursor)
        self.source.clicked.connect(self._menu)
        self.undo = tool("rotate-ccw", "Follow the parent again", self._reset)
        self.undo.setFixedSize(22, 22)
        if not self.can_follow:
            self.source.hide()
        keep = self.undo.sizePolicy()
        keep.setRetainSizeWhenHidden(True)
        self.undo.setSizePolicy(keep)
        self.refresh()

    @property
    def follows(self) -> bool:
        """Whether it follows a parameter or is picked by copy."""
        return not self.binding.is_plain

    @property
    def can_follow(self) -> bool:
        """Whether it can follow a parameter or be picked by copy: what names a thing of the project cannot."""
        return self.input.kind.is_parameter

    @property
    def binding(self) -> Binding:
        """Where the value comes from now."""
        step = edit.step_of(self._desk.session.state.project.recipe, self.step_id)
        return edit.binding_of(step, self.input.key, self.row_id)

    def _make_editor(self) -> ValueEditor:
        editor = ValueEditor(
            self.input, lambda: self._desk.session.state, pick=self._desk.pick, optional=True,
            around=self._around, offers=self._offers(),
        )  # fmt: skip
        editor.edited.connect(self._set)
        editor.wanted.connect(self._bake)
        editor.finished.connect(self._desk.seal)
        editor.reset.connect(self._reset)
        if self.input.is_number:
            editor.setFixedWidth(172)
        elif self.input.type is not ValueType.COLOR:
            editor.setMaximumWidth(220)
        return editor

    def _offers(self) -> list[tuple[str, str]]:
        """What the mesh can give, where one channel is asked for."""
        if self.input.type is not ValueType.CHANNEL or self._desk.session.state.mesh is None:
            return []
        return [(f"{kind.label} of this mesh", kind.key) for kind in bakes_for(self.step_kind, self.input.key)]

    def _bake(self, kind: str) -> None:
        words = f"{self.input.label}: {bake_kind(kind).label.lower()} of this mesh"
        self._desk.session.apply(words, lambda s: bake_into(s, self.step_id, self.input.key, kind, self.row_id))

    def _around(self) -> ColorAround:
        """The project's colors, and for a tint the gray of the tone under it."""
        state = self._desk.session.state
        values = state.values(state.project.active_variant)
        colors = tuple(str(values[p.id]) for p in state.project.parameters if p.type is ValueType.COLOR)
        step = edit.step_of(state.project.recipe, self.step_id)
        row, report = step.row(self.row_id), state.project.tone.report
        regions = row.regions if row is not None else None
        known = [line.gray for line in report.rows if line.region in (regions or ())] if report is not None else []
        tints = is_tint(step) and state.project.recipe.base == TONE and bool(known)
        return ColorAround(colors, sum(known) / len(known) if tints else None)

    def refresh(self) -> None:
        """Show the value as it is now."""
        state = self._desk.session.state
        binding = self.binding
        value = read_binding(binding, self.input, state.values(state.project.active_variant), self._desk.copy)
        parameter = state.project.recipe.parameter(binding.parameter or "")
        variant = find_variant(state, state.project.active_variant)
        is_own = variant is not None and binding.parameter in variant.values
        now = binding, value, parameter, is_own
        if now == self._shown:
            return
        self._shown = now
        if parameter is not None:
            self.editor.set_range(parameter.low, parameter.high)
        self.editor.set_value(value)
        self.editor.setEnabled(binding.pick is None and binding.pulse is None)
        if parameter is not None:
            users = sum(
                b.parameter == parameter.id for step in state.project.users(parameter.id) for b in step.bindings
            )
            part = f", {parameter.choices[binding.part].lower()}" if binding.part is not None else ""
            text = parameter.name + part if users < 2 or part else f"{parameter.name} ({users})"
            self.source.setText(entry(self.source.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, 132)))
            shared = f", followed in {users} places" if users > 1 else ""
            self.source.setToolTip(plain(f"Parameter {parameter.name}{shared}. Click to rename, share or release it"))
        elif binding.pick is not None:
            self.source.setText("by copy")
            self.source.setToolTip("Every placed copy has its own. Click to change what it picks from")
        elif binding.pulse is not None:
            self.source.setText("over time")
            self.source.setToolTip(plain(f"It comes back every {binding.pulse.period:g} seconds. Click to change how"))
        else:
            self.source.setText("fixed")
            self.source.setToolTip(
                "The same in every variant. Click to make it a parameter, let every copy pick, or let it pulse"
            )
        theme.restyle(self.source, f"color: {theme.MUTED};" if binding.is_plain else "")
        if parameter is not None:
            self.undo.setToolTip("Follow the parent again")
            self.undo.setVisible(is_own)
        else:
            self.undo.setToolTip(plain(f"Back to {self.input.default}"))
            self.undo.setVisible(value != self.input.default)

    def _set(self, value: Value) -> None:
        self._shown = None
        session, binding = self._desk.session, self.binding
        variant = session.state.project.active_variant
        parameter = session.state.project.recipe.parameter(binding.parameter or "")
        shown = value_text(value, self.input.unit) or "none"
        if parameter is not None and binding.part is not None:
            parts = list(vector_parts(str(session.state.values(variant)[parameter.id])))
            parts[binding.part] = float(value)
            value = vector_text(parts)
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
                lambda s: edit.bind_input(s, self.step_id, self.input.key, new, self.row_id),
                f"{self.step_id} {self.row_id} {self.input.key}",
            )

    def _reset(self) -> None:
        session, binding = self._desk.session, self.binding
        variant = session.state.project.active_variant
        if binding.parameter is None:
            new = Binding(value=self.input.default)
            session.apply(
                f"Reset {self.input.label}",
                lambda s: edit.bind_input(s, self.step_id, self.input.key, new, self.row_id),
            )
        elif variant is not None:
            parameter = binding.parameter
            session.apply(f"Reset {self.input.label}", lambda s: reset_value(s, variant, parameter))

    def _menu(self) -> None:
        session, binding = self._desk.session, self.binding
        recipe = session.state.project.recipe
        menu = QMenu(self.source)
        parameter = recipe.parameter(binding.parameter or "")
        if parameter is not None:
            menu.addAction("Edit parameter ...", lambda: edit_parameter(session, parameter.id, self._desk.window))
            value = read_binding(binding, self.input, session.state.values(session.state.project.active_variant))
            menu.addAction("Make it a constant", lambda: self._release(value))
        else:
            if binding.pick is not None:
                menu.addAction("Change the pick ...", self._pick)
                value = read_binding(binding, self.input, {}, self._desk.copy)
                menu.addAction("Make it a constant", lambda: self._release(value))
            elif binding.pulse is not None:
                menu.addAction("Change the pulse ...", self._pulse)
                value = read_binding(binding, self.input, {})
                menu.addAction("Make it a constant", lambda: self._release(value))
            else:
                if self.input.kind.differs_by_copy:
                    menu.addAction("Pick by copy ...", self._pick)
                if self.input.type in TYPES:
                    menu.addAction("Pulse over time ...", self._pulse)
            menu.addAction("Make it a parameter ...", self._name)
            if len(self._vector_keys()) > 1:
                menu.addAction("Join these numbers into a vector ...", self._name_vector)
        fitting = [
            (p.name, Binding(parameter=p.id)) for p in recipe.parameters
            if p.type is self.input.type and (p.type is ValueType.TEXTURE or p.choices == self.input.choices) and p.id != binding.parameter
        ]  # fmt: skip
        if self.input.type is ValueType.NUMBER:
            vectors = [p for p in recipe.parameters if p.type is ValueType.VECTOR]
            fitting += [
                (f"{p.name}, {part.lower()}", Binding(parameter=p.id, part=k))
                for p in vectors
                for k, part in enumerate(p.choices)
            ]
        if fitting:
            share = menu.addMenu("Use the parameter")
            assert share is not None
            for words, made in fitting:
                share.addAction(entry(words), lambda b=made, w=words: self._bind(b, w))
        step = edit.step_of(recipe, self.step_id)
        if len(step.rows) > 1 and self.input.key != AMOUNT.key:
            menu.addSeparator()
            if self.row_id is not None:
                menu.addAction("The same in all rows", self._share)
            else:
                menu.addAction("Each row its own", self._own)
        menu.exec(self.source.mapToGlobal(QPoint(0, self.source.height())))

    def _release(self, value: Value) -> None:
        self._desk.session.apply(
            f"{self.input.label} is a constant",
            lambda s: parameters.release_input(s, self.step_id, self.input.key, value, self.row_id),
        )

    def _pick(self) -> None:
        state, binding = self._desk.session.state, self.binding
        value = read_binding(binding, self.input, state.values(state.project.active_variant), self._desk.copy)
        dialog = PickDialog(
            self.input, binding.pick, value, lambda: self._desk.session.state, self._desk.pick, self._desk.window
        )
        if dialog.exec():
            new = Binding(pick=dialog.pick)
            self._desk.session.apply(
                f"{self.input.label} by copy",
                lambda s: edit.bind_input(s, self.step_id, self.input.key, new, self.row_id),
            )

    def _pulse(self) -> None:
        state, binding = self._desk.session.state, self.binding
        value = read_binding(binding, self.input, state.values(state.project.active_variant), self._desk.copy)
        dialog = PulseDialog(self.input, binding.pulse, value, self._desk.pick, self._desk.window)
        if dialog.exec():
            new = Binding(pulse=dialog.pulse)
            self._desk.session.apply(
                f"{self.input.label} over time",
                lambda s: edit.bind_input(s, self.step_id, self.input.key, new, self.row_id),
            )

    def _share(self) -> None:
        self._desk.session.apply(
            f"{self.input.label} the same in all rows",
            lambda s: edit.share_input(s, self.step_id, self.input.key, self.row_id),
        )

    def _own(self) -> None:
        self._desk.session.apply(
            f"{self.input.label} by row", lambda s: edit.own_input(s, self.step_id, self.input.key)
        )

    def _bind(self, new: Binding, name: str) -> None:
        self._desk.session.apply(
            f"{self.input.label} follows {name}",
            lambda s: edit.bind_input(s, self.step_id, self.input.key, new, self.row_id),
        )

    def _name(self) -> None:
        step = edit.step_of(self._desk.session.state.project.recipe, self.step_id)
        proposal = f"{self._desk.row_name(step, self.row_id)} {self.input.label.lower()}"
        make = parameters.name_texture if self.input.type is ValueType.TEXTURE else parameters.name_input
        name, done = QInputDialog.getText(self._desk.window, "New parameter", "Name of the parameter", text=proposal)
        if done and name.strip():
            self._desk.session.apply(
                f"New parameter {name}",
                lambda s: make(s, self.step_id, self.input.key, name, step.name, self.row_id),
            )

    def _vector_keys(self) -> list[str]:
        """This input and the plain numbers behind it that stand where it does, at most four: what a vector may hold."""
        step = edit.step_of(self._desk.session.state.project.recipe, self.step_id)
        line = step.row(self.row_id)
        held = (
            set(line.inputs)
            if line is not None
            else {i.key for i in kind_of(step.kind).inputs}.difference(*(r.inputs for r in step.rows))
        )
        keys = [i.key for i in kind_of(step.kind).inputs if i.type is ValueType.NUMBER and i.key in held]
        plain = [key for key in keys if edit.binding_of(step, key, self.row_id).is_plain]
        return plain[plain.index(self.input.key) :][:4] if self.input.key in plain else []

    def _name_vector(self) -> None:
        step, keys = edit.step_of(self._desk.session.state.project.recipe, self.step_id), self._vector_keys()
        words = ", ".join(edit.input_of(step, key).label.lower() for key in keys)
        proposal = f"{self._desk.row_name(step, self.row_id)} {kind_of(step.kind).label.lower()}"
        name, done = QInputDialog.getText(
            self._desk.window, "New vector", f"Name of the vector of {words}", text=proposal
        )
        if done and name.strip():
            self._desk.session.apply(
                f"New parameter {name}",
                lambda s: parameters.name_vector(s, self.step_id, keys, name, step.name, self.row_id),
            )
