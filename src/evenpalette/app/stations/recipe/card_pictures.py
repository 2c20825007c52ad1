"""The small pictures on the cards of a recipe: the asset after each step."""

import contextlib
from collections.abc import Callable

from PyQt6.QtGui import QImage

from evenpalette.app.session import Session
from evenpalette.app.stations.recipe.card_parts import PICTURE, CardPicture
from evenpalette.app.views import TwinViews
from evenpalette.gpu.look import Look

#: What the start of the recipe, before its first step, is called.
START = ""


class CardPictures:
    """Has them drawn; what was drawn last of a step stands on its card until it is drawn anew."""

    def __init__(self, session: Session, views: TwinViews) -> None:
        self._session, self._views = session, views
        self._cards: list[tuple[int, str, CardPicture]] = []
        self._drawn: dict[str, QImage] = {}

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

    def draw(self) -> None:
        """Have all of them drawn as the document is now."""
        variant = self._session.state.project.active_variant
        self._views.pictures.drop("step")
        for count, step, picture in self._cards:
            look = Look(variant=variant, steps=count, copy=self._views.shown.copy)
            self._views.pictures.request(("step", count), look, PICTURE, self._taker(step, picture))

    def _taker(self, step: str, picture: CardPicture) -> Callable[[QImage], None]:
        """Takes the picture of a step; harmless after its card is gone."""

        def take(image: QImage) -> None:
            self._drawn[step] = image
            with contextlib.suppress(RuntimeError):
                picture.show_image(image)

        return take
