"""Steps as text: on the clipboard, and in files that several projects follow."""

from pathlib import Path

from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog, QWidget

from evenpalette.app.questions import ListQuestion
from evenpalette.app.session import Session
from evenpalette.core.document.state import State
from evenpalette.core.edits import links
from evenpalette.core.edits.step_text import paste_steps, steps_as_text
from evenpalette.core.parallel import Progress


class StepTexts:
    """What is done with the selected step as text. parent: of the dialogs."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        self._session, self._parent = session, parent

    def copy_text(self) -> None:
        """Put the selected step on the clipboard, as text that any project takes."""
        clipboard = QGuiApplication.clipboard()
        if self._session.selection.step is not None and clipboard is not None:
            clipboard.setText(steps_as_text(self._session.state, [self._session.selection.step]))
            self._session.said.emit("Copied the step as text: paste it into this recipe or another project's.", False)

    def paste_text(self) -> None:
        """Put the steps of the clipboard behind the selected one."""
        clipboard = QGuiApplication.clipboard()
        text = clipboard.text() if clipboard is not None else ""
        steps = [s.id for s in self._session.state.project.recipe.steps]
        at = steps.index(self._session.selection.step) + 1 if self._session.selection.step in steps else None
        missing: list[str] = []

        def paste(state: State) -> State:
            made, lacks = paste_steps(state, text, at)
            missing.extend(lacks)
            return made

        if self._session.apply("Paste steps", paste):
            new = [s.id for s in self._session.state.project.recipe.steps if s.id not in steps]
            self._session.selection.select_step(new[0])
            if missing:
                self._session.said.emit(f"Not found here: {', '.join(missing[:5])}. Choose others on the card.", True)

    def ask_save_linked(self) -> None:
        """Ask for a file, and `save_linked`."""
        path, _ = QFileDialog.getSaveFileName(
            self._parent, "A file that several projects follow", f"steps{links.ENDING}", f"Steps (*{links.ENDING})"
        )
        if path:
            self.save_linked(Path(path if path.endswith(links.ENDING) else path + links.ENDING))

    def save_linked(self, path: Path) -> None:
        """Write the selected step into a file, and let it follow that."""
        if step := self._session.selection.step:
            self._session.run(
                f"Link to {path.name}",
                lambda s, _: links.save_linked(s, [step], path),
                lambda: self._session.sources.trust([str(path)]),
            )

    def ask_link(self) -> None:
        """Ask for a file, and `link`."""
        path, _ = QFileDialog.getOpenFileName(self._parent, "Steps of a file", "", f"Steps (*{links.ENDING})")
        if path:
            self.link(Path(path))

    def link(self, path: Path) -> None:
        """Put the steps of a file behind the selected one; they follow it."""
        steps = [s.id for s in self._session.state.project.recipe.steps]
        at = steps.index(self._session.selection.step) + 1 if self._session.selection.step in steps else None
        missing: list[str] = []

        def work(state: State, _: Progress) -> State:
            made, lacks = links.link_steps(state, path, at)
            missing.extend(lacks)
            return made

        def then() -> None:
            self._session.sources.trust([str(path)])
            if missing:
                self._session.said.emit(f"Not found here: {', '.join(missing[:5])}. Choose others on the card.", True)

        self._session.run(f"Link {path.name}", work, then)

    def take(self) -> None:
        """Take what changed in the file that the selected step follows."""
        step = self._session.state.project.recipe.step(self._session.selection.step or "")
        if step is not None and step.link is not None and self._may_follow(step.link.path):
            self._session.run("Take the changes", lambda s, _: links.take_changes(s, [step.id]))

    def _may_follow(self, path: str) -> bool:
        """Whether a file that a step follows may be read; asks where nobody has said so here."""
        if not self._session.sources.may_read(path):
            question = ListQuestion(
                self._parent,
                "Follow a file",
                "This project names a file that was not chosen here. Read it whenever it changes?",
                [path],
                "Read it",
            )
            if not question.exec():
                return False
            self._session.sources.trust([path])
        return True

    def detach(self) -> None:
        """Let the selected step follow its file no longer."""
        if step := self._session.selection.step:
            self._session.apply("Detach the step", lambda s: links.detach(s, step))
