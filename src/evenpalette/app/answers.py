"""Answers that come late: what a callback would tell may be deleted by the time it is called."""

import functools
from collections.abc import Callable, Iterator
from typing import Any

from PyQt6 import sip

#: A callback that holds a callback that holds another: deeper than this nobody passes them on.
_DEEPEST = 4


def answer(callback: Callable[..., Any], *found: Any) -> bool:
    """Call it with what was found, unless a dialog, page or other Qt object that it speaks to is gone; says whether."""
    if is_stale(callback):
        return False
    callback(*found)
    return True


def is_stale(callback: Callable[..., Any]) -> bool:
    """Whether a callback is a method of a Qt object that was deleted, or holds one."""
    return any(isinstance(held, sip.simplewrapper) and sip.isdeleted(held) for held in _held(callback, _DEEPEST))


def _held(callback: object, depth: int) -> Iterator[object]:
    if isinstance(callback, sip.simplewrapper):
        yield callback
    elif depth and callable(callback):
        inside: list[object] = [getattr(callback, "__self__", None), *(getattr(callback, "__defaults__", None) or ())]
        for cell in getattr(getattr(callback, "__func__", callback), "__closure__", None) or ():
            try:
                inside.append(cell.cell_contents)
            except ValueError:  # it is not bound yet
                continue
        if isinstance(callback, functools.partial):
            inside += [callback.func, *callback.args, *callback.keywords.values()]
        for item in inside:
            yield from _held(item, depth - 1)
