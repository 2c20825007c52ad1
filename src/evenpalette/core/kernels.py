"""Numeric kernels that are compiled when they are first called: importing numba takes longer than showing a window.

`njit` and `prange` stand in for numba's own. What a kernel calls by name is put in its place when it is compiled.
"""

import threading
from collections.abc import Callable
from typing import Any

#: A loop that numba may share out over threads.
prange = range
_lock = threading.RLock()


class Kernel:
    """A function on its way to being compiled. Called like the function itself."""

    def __init__(self, function: Callable[..., Any], options: dict[str, Any]) -> None:
        self._function, self._options = function, options
        self._compiled: Callable[..., Any] | None = None
        self.__name__, self.__doc__ = function.__name__, function.__doc__

    def __call__(self, *arguments: Any) -> Any:
        return (self._compiled or self.compiled())(*arguments)

    def compiled(self) -> Callable[..., Any]:
        """The kernel as numba has it; kernels that it calls are compiled with it."""
        with _lock:
            if self._compiled is None:
                import numba

                around = self._function.__globals__
                for name in self._function.__code__.co_names:
                    if isinstance(held := around.get(name), Kernel):
                        around[name] = held.compiled()
                    elif held is prange and name == "prange":
                        around[name] = numba.prange
                made = numba.njit(**self._options)(self._function)
                if around.get(self.__name__) is self:
                    around[self.__name__] = made
                self._compiled = made
            return self._compiled


def njit(**options: Any) -> Callable[[Callable[..., Any]], Any]:
    """Compile a function with numba's `njit` and these options when it is first called."""
    return lambda function: Kernel(function, options)
