"""Mending an ID image: what to do, and what it did."""

from PyQt6.QtWidgets import QCheckBox, QDialog, QVBoxLayout, QWidget

from evenpalette.app.session import Session
from evenpalette.app.widgets.basics import choice, label
from evenpalette.app.widgets.forms import ending, form, whole
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
        self.smallest = whole("Remove specks and holes below", 0, 100_000, 16, suffix=" texels")
        self.gaps = QCheckBox("give used texels of no region to the nearest one")
        self.gaps.setChecked(True)
        self.outcome = label("Flags are made pure; soft edges keep their shares.", "note")
        self.outcome.setWordWrap(True)
        buttons, clean = ending(self, "Clean", self.clean, stays=True)
        clean.setEnabled(self.texture.count() > 0)
        layout = QVBoxLayout(self)
        layout.addLayout(
            form(("ID map", self.texture), ("Remove specks and holes below", self.smallest), ("Gaps", self.gaps))
        )
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
