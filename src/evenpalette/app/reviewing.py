"""A review taken from text into the document, from wherever it is pasted."""

from evenpalette.app.session import Session
from evenpalette.app.widgets.basics import counted
from evenpalette.core.document.state import State
from evenpalette.core.edits.marks import take_marks


def take_review(session: Session, text: str) -> None:
    """Marks and notes of a text put onto the variants of those names; what fits none is said."""
    told: list[tuple[int, list[str]]] = []

    def take(state: State) -> State:
        made, count, missing = take_marks(state, text)
        told.append((count, missing))
        return made

    if session.apply("Take a review", take) and told:
        count, missing = told[-1]
        more = f" But {'; '.join(missing[:3])}." if missing else ""
        session.said.emit(f"Took what is said of {counted(count, 'variant')}.{more}", bool(missing))
