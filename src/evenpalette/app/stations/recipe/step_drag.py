"""Step cards are dragged to another place in the order; the views show the other order before it is taken."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QObject, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QFrame, QScrollArea, QWidget

from evenpalette.app import theme
from evenpalette.app.session import Session
from evenpalette.app.timers import timer
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.color_drag import is_far
from evenpalette.core.edits import recipe as edit

#: So long a place is kept before the views show it, so that passing over cards compiles no shaders.
_REST = 140
#: Pixels from the edge at which the row of cards moves along, and how far at a time.
_EDGE, _ALONG = 40, 24


class MovableCard(QFrame):
    """A card of a step: a click chooses it, a drag takes it elsewhere."""

    clicked = pyqtSignal()
    #: The pointer went to a place of the screen with the card.
    carried = pyqtSignal(QPointF)
    #: The card was let go.
    let_go = pyqtSignal()

    def __init__(self, step_id: str) -> None:
        super().__init__()
        self.step_id = step_id
        self._pressed: QPointF | None = None
        self._is_carried = False

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton:
            self._pressed = event.globalPosition()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._is_carried or is_far(self._pressed, event.globalPosition()):
            self._is_carried = True
            self.carried.emit(event.globalPosition())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        was_carried, pressed = self._is_carried, self._pressed
        self._is_carried, self._pressed = False, None
        if was_carried:
            self.let_go.emit()
        elif pressed is not None:
            self.clicked.emit()


class StepDrag(QObject):
    """Takes carried cards to where they are let go. Escape leaves the order as it was."""

    def __init__(
        self, session: Session, views: TwinViews, area: QScrollArea, cards: Callable[[], Sequence[MovableCard]]
    ) -> None:
        """area: shows the row of cards. cards: those of the steps, in order."""
        super().__init__(area)
        self._session, self._views, self._area, self._cards = session, views, area, cards
        holder = area.widget()
        assert holder is not None
        self._mark = QWidget(holder)
        self._mark.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        theme.restyle(self._mark, f"background: {theme.ACCENT};")
        self._mark.hide()
        self._step: str | None = None
        self._place: int | None = None
        self._given_up = False
        self._rest = timer(self, _REST)
        self._rest.timeout.connect(self._show_order)

    @property
    def is_on(self) -> bool:
        """Whether a card is carried."""
        return self._step is not None and not self._given_up

    def watch(self, card: MovableCard) -> None:
        """Carry this card when it is dragged."""
        card.carried.connect(lambda place: self._carry(card, place))
        card.let_go.connect(self._drop)

    def give_up(self) -> None:
        """Leave the order as it was; what is carried is let go without effect."""
        self._given_up = True
        self._end_preview()

    def _carry(self, card: MovableCard, place: QPointF) -> None:
        if self._given_up:
            return
        self._step = card.step_id
        self._move_along(place)
        cards = self._cards()
        x = self._mark.parentWidget().mapFromGlobal(place).x()  # type: ignore[union-attr]
        slot = sum(x > c.x() + c.width() / 2 for c in cards)
        old = next((k for k, c in enumerate(cards) if c.step_id == self._step), 0)
        # Without the card itself, those behind it count one less.
        place_now = slot - (slot > old)
        at = cards[slot].x() - 12 if slot < len(cards) else cards[-1].x() + cards[-1].width() + 4
        self._mark.setGeometry(int(at), 0, 4, card.height())
        self._mark.setVisible(place_now != old)
        self._mark.raise_()
        if place_now != self._place:
            self._place = place_now
            self._rest.start()

    def _move_along(self, place: QPointF) -> None:
        """Near an edge the row of cards moves."""
        bar, view = self._area.horizontalScrollBar(), self._area.viewport()
        assert bar is not None
        assert view is not None
        x = view.mapFromGlobal(place).x()
        if x < _EDGE:
            bar.setValue(bar.value() - _ALONG)
        elif x > view.width() - _EDGE:
            bar.setValue(bar.value() + _ALONG)

    def _show_order(self) -> None:
        step, place = self._step, self._place
        if step is None or place is None:
            return
        self._views.show_live(edit.move_step(self._session.state, step, place))

    def _drop(self) -> None:
        step, place, given_up = self._step, self._place, self._given_up
        self._end_preview()
        self._step, self._place, self._given_up = None, None, False
        if step is None or place is None or given_up:
            return
        steps = [s.id for s in self._session.state.project.recipe.steps]
        if step in steps and steps.index(step) != place:
            self._session.selection.select_step(step)
            self._session.apply("Move step", lambda s: edit.move_step(s, step, place))

    def _end_preview(self) -> None:
        self._rest.stop()
        self._mark.hide()
        self._views.show_live(None)
