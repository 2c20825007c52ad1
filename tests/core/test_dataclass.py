"""Held against the standard library's `dataclass`, which ours stands for."""

import dataclasses
import pickle
from dataclasses import FrozenInstanceError, asdict, field, fields, replace
from functools import cached_property

import pytest

from evenpalette.core.dataclass import dataclass


def family(decorator, module):
    """A class of each kind that the code has, made by a decorator."""

    @decorator(frozen=True)
    class Lamp:
        name: str
        bright: float = 0.5
        parts: list = field(default_factory=list)
        stored: bytes = field(default=b"", repr=False)
        seen: int = field(default=0, compare=False)
        made: int = field(default=3, init=False)

        def __post_init__(self):
            object.__setattr__(self, "bright", self.bright * 2)

        @cached_property
        def loud(self):
            return self.name.upper()

    @decorator(frozen=True)
    class Lantern(Lamp):
        handle: tuple = ()

    @decorator(frozen=True, eq=False)
    class Apart:
        name: str = "a"

    @decorator
    class Open:
        count: int = 0
        names: dict = field(default_factory=dict)

    @decorator(frozen=True)
    class Nothing:
        pass

    @decorator(frozen=True)
    class Own:
        one: int

        def __repr__(self):
            return "own"

        def __eq__(self, other):
            return isinstance(other, Own)

        def __hash__(self):
            return 7

    found = {"Lamp": Lamp, "Lantern": Lantern, "Apart": Apart, "Open": Open, "Nothing": Nothing, "Own": Own}
    for made in found.values():
        made.__qualname__ = made.__name__
        made.__module__ = module
    return found


OURS, THEIRS = family(dataclass, __name__), family(dataclasses.dataclass, "elsewhere")
globals().update(OURS)


def said(action):
    """What comes of an action: its result, or the kind of its error."""
    try:
        return action()
    except (TypeError, ValueError, AttributeError) as error:
        return type(error)


@pytest.mark.parametrize("name", OURS)
def test_a_class_is_used_as_the_standard_library_s(name):
    ways = [
        lambda kind: kind(),
        lambda kind: kind("a"),
        lambda kind: kind("a", 1.0, ["x"]),
        lambda kind: kind(name="a"),
        lambda kind: kind(name="a", parts=[1], seen=4),
        lambda kind: kind("a", name="b"),
        lambda kind: kind(unknown=1),
        lambda kind: kind("a", made=1),
        lambda kind: kind(one=1),
        lambda kind: kind(3, {"a": 1}),
    ]
    for way in ways:
        (ours, other), (theirs, twin) = ([said(lambda: way(kind)) for _ in range(2)] for kind in (OURS[name], THEIRS[name]))  # noqa: B023 - at once  # fmt: skip
        if isinstance(theirs, type):
            assert ours is theirs
            continue
        assert repr(ours) == repr(theirs)
        assert (ours == other) is (theirs == twin)
        assert ours != theirs
        assert ours != "a"
        assert asdict(ours) == asdict(theirs)
        assert [(one.name, one.default) for one in fields(ours)] == [(one.name, one.default) for one in fields(theirs)]
        for action in (
            lambda thing: hash(thing) == hash(replace(thing)),
            lambda thing: setattr(thing, "name", "b"),
            lambda thing: setattr(thing, "unknown", "b"),
            lambda thing: delattr(thing, "name"),
            lambda thing: asdict(replace(thing, name="c")),
            lambda thing: asdict(replace(thing, count=9)),
            lambda thing: replace(thing, made=1),
            lambda thing: thing.loud,
            lambda thing: thing.__match_args__,
            lambda thing: thing == replace(thing, seen=9),
        ):
            assert said(lambda: action(ours)) == said(lambda: action(theirs))  # noqa: B023 - at once


def test_what_is_frozen_says_so_and_is_not_shared():
    lamp = OURS["Lamp"]("flame")
    with pytest.raises(FrozenInstanceError, match="'name'"):
        lamp.name = "other"
    assert lamp.parts is not OURS["Lamp"]("flame").parts
    assert pickle.loads(pickle.dumps(lamp)) == lamp
    assert {OURS["Nothing"]()} == {OURS["Nothing"]()}
