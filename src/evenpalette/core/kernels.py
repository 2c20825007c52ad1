"""Numeric kernels that are compiled when they are first called: importing numba takes longer than showing a window.

`njit` and `prange` stand in for numba's own. What a kernel calls by name is put in its place when it is compiled.
numba keeps compiled code on disk until the file of the kernel changes; here it is also made anew when the file of a
kernel that it calls did, which may have been inlined.
"""

import os
import sys
import threading
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any

import platformdirs

from evenpalette import __version__

#: A loop that numba may share out over threads.
prange = range


def call_address(address: int, one: int, two: int, three: int) -> None:
    """Call a C function `void (void *, void *, void *)` by its address, inside a kernel; all are int64."""
    raise NotImplementedError("only compiled kernels can call an address")


def floats_at(address: int, count: int) -> Any:
    """So many float32 at an address, inside a kernel; nobody asks whether they are there."""
    raise NotImplementedError("only compiled kernels can read an address")


def words_at(address: int, count: int) -> Any:
    """So many int64 at an address, inside a kernel."""
    raise NotImplementedError("only compiled kernels can read an address")


def bytes_at(address: int, count: int) -> Any:
    """So many uint8 at an address, inside a kernel."""
    raise NotImplementedError("only compiled kernels can read an address")


_MADE_BY = "evenpalette_kernel"
_lock = threading.RLock()


class Kernel:
    """A function on its way to being compiled. Called like the function itself."""

    def __init__(self, function: Callable[..., Any], options: dict[str, Any]) -> None:
        self._function, self._options = function, options
        self._compiled: Callable[..., Any] | None = None
        self._address: int | None = None
        self._files = {Path(function.__code__.co_filename)}
        self.__name__, self.__doc__ = function.__name__, function.__doc__

    def __call__(self, *arguments: Any) -> Any:
        return (self._compiled or self.compiled())(*arguments)

    def compiled(self) -> Callable[..., Any]:
        """The kernel as numba has it; kernels that it calls are compiled with it."""
        with _lock:
            if self._compiled is None:
                # Threads that wait for each other by turning around take ten times as long where others work too.
                os.environ.setdefault("OMP_WAIT_POLICY", "passive")
                import numba

                around = self._function.__globals__
                for name in self._function.__code__.co_names:
                    if isinstance(held := around.get(name), Kernel):
                        around[name] = held.compiled()
                        self._files |= held._files
                    elif isinstance(called := getattr(held, _MADE_BY, None), Kernel):
                        self._files |= called._files
                    elif held is prange and name == "prange":
                        around[name] = numba.prange
                    elif held is call_address:
                        around[name] = _address_call()
                    elif callable(held) and held in _AT_ADDRESS:
                        around[name] = _array_at(_AT_ADDRESS[held])
                made = _for_any_number(numba.njit(**self._options)(self._function))
                self._forget_outdated(made.stats.cache_path)
                setattr(made, _MADE_BY, self)
                if around.get(self.__name__) is self:
                    around[self.__name__] = made
                self._compiled = made
            return self._compiled

    def address(self) -> int:
        """Where a kernel of three int64 that gives nothing is in memory: a C function of three such numbers, for
        `call_address`. It is there as long as the kernel is, and must not raise."""
        if self._address is None:
            from numba import types

            made: Any = self.compiled()
            taken = (types.int64,) * 3
            made.compile(taken)
            kept = made.overloads[taken]
            self._address = int(kept.library.get_pointer_to_function(kept.fndesc.llvm_cfunc_wrapper_name))
        return self._address

    def _forget_outdated(self, folder: str | None) -> None:
        """Take away what numba kept of this kernel before the files of the kernels that it calls were changed."""
        if folder is None:
            return
        code = self._function.__code__
        changed = max((file.stat().st_mtime for file in self._files if file.exists()), default=0.0)
        for index in Path(folder).glob(f"{Path(code.co_filename).stem}.{self.__name__}-{code.co_firstlineno}.*.nbi"):
            if index.stat().st_mtime < changed:
                index.unlink(missing_ok=True)


def _for_any_number(made: Any) -> Any:
    """A compiled function that is not compiled once more for each constant that kernels call it with: that took a tenth
    of the time that all take, and gained nothing, for LLVM knows the constant where it puts the function in."""
    from numba.core.types import unliteral

    call = made.get_call_template
    made.get_call_template = lambda args, kws: call(
        tuple(unliteral(kind) for kind in args), {name: unliteral(kind) for name, kind in kws.items()}
    )
    return made


def code_address(kernel: Any) -> int:
    """`Kernel.address` of a kernel, compiled or not: a module's name stands for what numba made once it is."""
    return int(getattr(kernel, _MADE_BY, kernel).address())


#: What stands for reading an address, and the type of what is read.
_AT_ADDRESS: dict[Any, str] = {floats_at: "float32", words_at: "int64", bytes_at: "uint8"}


@cache
def _array_at(dtype: str) -> Callable[..., Any]:
    """What stands for `floats_at` and its like in compiled kernels."""
    import numba
    from numba import types
    from numba.core import cgutils
    from numba.core.typing import signature
    from numba.extending import intrinsic

    kind = getattr(types, dtype)

    def pointed(_typing: Any, _address: Any) -> Any:
        def generate(_context: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
            return builder.inttoptr(arguments[0], cgutils.voidptr_t)

        return signature(types.voidptr, types.int64), generate

    pointer: Any = intrinsic(pointed)

    def array(address: int, count: int) -> Any:
        return numba.carray(pointer(address), (count,), kind)

    return _for_any_number(numba.njit(nogil=True)(array))


@cache
def _address_call() -> Callable[..., Any]:
    """What stands for `call_address` in compiled kernels."""
    from llvmlite import ir
    from numba import types
    from numba.core.typing import signature
    from numba.extending import intrinsic

    def call(_typing: Any, address: Any, one: Any, two: Any, three: Any) -> Any:
        def generate(_context: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
            pointer = ir.IntType(8).as_pointer()
            kind = ir.FunctionType(ir.VoidType(), [pointer] * 3).as_pointer()
            given = [builder.inttoptr(argument, pointer) for argument in arguments[1:]]
            builder.call(builder.inttoptr(arguments[0], kind), given)
            return ir.Constant(ir.IntType(64), 0)

        return signature(types.int64, *[types.int64] * 4), generate

    return intrinsic(call)


def njit(**options: Any) -> Callable[[Callable[..., Any]], Any]:
    """Compile a function with numba's `njit` and these options when it is first called.

    Kernels of `fastmath` divide as NumPy does: a division that could raise an error is a branch, and no loop with a
    branch is vectorized. They keep their divisors from zero themselves.
    """
    if options.get("fastmath"):
        options = {"error_model": "numpy", **options}
    return lambda function: Kernel(function, options)


def is_prepared() -> bool:
    """Whether all kernels of this version have been compiled and kept on this machine."""
    return any(mark.is_file() for mark in _marks())


def mark_prepared() -> None:
    """Say that they have."""
    for mark in _marks():
        try:
            mark.parent.mkdir(parents=True, exist_ok=True)
            mark.write_text("all kernels of this version have been compiled\n")
            return
        except OSError:
            continue


def _marks() -> tuple[Path, Path]:
    """Beside the compiled kernels, as numba lays them: with the package, or with the user where that cannot be
    written."""
    name = f"kernels-{__version__}-{sys.implementation.cache_tag}.made"
    return Path(__file__).parent / "__pycache__" / name, platformdirs.user_cache_path("evenpalette") / name
