"""Name, group, description, range and unit of a parameter."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app.session import Session
from evenpalette.app.widgets.basics import label, ok_or_cancel
from evenpalette.app.widgets.check_list import keys_on
from evenpalette.app.widgets.value_editor import ValueEditor
from evenpalette.core.edits.parameters import are_alike, remove_parameter, update_parameter
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.values import Value, ValueType


def edit_parameter(session: Session, parameter_id: str, parent: QWidget) -> None:
    """Ask for a parameter's words and range, and apply them as one change."""
    ParameterDialog(session, parameter_id, parent).exec()


class ParameterDialog(QDialog):
    """The dialog; errors are shown in it and nothing is changed until they are mended."""

    def __init__(self, session: Session, parameter_id: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Parameter")
        self.setMinimumWidth(420)
        self._session, self._id = session, parameter_id
        parameter = session.state.project.recipe.parameter(parameter_id)
        assert parameter is not None
        self._is_number = parameter.is_ranged
        self.name, self.group = QLineEdit(parameter.name), QLineEdit(parameter.group)
        self.description = QLineEdit(parameter.description)
        self.low, self.high, self.unit = (
            QLineEdit(f"{parameter.low:g}"),
            QLineEdit(f"{parameter.high:g}"),
            QLineEdit(parameter.unit),
        )
        form = QFormLayout()
        form.addRow("Name", self.name)
        form.addRow("Group", self.group)
        form.addRow("Description", self.description)
        self.default: Value = parameter.default
        self.editor = ValueEditor(parameter.input, lambda: session.state)
        self.editor.set_value(parameter.default)
        self.editor.edited.connect(self._set_default)
        form.addRow("Default", self.editor)
        self.textures: QListWidget | None = None
        if parameter.type is ValueType.TEXTURE:
            self.textures = self._texture_list(parameter)
            form.addRow("Chooses among", self.textures)
        if self._is_number:
            form.addRow("Lowest", self.low)
            form.addRow("Highest", self.high)
            form.addRow("Unit", self.unit)
        users = session.state.project.recipe.users(parameter_id)
        form.addRow("Read by", label(", ".join(step.name for step in users) or "no step"))
        self.problem = label("", "warn")
        self.problem.setWordWrap(True)
        buttons = ok_or_cancel(self)
        remove = buttons.addButton("Remove parameter", QDialogButtonBox.ButtonRole.DestructiveRole)
        assert remove is not None
        remove.clicked.connect(self._remove)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(self.problem)
        layout.addWidget(buttons)

    def _texture_list(self, parameter: Parameter) -> QListWidget:
        """The textures that are read as its default is, those of the choice checked."""
        box, state = QListWidget(), self._session.state
        box.setAccessibleName("Textures of the choice")
        box.setMaximumHeight(150)
        for texture in state.project.asset.textures:
            if texture.id in parameter.choices or are_alike(state, (str(parameter.default), texture.id)):
                item = QListWidgetItem(texture.name)
                item.setData(Qt.ItemDataRole.UserRole, texture.id)
                item.setCheckState(
                    Qt.CheckState.Checked if texture.id in parameter.choices else Qt.CheckState.Unchecked
                )
                box.addItem(item)
        return box

    def _checked(self) -> tuple[str, ...]:
        assert self.textures is not None
        return keys_on(self.textures)

    def _set_default(self, value: Value) -> None:
        self.default = value

    def accept(self) -> None:
        parts: dict[str, object] = {
            "name": self.name.text(), "group": self.group.text().strip(), "description": self.description.text().strip(),
            "default": self.default,
        }  # fmt: skip
        if self.textures is not None:
            parts["choices"] = self._checked()
        try:
            if self._is_number:
                parts |= {
                    "low": float(self.low.text()),
                    "high": float(self.high.text()),
                    "unit": self.unit.text().strip(),
                }
            after = update_parameter(self._session.state, self._id, **parts)
        except ValueError:
            self.problem.setText("Lowest and highest are numbers.")
            return
        except EvenPaletteError as error:
            self.problem.setText(str(error))
            return
        self._session.commit(f"Parameter {self.name.text()}", after)
        super().accept()

    def _remove(self) -> None:
        self._session.apply(f"Remove parameter {self.name.text()}", lambda s: remove_parameter(s, self._id))
        super().accept()
