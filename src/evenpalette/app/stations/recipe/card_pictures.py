"""The small pictures on the cards of a recipe: the asset after each step."""

import contextlib
from collections.abc import Callable

from PyQt6.QtGui import QImage

from evenpalette.app.session import Session
from evenpalette.app.stations.recipe.card_parts import PICTURE, CardPicture
from evenpalette.app.views import TwinViews
from evenpalette.core.recipe.binding import NOTHING, BoundStep, Moment, change_of
from evenpalette.gpu.look import Look

#: What the start of the recipe, before its first step, is called.
START = ""


class CardPictures:
    """Has them drawn; what was drawn last of a step stands on its card until it is drawn anew."""

    def __init__(self, session: Session, views: TwinViews) -> None:
        self._session, self._views = session, views
        self._cards: list[tuple[int, str, CardPicture]] = []
        self._drawn: dict[str, QImage] = {}
        #: What they were drawn of: the copy and where it was seen from, and the recipe with its values.
        self._bound: tuple[object, list[BoundStep]] = (None, [])

    def clear(self) -> None:
        """The cards are laid anew; pictures of steps that are gone are forgotten."""
        there = {START, *(step.id for step in self._session.state.project.recipe.steps)}
        self._drawn = {key: image for key, image in self._drawn.items() if key in there}
        self._cards = []

    def add(self, count: int, step: str, picture: CardPicture) -> None:
        """A card shows the asset after so many steps; step: the id of the last of them."""
        if step in self._drawn:
            picture.show_image(self._drawn[step])
        self._cards.append((count, step, picture))

    def draw(self, *, values_only: bool = False) -> None:
        """Have them drawn as the document is now. values_only: nothing but values may have changed, so that those
        before the first step that is another are as they were."""
        state, copy, seen_from = self._session.state, self._views.shown.copy, self._views.seen_from
        variant, (shown_before, before) = state.project.active_variant, self._bound
        now = state.bound_steps(variant, Moment(copy, 0.0))
        self._bound = (copy, seen_from), now
        first = 0
        if values_only and (copy, seen_from) == shown_before and len(now) == len(before):
            pairs = enumerate(zip(before, now, strict=True))
            first = next((n for n, (old, new) in pairs if change_of([old], [new]) != NOTHING), len(now)) + 1
        else:
            self._views.pictures.drop("step")
        for count, step, picture in self._cards:
            if count >= first:
                look = Look(variant=variant, steps=count, copy=copy)
                self._views.pictures.request(("step", count), look, PICTURE, self._taker(step, picture))

    def _taker(self, step: str, picture: CardPicture) -> Callable[[QImage], None]:
        """Takes the picture of a step; harmless after its card is gone."""

        def take(image: QImage) -> None:
            self._drawn[step] = image
            with contextlib.suppress(RuntimeError):
                picture.show_image(image)

        return take
