"""Undo and redo of every change, each with a readable label."""

from collections.abc import Callable

from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State

LONGEST = 200
#: Pixels that only the history keeps may take so much; beyond it the oldest changes go.
MOST_BYTES = 2 << 30


@dataclass(frozen=True)
class Entry:
    """A change: its label, the state it led to, and a key; following changes with the same key join into one."""

    label: str
    state: State
    key: str = ""


class History:
    """The states of a document in order, and where in them it stands."""

    def __init__(self, state: State, label: str = "Opened", most_bytes: int = MOST_BYTES) -> None:
        self._most_bytes = most_bytes
        self._entries = [Entry(label, state)]
        self._position = 0

    @property
    def state(self) -> State:
        """The document as it is now."""
        return self._entries[self._position].state

    @property
    def labels(self) -> list[str]:
        """Labels from the oldest to the newest change."""
        return [entry.label for entry in self._entries]

    @property
    def position(self) -> int:
        """Index of the present state in `labels`."""
        return self._position

    def push(self, label: str, state: State, key: str = "") -> None:
        """Make `state` the present one; what was undone before is dropped."""
        del self._entries[self._position + 1 :]
        newest = self._entries[-1]
        if key and newest.key == key:
            self._entries[-1] = Entry(label, state, key)
            return
        self._entries.append(Entry(label, state, key))
        while len(self._entries) > 2 and (len(self._entries) > LONGEST or self._bytes() > self._most_bytes):
            del self._entries[0]
        self._position = len(self._entries) - 1

    def amend(self, change: Callable[[State], State]) -> None:
        """Have something known in every state: what is no change of the artist's, and is not undone."""
        self._entries = [Entry(entry.label, change(entry.state), entry.key) for entry in self._entries]

    def refine(self, state: State) -> None:
        """Put another state in the place of the present one: work that it began has come to its end."""
        entry = self._entries[self._position]
        self._entries[self._position] = Entry(entry.label, state, entry.key)

    def _bytes(self) -> int:
        """Memory of all pixels that the states hold, each counted once."""
        held = {id(array): array.nbytes for entry in self._entries for array in entry.state.arrays()}
        return sum(held.values())

    def seal(self) -> None:
        """The next change starts an entry of its own, even under the same key."""
        entry = self._entries[self._position]
        self._entries[self._position] = Entry(entry.label, entry.state)

    def go_to(self, position: int) -> State:
        """Move to a position of `labels`; out-of-range ones are clamped."""
        self._position = min(max(position, 0), len(self._entries) - 1)
        return self.state

    def undo(self) -> State:
        """One change back."""
        return self.go_to(self._position - 1)

    def redo(self) -> State:
        """One change forward."""
        return self.go_to(self._position + 1)

    @property
    def undo_label(self) -> str:
        """The change that undo takes back, or ''."""
        return self._entries[self._position].label if self._position > 0 else ""

    @property
    def redo_label(self) -> str:
        """The change that redo brings back, or ''."""
        return self._entries[self._position + 1].label if self._position + 1 < len(self._entries) else ""
