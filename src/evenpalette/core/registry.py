"""Kinds of which there are many, one file each: steps, operations, sources, findings, readers, targets.

A folder of ours is read when it is first imported; a folder that is not ours can be taken besides. Whoever adds a kind
adds a file; no other file lists them.
"""

import hashlib
import linecache
import pkgutil
import sys
import traceback
from collections.abc import Iterable
from importlib import import_module
from pathlib import Path
from types import ModuleType
from typing import Any, Protocol, TypeVar, cast

from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import RegistryError


class Kind(Protocol):
    """What every kind has: a key that no other of its registry has, and its place among them."""

    @property
    def key(self) -> str:
        """What files call it."""

    @property
    def order(self) -> float:
        """Where it stands; of two that are equal the key decides."""


K = TypeVar("K", bound=Kind)


@dataclass(frozen=True)
class Broken:
    """A file that defines no kind, and why. line: counted from 1, 0 where none can be named."""

    path: Path
    line: int
    reason: str

    def __str__(self) -> str:
        return f"{self.path.name}, line {self.line}: {self.reason}" if self.line else f"{self.path.name}: {self.reason}"


class Registry(dict[str, K]):
    """The kinds of one sort by their keys, in their order.

    package, paths: of the folder of ours, as its `__init__` has them; modules with a leading underscore are helpers.
    name: what each file defines. Raises RegistryError where a file of ours defines nothing, or a key that is taken.
    """

    def __init__(self, package: str, paths: Iterable[str], name: str) -> None:
        super().__init__()
        self._name = name
        self._files: dict[str, str] = {}
        #: Of kinds that are not ours, by key: a hash of the file that defines it.
        self.words: dict[str, str] = {}
        for found in pkgutil.iter_modules(paths):
            if found.name[0] != "_":
                self._enter(import_module(f"{package}.{found.name}"), f"{found.name}.py")
        self._sort()

    def take_source(self, path: Path, content: bytes) -> Broken | None:
        """Take the kind of a file that is not ours, of exactly this content; says why it defines none. Asks nobody: it
        runs with the rights of whoever calls this."""
        try:
            self._enter(_loaded(path, content), str(path))
            self._sort()
        except RegistryError as error:
            return Broken(path, 0, str(error))
        except (Exception, SystemExit) as error:
            return Broken(path, _line_of(error, path), f"{type(error).__name__}: {error}")
        self.words[self._key_of(path)] = hashlib.sha256(content).hexdigest()
        return None

    def _key_of(self, path: Path) -> str:
        return next(key for key, file in self._files.items() if file == str(path))

    def drop_file(self, path: Path) -> None:
        """Leave out again what was taken of a file."""
        for key in [key for key, file in self._files.items() if file == str(path)]:
            del self[key], self._files[key]
            self.words.pop(key, None)

    def take(self, folder: Path) -> list[Broken]:
        """Take every kind of a folder that is not ours besides those that are there; what is broken is left out.

        The files run with the rights of whoever calls this: ask before. A kind that is known keeps its key.
        """
        broken = []
        for path in sorted(folder.glob("*.py")):
            if path.name[0] == "_":
                continue
            try:
                content = path.read_bytes()
            except OSError as error:
                broken.append(Broken(path, 0, f"it cannot be read: {error.strerror}"))
                continue
            if (wrong := self.take_source(path, content)) is not None:
                broken.append(wrong)
        return broken

    def drop(self, folder: Path) -> None:
        """Leave out again what was taken of a folder."""
        for file in [file for file in self._files.values() if Path(file).parent == folder]:
            self.drop_file(Path(file))

    def _enter(self, module: ModuleType, file: str) -> None:
        kind = getattr(module, self._name, None)
        if kind is None:
            raise RegistryError(f"{file} defines no {self._name}")
        if kind.key in self:
            raise RegistryError(f"{file}: '{kind.key}' is the key of {self._files[kind.key]} already")
        self[kind.key], self._files[kind.key] = cast(K, kind), file

    def _sort(self) -> None:
        kinds = sorted(self.items(), key=lambda item: (item[1].order, item[0]))
        self.clear()
        self.update(kinds)


def _loaded(path: Path, content: bytes) -> ModuleType:
    """Run a file's content as a module of its own; it is not entered among those that can be imported by name."""
    module = ModuleType(f"evenpalette_own.{path.stem}")
    module.__file__ = str(path)
    # What looks a module up, as dataclasses and kernels do, finds it; what a traceback shows is what was run.
    sys.modules[module.__name__] = module
    linecache.cache[str(path)] = (
        len(content), None, content.decode("utf-8", "replace").splitlines(keepends=True), str(path)
    )  # fmt: skip
    try:
        exec(compile(content, str(path), "exec"), module.__dict__)
    except BaseException:
        del sys.modules[module.__name__]
        raise
    return module


def _line_of(error: BaseException, path: Path) -> int:
    """The last line of this file that an error passed through."""
    if isinstance(error, SyntaxError) and error.filename == str(path):
        return error.lineno or 0
    lines: list[Any] = [f.lineno for f in traceback.extract_tb(error.__traceback__) if f.filename == str(path)]
    return lines[-1] if lines else 0
