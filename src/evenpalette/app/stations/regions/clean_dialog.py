"""Mending an ID image: what to do, and what it did."""

from PyQt6.QtWidgets import QCheckBox, QDialog, QDialogButtonBox, QFormLayout, QSpinBox, QVBoxLayout, QWidget

from evenpalette.app.session import Session
from evenpalette.app.widgets.basics import choice, label
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits.regions import clean_texture
from evenpalette.core.parallel import Progress


class CleanDialog(QDialog):
    """Pure flags, specks and holes, gaps. Each run is one change that can be undone."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Clean an ID map")
        self.setMinimumWidth(440)
        self._session = session
        self.texture = choice(
            rows=[(texture.name, texture.id) for texture in session.state.project.asset.with_role(Role.ID_MAP)]
        )
        self.smallest = QSpinBox()
        self.smallest.setRange(0, 100_000)
        self.smallest.setValue(16)
        self.smallest.setSuffix(" texels")
        self.gaps = QCheckBox("give used texels of no region to the nearest one")
        self.gaps.setChecked(True)
        self.outcome = label("Flags are made pure; soft edges keep their shares.", "note")
        self.outcome.setWordWrap(True)
        form = QFormLayout()
        form.addRow("ID map", self.texture)
        form.addRow("Remove specks and holes below", self.smallest)
        form.addRow("Gaps", self.gaps)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        clean = buttons.addButton("Clean", QDialogButtonBox.ButtonRole.ApplyRole)
        assert clean is not None
        clean.setEnabled(self.texture.count() > 0)
        clean.clicked.connect(lambda _=False: self.clean())
        buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(self.outcome)
        layout.addWidget(buttons)

    def clean(self) -> None:
        """Mend the chosen map."""
        texture, smallest, gaps = self.texture.currentData(), self.smallest.value(), self.gaps.isChecked()
        said = [""]

        def work(state: State, _: Progress) -> State:
            made, said[0] = clean_texture(state, texture, smallest, gaps)
            return made

        self._session.run(f"Clean {self.texture.currentText()}", work, lambda: self.outcome.setText(said[0]))
