"""A channel of a file as a picture of what it holds, with where that comes from; what is dropped on it lies there."""

from evenpalette.app.plain import entry, plain
from evenpalette.app.stations.delivery.taking_picture import TakingPicture
from evenpalette.core.document.layout_model import LayoutChannel

SIDE = 76
_LETTERS = {"r": "Red", "g": "Green", "b": "Blue", "a": "Alpha"}


class ChannelPicture(TakingPicture):
    """A click or Space asks what is to lie there, Del empties it."""

    def __init__(self, letters: str, channel: LayoutChannel | None) -> None:
        """letters: those of the file that it stands for. channel: None for one that nothing fills yet."""
        super().__init__(SIDE)
        self.letters, self.channel = letters, channel
        self.layer = channel.layer if channel is not None else ""
        name = "Color" if len(letters) == 3 else " and ".join(_LETTERS[letter] for letter in letters)
        words = channel.words if channel is not None else "nothing"
        name = f"{self.layer}, {name.lower()}" if self.layer else name
        self.setText(entry(f"{name}\n{self.fitted(words)}"))
        self.setToolTip(plain(f"{name}: {words}. Click, or drop a region, a map or a texture on it"))
        self.setAccessibleName(f"{name}: {words}")
