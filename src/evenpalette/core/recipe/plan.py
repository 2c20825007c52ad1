"""What must be computed for the attributes that somebody wants, for the CPU and for shaders alike.

The plan walks backwards: an operation is kept when it writes an attribute that is still wanted; what it reads is then
wanted too; one that leaves nothing of what was there ends the chain of its attribute.
"""

from collections.abc import Callable, Iterable, Sequence

from evenpalette.core.dataclass import dataclass
from evenpalette.core.recipe.attributes import BASE_COLOR
from evenpalette.core.recipe.binding import BoundStep
from evenpalette.core.recipe.kind import UV, Op, StepKind


@dataclass(frozen=True)
class StepUse:
    """What a plan must know of a step: its kind, and of each operation whether it does anything and whether it leaves
    nothing of what was there."""

    kind: StepKind
    is_active: Callable[[Op], bool]
    fills: Callable[[Op], bool]


@dataclass(frozen=True)
class Plan:
    """ops: for each step in order the operations that are kept; none is a step that is left out. starts: the attributes
    whose beginning must be read. wanted: what was asked for."""

    ops: tuple[tuple[Op, ...], ...]
    starts: frozenset[str]
    wanted: frozenset[str]

    @property
    def attributes(self) -> frozenset[str]:
        """Every attribute that is held at some time."""
        return self.starts | self.wanted | {op.writes for ops in self.ops for op in ops}

    def maps_of(self, index: int, kind: StepKind) -> tuple[str, ...]:
        """The keys of the maps that a step's kept operations read, its own mask included; the texel's place is one."""
        ops = self.ops[index]
        if not ops:
            return ()
        taken = {key for op in ops for key in op.takes} | set(kind.weigh.takes if kind.weigh is not None else ())
        return (*(m.key for m in kind.maps if m.key in taken), *([UV] if UV in taken else []))


def plan(uses: Sequence[StepUse], wanted: Iterable[str]) -> Plan:
    """The plan of steps for these attributes."""
    asked = frozenset(wanted)
    needed = set(asked)
    kept: list[tuple[Op, ...]] = []
    for use in reversed(uses):
        ops = tuple(op for op in use.kind.ops if op.writes in needed and use.is_active(op))
        needed -= {op.writes for op in ops if use.fills(op)}
        needed |= {attribute for op in ops for attribute in op.reads}
        kept.append(ops)
    return Plan(tuple(reversed(kept)), frozenset(needed), asked)


def plan_of(steps: Sequence[BoundStep], wanted: Iterable[str] = (BASE_COLOR,)) -> Plan:
    """The plan of bound steps, by their values."""
    return plan([StepUse(step.kind, step.is_active, step.fills) for step in steps], wanted)


def whole_plan(steps: Sequence[BoundStep], wanted: Iterable[str]) -> Plan:
    """Every operation of every step, needed or not: what a plan is checked against."""
    starts = frozenset(wanted) | {a for step in steps for op in step.kind.ops for a in (op.writes, *op.reads)}
    return Plan(tuple(step.kind.ops for step in steps), starts, frozenset(wanted))
