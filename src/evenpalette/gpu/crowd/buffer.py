"""The copies of a model in the buffer that one draw call reads."""

import moderngl
import numpy as np

from evenpalette.core.crowd import COPY, Copies

#: A copy for a vertex array: per instance.
FORMAT = "2f 2f 1i 1u 1f 1i/i"
NAMES = ("copy_place", "copy_turn", "copy_row", "copy_number", "copy_phase", "copy_group")
#: What a vertex shader says to set a copy on its place.
GLSL = """
in vec2 copy_place; in vec2 copy_turn; in int copy_row; in uint copy_number; in float copy_phase; in int copy_group;
vec3 copy_turned(vec3 p) { return vec3(p.x * copy_turn.x + p.z * copy_turn.y, p.y, p.z * copy_turn.x - p.x * copy_turn.y); }
"""


class CrowdBuffer:
    """Copies where a draw call finds them; a copy that changes is written alone."""

    def __init__(self, ctx: moderngl.Context) -> None:
        self._ctx = ctx
        self._buffer: moderngl.Buffer | None = None
        self._held = np.zeros(0, COPY)
        self.written = 0

    @property
    def count(self) -> int:
        """How many copies there are."""
        return len(self._held)

    @property
    def buffer(self) -> moderngl.Buffer:
        """What a vertex array is made with, by FORMAT and NAMES."""
        assert self._buffer is not None
        return self._buffer

    def set(self, wanted: Copies) -> bool:
        """Have these copies; returns whether the buffer is another one than before."""
        size = max(len(wanted), 1) * COPY.itemsize
        if self._buffer is None or self._buffer.size < size:
            if self._buffer is not None:
                self._buffer.release()
            self._buffer = self._ctx.buffer(reserve=max(size, 64 * COPY.itemsize), dynamic=True)
            self._buffer.write(wanted.tobytes())
            self._held, self.written = wanted.copy(), len(wanted)
            return True
        common = min(len(wanted), len(self._held))
        changed = np.flatnonzero(wanted[:common] != self._held[:common]).tolist()
        self.written = len(changed) + max(0, len(wanted) - common)
        if len(changed) > 64:
            self._buffer.write(wanted.tobytes())
        else:
            for index in changed:
                self._buffer.write(wanted[index : index + 1].tobytes(), offset=index * COPY.itemsize)
            if len(wanted) > common:
                self._buffer.write(wanted[common:].tobytes(), offset=common * COPY.itemsize)
        self._held = wanted.copy()
        return False

    def release(self) -> None:
        """Give the memory back."""
        if self._buffer is not None:
            self._buffer.release()
