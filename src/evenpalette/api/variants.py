"""Variants of a project as mappings from parameters to values."""

from collections.abc import Iterator, Mapping, MutableMapping
from typing import TYPE_CHECKING

from evenpalette.api.places import Value
from evenpalette.core.document.lookup import parameter_named, variant_named
from evenpalette.core.document.state import State
from evenpalette.core.document.variant import MARKS
from evenpalette.core.document.variant import Variant as Held
from evenpalette.core.edits import variants as edit
from evenpalette.core.edits.marks import mark_variants
from evenpalette.core.errors import RecipeError
from evenpalette.core.values import ValueType

if TYPE_CHECKING:
    from evenpalette.api.project import Project


class Variant(MutableMapping[str, Value]):
    """A variant: what each parameter has in it, by the parameter's name; ids serve too.

    Reading gives the value that it has, its own or its parent's. Setting makes it its own, deleting lets it follow the
    parent again. Raises Error for a parameter that there is not, or a value that it cannot have.

    >>> red = evenpalette.open(market / "pennant").variants["Market Red"]
    >>> red["Field tint"] = "#B03020"
    >>> red["field tint"]
    '#b03020'
    >>> red["Field"] = "#000000"  # doctest: +ELLIPSIS
    Traceback (most recent call last):
    evenpalette.core.errors.RecipeError: There is no parameter called 'Field'. There are: Field tint, Bands tint, ...
    """

    def __init__(self, project: "Project", variant_id: str) -> None:
        self._project, self._id = project, variant_id

    @property
    def id(self) -> str:
        """What files call it."""
        return self._id

    @property
    def name(self) -> str:
        """What it is called."""
        return self._held.name

    @name.setter
    def name(self, name: str) -> None:
        self._project._change(lambda s: edit.rename_variant(s, self._id, name))

    @property
    def parent(self) -> "Variant | None":
        """The variant that it is derived from."""
        parent = self._held.parent
        return Variant(self._project, parent) if parent is not None else None

    @property
    def mark(self) -> str:
        """What somebody who looked at it said: 'keep', 'change', 'drop', or '' for nothing."""
        return self._held.mark

    @mark.setter
    def mark(self, mark: str) -> None:
        if mark not in ("", *MARKS):
            raise RecipeError(f"'{mark[:40]}' is no mark: {', '.join(MARKS)}, or '' for none.")
        self._project._change(lambda s: mark_variants(s, {self._id}, mark))

    @property
    def note(self) -> str:
        """What was said of it besides, at most 2,000 letters."""
        return self._held.note

    @note.setter
    def note(self, note: str) -> None:
        self._project._change(lambda s: mark_variants(s, {self._id}, note=note))

    @property
    def own(self) -> dict[str, Value]:
        """The values that it does not take from its parent, by the parameter's name."""
        state = self._project._state
        names = {p.id: p.name for p in state.project.parameters}
        return {names[key]: _shown(state, key, value) for key, value in self._held.values.items() if key in names}

    @property
    def _held(self) -> Held:
        return variant_named(self._project._state, self._id)

    def __getitem__(self, parameter: str) -> Value:
        state = self._project._state
        key = parameter_named(state, parameter).id
        return _shown(state, key, state.values(self._held.id)[key])

    def __setitem__(self, parameter: str, value: Value) -> None:
        def set_it(state: State) -> State:
            key = parameter_named(state, parameter).id
            return edit.set_value(state, variant_named(state, self._id).id, key, stored_value(state, key, value))

        self._project._change(set_it)

    def __delitem__(self, parameter: str) -> None:
        self._project._change(lambda s: edit.reset_value(s, self._id, parameter_named(s, parameter).id))

    def __iter__(self) -> Iterator[str]:
        return iter([p.name for p in self._project._state.project.parameters])

    def __len__(self) -> int:
        return len(self._project._state.project.parameters)

    def __contains__(self, parameter: object) -> bool:
        wanted = str(parameter).lower()
        return any(wanted in (p.name.lower(), p.id) for p in self._project._state.project.parameters)

    def __repr__(self) -> str:
        return f"<Variant {self.name!r} of {self._project.name!r}>"


class Variants(Mapping[str, Variant]):
    """The variants of a project, in their order, by name in any case, or by id."""

    def __init__(self, project: "Project") -> None:
        self._project = project

    def __getitem__(self, name: str) -> Variant:
        return Variant(self._project, variant_named(self._project._state, name).id)

    def __delitem__(self, name: str) -> None:
        """Take a variant out; those derived from it keep their look."""
        self._project._change(lambda s: edit.remove_variant(s, variant_named(s, name).id))

    def __iter__(self) -> Iterator[str]:
        return iter([variant.name for variant in self._project._state.project.variants])

    def __len__(self) -> int:
        return len(self._project._state.project.variants)

    def __contains__(self, name: object) -> bool:
        wanted = str(name).lower()
        return any(wanted in (v.name.lower(), v.id) for v in self._project._state.project.variants)

    def __repr__(self) -> str:
        return f"<Variants {', '.join(self)}>"


def _shown(state: State, parameter_id: str, value: Value) -> Value:
    """A value as people say it: a texture by its name."""
    parameter = parameter_named(state, parameter_id)
    if parameter.type is not ValueType.TEXTURE:
        return value
    names = {t.id: t.name for sheet in state.project.sheets for t in sheet.textures}
    return names.get(str(value), value)


def stored_value(state: State, parameter_id: str, value: Value) -> Value:
    """A value as the document has it: a texture by its id."""
    parameter = parameter_named(state, parameter_id)
    if parameter.type is not ValueType.TEXTURE:
        return value
    ids = {t.name: t.id for sheet in state.project.sheets for t in sheet.textures if t.id in parameter.choices}
    return ids.get(str(value), value)
