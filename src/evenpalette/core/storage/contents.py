"""What was made of the content of files, as long as anybody holds it: a project that is opened again, or beside another
one with the same files, shares pixels and mesh, and with them all that is derived from them."""

import hashlib
from collections.abc import Callable, Hashable
from typing import TypeVar
from weakref import WeakValueDictionary

T = TypeVar("T")

_held: WeakValueDictionary[tuple[Hashable, ...], object] = WeakValueDictionary()


def fingerprint(content: bytes) -> bytes:
    """What a content is known by, and what a file of a project is named by."""
    return hashlib.sha256(content).digest()


def known(key: tuple[Hashable, ...], kind: type[T]) -> T | None:
    """What somebody holds under a key; None for nothing."""
    found = _held.get(key)
    return found if isinstance(found, kind) else None


def held(key: tuple[Hashable, ...], kind: type[T], make: Callable[[], T]) -> T:
    """`known`, made where nobody holds it. key: the content's fingerprint, and all else that it is made from. What is
    made is never written to."""
    found = known(key, kind)
    if found is None:
        found = make()
        _held[key] = found
    return found
