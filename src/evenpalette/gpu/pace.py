"""How coarse is drawn what has to follow a hand: as fine as is fast enough."""

#: Seconds that a picture may take that follows the hand, and pixels that a coarse one is wide at most.
_FLUENT, _COARSEST = 1 / 30, 3
#: Milliseconds after a motion that all pixels are drawn.
AT_REST_MS = 160


class Pace:
    """Pixels that one drawn one is wide while something moves: more where pictures come too late."""

    def __init__(self, fluent: float = _FLUENT) -> None:
        """fluent: seconds that a picture may take."""
        self._fluent, self.coarser = fluent, 1

    def took(self, seconds: float) -> None:
        """A picture of a motion was drawn in so many seconds."""
        if seconds > self._fluent * (1.0 if self.coarser == 1 else 1.4):
            self.coarser = min(self.coarser + 1, _COARSEST)

    @property
    def is_coarsest(self) -> bool:
        """Whether no picture, however slow, makes the next one coarser."""
        return self.coarser >= _COARSEST

    def ease(self) -> None:
        """A motion is over, and the next one may be of less: it begins a little finer."""
        self.coarser = max(1, self.coarser - 1)

    def rest(self) -> None:
        """The motion is over."""
        self.coarser = 1

    def hurry(self) -> None:
        """A first picture, however coarse, is wanted soon."""
        self.coarser = _COARSEST
