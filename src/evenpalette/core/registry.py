"""Kinds of which there are many, one file each: steps, operations, sources, findings, readers, targets.

A folder of ours is read when it is first imported; a folder that is not ours can be taken besides. Whoever adds a kind
adds a file; no other file lists them.
"""

import pkgutil
import sys
import traceback
from collections.abc import Iterable
from dataclasses import dataclass
from importlib import import_module
from importlib.util import module_from_spec, spec_from_file_location
from pathlib import Path
from types import ModuleType
from typing import Any, Protocol, TypeVar, cast

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
        for found in pkgutil.iter_modules(paths):
            if found.name[0] != "_":
                self._enter(import_module(f"{package}.{found.name}"), f"{found.name}.py")
        self._sort()

    def take(self, folder: Path) -> list[Broken]:
        """Take every kind of a folder that is not ours besides those that are there; what is broken is left out.

        The files run with the rights of whoever calls this: ask before. A kind that is known keeps its key.
        """
        broken = []
        for path in sorted(folder.glob("*.py")):
            if path.name[0] == "_":
                continue
            try:
                self._enter(_loaded(path), str(path))
            except RegistryError as error:
                broken.append(Broken(path, 0, str(error)))
            except (Exception, SystemExit) as error:
                broken.append(Broken(path, _line_of(error, path), f"{type(error).__name__}: {error}"))
        self._sort()
        return broken

    def drop(self, folder: Path) -> None:
        """Leave out again what was taken of a folder."""
        for key in [key for key, file in self._files.items() if Path(file).parent == folder]:
            del self[key], self._files[key]

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


def _loaded(path: Path) -> ModuleType:
    """Run a file as a module of its own; it is not entered among those that can be imported by name."""
    spec = spec_from_file_location(f"evenpalette_own.{path.stem}", path)
    if spec is None or spec.loader is None:
        raise RegistryError(f"{path.name} cannot be read as Python")
    module = module_from_spec(spec)
    sys.modules[spec.name] = module  # dataclasses look their module up there
    try:
        spec.loader.exec_module(module)
    except BaseException:
        del sys.modules[spec.name]
        raise
    return module


def _line_of(error: BaseException, path: Path) -> int:
    """The last line of this file that an error passed through."""
    if isinstance(error, SyntaxError) and error.filename == str(path):
        return error.lineno or 0
    lines: list[Any] = [f.lineno for f in traceback.extract_tb(error.__traceback__) if f.filename == str(path)]
    return lines[-1] if lines else 0
