"""After a fit the defaults look as painted. The first change of a tint changes them: a line offers to make a variant of
it, so that the painted look stays, once, and goes away."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QSizePolicy, QWidget

from evenpalette.app.session import Session
from evenpalette.app.widgets.basics import button, label, row
from evenpalette.core.document.state import State
from evenpalette.core.edits.variants import as_variant
from evenpalette.core.values import Value


class VariantOffer(QWidget):
    """The line above the bench; `offered` once for each document."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._document: object = None
        self._fitted: dict[str, Value] = {}
        self._was_offered = False
        self.setObjectName("walk")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setAccessibleName("Offer of a variant")
        text = label("This changes the defaults, which look as painted. As a variant it would leave them as they are.")
        text.setWordWrap(True)
        text.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        line = row(
            text, button("Make it a variant", self.take, "link", "The defaults are as painted again, and the change is a variant"),
            button("Keep it so", self.hide, "link", "The defaults stay as they are now"), spacing=10, margins=(16, 4, 12, 4),
        )  # fmt: skip
        self.setLayout(line.layout())
        self.hide()
        session.changed.connect(lambda _: self._look())

    def _look(self) -> None:
        state = self._session.state
        now = _defaults(state)
        if self._session.history is not self._document or state.tone is None or now.keys() != self._fitted.keys():
            self._document, self._fitted = self._session.history, now
            self._was_offered = self._was_offered and self._session.history is self._document
            self.hide()
            return
        if state.project.variants or now == self._fitted:
            self.hide()
            if state.project.variants:
                self._fitted = now
        elif not self._was_offered and state.project.tone.report is not None and state.project.active_variant is None:
            self._was_offered = True
            self.show()

    def take(self) -> None:
        """The defaults as they were fitted, and the change as a variant."""
        fitted = dict(self._fitted)
        self.hide()
        self._session.apply("Make it a variant", lambda s: as_variant(s, fitted))


def _defaults(state: State) -> dict[str, Value]:
    return {parameter.id: parameter.default for parameter in state.project.parameters}
