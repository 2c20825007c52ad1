"""What may be done with a channel of a file, as a menu."""

from collections.abc import Callable, Sequence
from functools import partial

from PyQt6.QtWidgets import QMenu, QWidget

from evenpalette.app.plain import entry
from evenpalette.core.document.layout_model import LayoutChannel

#: What becomes of a channel: one or several, none where it is left empty.
Change = Callable[[LayoutChannel], list[LayoutChannel]]

_STORED = (("it is used", None), ("sRGB", "srgb"), ("plain numbers", "data"))


def channel_menu(
    channel: LayoutChannel | None, sources: Sequence[tuple[str, str]], *, is_alone: bool, fill: Callable[[str], None],
    change: Callable[[Change], None], stretch: Callable[[], None], parent: QWidget,
) -> QMenu:  # fmt: skip
    """channel: None for one that nothing is in. sources: words and what they name, '' for a heading. is_alone: it is
    the only one of its file. fill, change, stretch: what is called with what was chosen."""
    menu = QMenu(parent)
    place = _inner(menu, "Fill it with")
    for words, source in sources:
        if source:
            _add(place, entry(words), partial(fill, source))
        else:
            place.addSection(entry(words))
    if channel is None:
        return menu
    for words, made in _changes(channel):
        _add(menu, words, partial(change, made))
    stored = _inner(menu, "Stored as")
    for words, encode in _STORED:
        _add(stored, words, partial(change, _with(encode=encode)), is_on=channel.encode == encode)
    _add(menu, "Stretched ...", stretch)
    if not is_alone:
        _add(menu, "Nothing", partial(change, lambda _: []))
    return menu


def _changes(channel: LayoutChannel) -> list[tuple[str, Change]]:
    rows = [("As it is" if channel.invert else "Turned around", _with(invert=not channel.invert))]
    if len(channel.to) > 1:
        rows.append(("A picture for each channel", _parted))
    if channel.source.startswith("attribute:normal"):
        other = "up" if channel.green == "down" else "down"
        rows.append((f"Green {other}", _with(green=other)))
        if channel.to == "rgb":
            rows.append(("Two channels are enough", _with(to="rg")))
    return rows


def _with(**parts: object) -> Change:
    return lambda channel: [channel.model_copy(update=parts)]


def _parted(channel: LayoutChannel) -> list[LayoutChannel]:
    """A channel of several letters as one for each."""
    is_plain = channel.source.split(":")[0] in ("attribute", "texture") and "@" not in channel.source
    return [
        channel.model_copy(update={"to": letter, "source": f"{channel.source}.{part}" if is_plain else channel.source})
        for letter, part in zip(channel.to, "rgba", strict=False)
    ]


def _inner(menu: QMenu, words: str) -> QMenu:
    made = menu.addMenu(words)
    assert made is not None
    return made


def _add(menu: QMenu, words: str, do: Callable[[], None], *, is_on: bool | None = None) -> None:
    action = menu.addAction(words)
    assert action is not None
    if is_on is not None:
        action.setCheckable(True)
        action.setChecked(is_on)
    action.triggered.connect(lambda _=False: do())
