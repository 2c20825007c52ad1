"""A channel of a texture: 'texture id:0..3', with ':inverted' behind it where it is; '' for none."""

from typing import NamedTuple

from evenpalette.core.errors import ValueProblem
from evenpalette.core.values.kind import Value, ValueKind, ValueType, Within, text_of


class ChannelRef(NamedTuple):
    """One channel (0 red .. 3 alpha) of a texture, taken as data 0..1."""

    texture: str
    channel: int = 0
    invert: bool = False

    @classmethod
    def parse(cls, text: str) -> "ChannelRef | None":
        """The channel that text names, None for ''. Raises ValueProblem."""
        if not text:
            return None
        bare = text.removesuffix(":inverted")
        texture, _, channel = bare.rpartition(":")
        if not texture or channel not in ("0", "1", "2", "3"):
            raise ValueProblem(f"A channel is a texture's id, a colon and 0 to 3, not '{text[:60]}'.")
        return cls(texture, int(channel), bare != text)

    def __str__(self) -> str:
        return f"{self.texture}:{self.channel}" + (":inverted" if self.invert else "")


def _accept(value: object, within: Within) -> Value:
    ref = ChannelRef.parse(text_of(value, ValueType.CHANNEL, within))
    return "" if ref is None else str(ref)


KIND = ValueKind(ValueType.CHANNEL, 9, _accept, is_written=True)
