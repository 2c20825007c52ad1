"""A collection as a file: the projects by their places, shared values, sets. Plain data, checked as it is read.

Projects lie in the folder of the file or beneath it. What a project takes of it stands in the project too (`Follow`),
so that each opens and is delivered without the others.
"""

import json
import re
from collections.abc import Iterable
from pathlib import Path, PurePosixPath
from typing import Annotated, Literal

from pydantic import AfterValidator, Field, ValidationError, model_validator

from evenpalette.core.collection import ENDING
from evenpalette.core.color.hexcode import format_hex, parse_hex
from evenpalette.core.errors import CollectionError, EvenPaletteError
from evenpalette.core.files import identifier
from evenpalette.core.stored import Stored
from evenpalette.core.values import Value

FORMAT: Literal["even-palette-collection"] = "even-palette-collection"
VERSION: Literal[1] = 1
#: More are refused before anything is looked at.
MOST_PROJECTS, MOST_SHARED, MOST_SETS = 10_000, 1_000, 1_000
_ID = re.compile(r"[a-z0-9][a-z0-9-]{0,79}")


def _plain(text: str) -> str:
    if text != text.strip() or not text.isprintable():
        raise ValueError("a name has no line breaks, control characters or white space around it")
    return text


def _inside(path: str) -> str:
    place = PurePosixPath(path)
    if not path or "\\" in path or not path.isprintable() or place.is_absolute() or ".." in place.parts or path == ".":
        raise ValueError(f"'{path[:60]!s}' is no place beneath the collection's folder")
    return place.as_posix()


def _id(text: str) -> str:
    if not _ID.fullmatch(text):
        raise ValueError(f"'{text[:40]}' is no id: lower case letters, digits and hyphens")
    return text


Name = Annotated[str, Field(min_length=1, max_length=80), AfterValidator(_plain)]
Id = Annotated[str, AfterValidator(_id)]


class CollectedProject(Stored):
    """A project. path: its folder, from the collection's folder on, with '/'."""

    id: Id
    path: Annotated[str, Field(max_length=1024), AfterValidator(_inside)]


class SharedValue(Stored):
    """A value that parameters of several projects follow. value: '#rrggbb' of a color, else a number."""

    id: Id
    name: Name
    type: Literal["color", "number"]
    value: str | float

    @model_validator(mode="after")
    def _fits(self) -> "SharedValue":
        try:
            object.__setattr__(self, "value", self.accept(self.value))
        except EvenPaletteError as error:
            raise ValueError(str(error)) from error
        return self

    def accept(self, value: Value) -> str | float:
        """A value in this type. Raises ValueError, ValueProblem."""
        if self.type == "color":
            return format_hex(parse_hex(str(value)))
        if isinstance(value, bool) or not isinstance(value, int | float) or not abs(value) <= 1e9:
            raise ValueError(f"'{str(value)[:40]}' is no number")
        return float(value)


class VariantSet(Stored):
    """Variants of several projects that belong together. members: ids of variants by the project's id."""

    id: Id
    name: Name
    members: dict[Id, Annotated[str, Field(min_length=1, max_length=80)]] = Field({}, max_length=MOST_PROJECTS)


class Collection(Stored):
    """The file."""

    format: Literal["even-palette-collection"] = FORMAT
    version: Literal[1] = VERSION
    name: Name = "Collection"
    projects: tuple[CollectedProject, ...] = Field((), max_length=MOST_PROJECTS)
    shared: tuple[SharedValue, ...] = Field((), max_length=MOST_SHARED)
    sets: tuple[VariantSet, ...] = Field((), max_length=MOST_SETS)

    @model_validator(mode="after")
    def _once(self) -> "Collection":
        for what, all_of in (
            ("project", (p.id for p in self.projects)), ("place", (p.path.lower() for p in self.projects)),
            ("shared value", (s.id for s in self.shared)), ("shared value", (s.name.lower() for s in self.shared)),
            ("set", (s.id for s in self.sets)), ("set", (s.name.lower() for s in self.sets)),
        ):  # fmt: skip
            seen: set[str] = set()
            for one in all_of:
                if one in seen:
                    raise ValueError(f"the {what} '{one[:60]}' is there twice")
                seen.add(one)
        return self

    def project(self, project_id: str) -> CollectedProject | None:
        """The project with this id."""
        return next((p for p in self.projects if p.id == project_id), None)

    def shared_value(self, name: str) -> SharedValue:
        """A shared value by its id, or its name in any case. Raises CollectionError."""
        wanted = name.strip().lower()
        for shared in self.shared:
            if name == shared.id or wanted == shared.name.lower():
                return shared
        known = ", ".join(s.name for s in self.shared) or "none"
        raise CollectionError(f"There is no shared value '{name[:80]}'. There are: {known}.")

    def set_named(self, name: str) -> VariantSet:
        """A set by its id, or its name in any case. Raises CollectionError."""
        wanted = name.strip().lower()
        for one in self.sets:
            if name == one.id or wanted == one.name.lower():
                return one
        known = ", ".join(s.name for s in self.sets) or "none"
        raise CollectionError(f"There is no set '{name[:80]}'. There are: {known}.")


def free_id(name: str, taken: Iterable[str]) -> str:
    """An id made of a name that none of these is."""
    held, base = set(taken), identifier(name, "one").replace("_", "-").lower()[:60].strip("-") or "one"
    made, number = base, 2
    while made in held:
        made, number = f"{base}-{number}", number + 1
    return made


def parse_collection(content: bytes, where: str) -> Collection:
    """The checked contents of a file. Raises CollectionError with the place and the reason."""
    try:
        raw = json.loads(content.decode("utf-8"))
    except (ValueError, RecursionError) as error:
        raise CollectionError(f"{where} is no collection: {str(error)[:100]}.") from error
    if not isinstance(raw, dict) or raw.get("format") != FORMAT:
        raise CollectionError(f"{where} is no collection of Even Palette.")
    if isinstance(raw.get("version"), int) and raw["version"] > VERSION:
        raise CollectionError(f"{where} was saved by a newer Even Palette (version {raw['version']}).")
    for key, most in (("projects", MOST_PROJECTS), ("shared", MOST_SHARED), ("sets", MOST_SETS)):
        if isinstance(raw.get(key), list) and len(raw[key]) > most:
            raise CollectionError(f"{where} names {len(raw[key])} {key}; at most {most} are taken.")
    try:
        return Collection.model_validate(raw)
    except ValidationError as error:
        first = error.errors(include_input=False, include_url=False)[0]
        place = " > ".join(str(part)[:60] for part in first["loc"])
        raise CollectionError(
            f"{where} is damaged{f' at {place}' if place else ''}: {first['msg'][:200].rstrip('.')}."
        ) from error
    except (RecursionError, EvenPaletteError) as error:
        raise CollectionError(f"{where} is damaged: {str(error)[:200]}.") from error


def collection_text(collection: Collection) -> str:
    """As it is written: readable, with a line for each thing, so that two people's changes can be merged."""
    return json.dumps(collection.model_dump(mode="json"), indent=2, ensure_ascii=False) + "\n"


def is_collection(path: Path) -> bool:
    """Whether a file is called as collections are."""
    return path.name.endswith(ENDING)
