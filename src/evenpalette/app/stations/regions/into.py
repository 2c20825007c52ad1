"""Where new regions go: into a division of their own, in place of those of one, or added to one."""

from PyQt6.QtWidgets import QComboBox, QDialog, QVBoxLayout, QWidget

from evenpalette.app.session import Session
from evenpalette.app.widgets.basics import label
from evenpalette.app.widgets.forms import ending, form
from evenpalette.core.edits.regions import Into


class IntoBox(QComboBox):
    """The choices, the sensible one first."""

    def __init__(self, session: Session, name: str, prefer: str) -> None:
        super().__init__()
        self.setAccessibleName("Where the new regions go")
        regions = session.state.project.regions
        current = regions.division_of(session.selection.region)
        filled = [d for d in regions.divisions if d.regions]
        ordered = sorted(filled, key=lambda d: d.id != current.id)
        new = [(f"A division of their own, {name}", Into("new", name=name))]
        replace = [(f"In place of {d.name}", Into("replace", d.id)) for d in ordered]
        add = [(f"Added to {d.name}", Into("add", d.id)) for d in ordered]
        first = {"new": new, "replace": replace, "add": add}[prefer]
        rest = [group for group in (new, replace, add) if group is not first]
        for text, into in (*first, *(pair for group in rest for pair in group)):
            self.addItem(text, into)
        self.is_needed = bool(filled)

    @property
    def into(self) -> Into | None:
        """What was chosen; None while there are no regions, and nothing to choose."""
        return self.currentData() if self.is_needed else None


class IntoDialog(QDialog):
    """Asks where new regions go."""

    def __init__(self, session: Session, name: str, prefer: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("New regions")
        self.setMinimumWidth(360)
        self.box = IntoBox(session, name, prefer)
        note = label(
            "Regions of one division share the surface out among them; each division does so for itself.", "note"
        )
        note.setWordWrap(True)
        layout = QVBoxLayout(self)
        layout.addLayout(form(("Put them", self.box)))
        layout.addWidget(note)
        layout.addWidget(ending(self, "Make regions")[0])


def ask_into(session: Session, name: str, prefer: str, parent: QWidget) -> tuple[bool, Into | None]:
    """Whether to go on, and where new regions go; nothing is asked while there are none yet."""
    dialog = IntoDialog(session, name, prefer, parent)
    if not dialog.box.is_needed:
        return True, None
    return dialog.exec() == QDialog.DialogCode.Accepted, dialog.box.into
