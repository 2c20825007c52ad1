"""Values of a text while it is run with names in place of numbers, and the standard nodes that work on them.

MaterialX Specification 1.39, "Standard Nodes". What is known is worked out, the rest becomes a node.
"""

import math
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import replace

from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import RecipeError
from evenpalette.core.recipe.languages.tree import BUILT_IN, is_matrix, scalar_of, size_of, vector_of

#: Types of nodes by those of the text.
NODE_TYPES = {
    "sampler2D": "filename",
    "color3": "color3",
    "float": "float",
    "vec2": "vector2",
    "vec3": "vector3",
    "vec4": "vector4",
    "int": "integer",
}
#: No graph has more nodes: who reads it, or compiles it, would wait.
MOST_NODES = 4000
LETTERS = {letter: at for letters in ("xyzw", "rgba", "stpq") for at, letter in enumerate(letters)}
_ONE = {
    "abs": "absval", "sign": "sign", "floor": "floor", "ceil": "ceil", "round": "round", "sqrt": "sqrt", "exp": "exp", "log": "ln",
    "sin": "sin", "cos": "cos", "tan": "tan", "asin": "asin", "acos": "acos", "normalize": "normalize",
}  # fmt: skip
_TWO = {"+": "add", "-": "subtract", "*": "multiply", "/": "divide", "min": "min", "max": "max", "pow": "power"}
_TURNED = {"<": ">", "<=": ">="}
_COMPARED = {"lessThan": "<", "lessThanEqual": "<=", "greaterThan": ">", "greaterThanEqual": ">=", "equal": "=="}
_BY_ONE: dict[str, Callable[[float], float]] = {
    "abs": abs, "sign": lambda v: float((v > 0) - (v < 0)), "floor": math.floor, "ceil": math.ceil, "round": round, "sqrt": math.sqrt,
    "exp": math.exp, "log": math.log, "sin": math.sin, "cos": math.cos, "tan": math.tan, "asin": math.asin, "acos": math.acos,
}  # fmt: skip
_BY_TWO: dict[str, Callable[[float, float], float]] = {
    "+": lambda a, b: a + b, "-": lambda a, b: a - b, "*": lambda a, b: a * b, "/": lambda a, b: a / b, "min": min, "max": max,
    "pow": lambda a, b: a**b,
}  # fmt: skip


class UnsayableError(RecipeError):
    """There is no standard node for it."""


@dataclass(frozen=True)
class Val:
    """What an expression is: numbers that are known, the output of a node, an input of the whole, or a question.

    known: its numbers. node, given: the name of the node or input. parts: its components, of what was put together.
    ask: of a bool: (operator, one, other). fields: of a struct.
    """

    type: str
    known: tuple[float, ...] | None = None
    node: str = ""
    given: str = ""
    parts: tuple["Val", ...] = ()
    ask: tuple[str, "Val", "Val"] | None = None
    fields: tuple[tuple[str, "Val"], ...] = ()


@dataclass(frozen=True)
class Node:
    """A node: its name, what it does, its type, its inputs by name with what they are."""

    name: str
    does: str
    type: str
    inputs: tuple[tuple[str, str, Val], ...]


def number(value: float) -> Val:
    """A number that is known."""
    return Val("float", (float(value),))


class NodeValues:
    """What nodes make of values; holds the nodes."""

    def __init__(self) -> None:
        self.nodes: dict[tuple[object, ...], Node] = {}
        #: The place on the surface, counted upward as nodes have it.
        self._up = Val("vec2", given="uv")
        across, up = self.parts(self._up)
        #: The same counted downward, as texts have it.
        self.place = self.made("vec2", [across, self.two("-", number(1), up)])

    def parts(self, value: Val) -> tuple[Val, ...]:
        """The components of a vector."""
        size, scalar = size_of(value.type), scalar_of(value.type)
        if size == 1:
            return (value,)
        if value.parts:
            return value.parts
        if value.known is not None:
            return tuple(Val(scalar, (v,)) for v in value.known)
        return tuple(
            self.node("extract", "float", [("in", value), ("index", Val("int", (float(k),)))]) for k in range(size)
        )

    def made(self, type: str, values: Sequence[Val]) -> Val:
        """A vector, a matrix or a number of another type."""
        if is_matrix(type):
            if all(v.known is not None for v in values) and len(values) > 1:
                return Val(type, tuple(n for v in values for n in v.known or ()))
            flat = [part for value in values for part in self.parts(value)]
            return Val(type, parts=tuple(flat))
        size, scalar = size_of(type), scalar_of(type)
        flat = [self.as_scalar(part, scalar) for value in values for part in self.parts(value)]
        flat = flat * size if len(flat) == 1 else flat[:size]
        if len(flat) < size:
            raise UnsayableError(f"'{type}' of {len(flat)} numbers")
        if size == 1:
            return flat[0]
        if all(part.known is not None for part in flat):
            return Val(type, tuple(n for part in flat for n in part.known or ()))
        if scalar != "float":
            return Val(type, parts=tuple(flat))
        made = self.node(f"combine{size}", type, [(f"in{k}", part) for k, part in enumerate(flat, 1)])
        return replace(made, parts=tuple(flat))

    def as_scalar(self, value: Val, scalar: str) -> Val:
        if scalar_of(value.type) == scalar:
            return value
        if value.known is not None:
            return Val(scalar, (float(int(value.known[0])) if scalar in ("int", "uint") else value.known[0],))
        if value.type == "bool" and scalar == "float":
            return self.choose(value, number(1), number(0))
        if value.type == "int" and scalar == "float":
            return self.node("convert", "float", [("in", value)])
        raise UnsayableError("whole numbers that are worked with")

    def index(self, value: Val, at: Val) -> Val:
        if at.known is None:
            raise UnsayableError("an index that is not known")
        k = int(at.known[0])
        if is_matrix(value.type):
            size = int(value.type[-1])
            type = f"vec{size}"
            if value.known is not None:
                return Val(type, value.known[k * size : (k + 1) * size])
            if not value.parts:
                raise UnsayableError("placements that are parameters")
            return self.made(type, value.parts[k * size : (k + 1) * size])
        return self.parts(value)[k]

    def binary(self, operator: str, one: Val, two: Val) -> Val:
        if operator in ("<", "<="):
            return self._asked(_TURNED[operator], two, one)
        if operator in (">", ">=", "=="):
            return self._asked(operator, one, two)
        if operator == "!=":
            return self.negated(self._asked("==", one, two))
        if operator in ("&&", "||"):
            for a, b in ((one, two), (two, one)):
                if a.known is not None:
                    return b if bool(a.known[0]) == (operator == "&&") else a
            return Val("bool", ask=(operator, one, two))
        if is_matrix(one.type) or is_matrix(two.type):
            return self._by_matrix(operator, one, two)
        if operator not in _TWO:
            raise UnsayableError(f"'{operator}'")
        return self.two(operator, one, two)

    def _by_matrix(self, operator: str, one: Val, two: Val) -> Val:
        size = int((one if is_matrix(one.type) else two).type[-1])
        if operator != "*" or not is_matrix(one.type) or size_of(two.type) != size:
            raise UnsayableError("matrices that are worked with")
        columns = [self.index(one, Val("int", (float(k),))) for k in range(size)]
        rows = [self.made(f"vec{size}", [self.parts(column)[k] for column in columns]) for k in range(size)]
        return self.made(f"vec{size}", [self.called("dot", [row, two]) for row in rows])

    def _asked(self, operator: str, one: Val, two: Val) -> Val:
        if one.type != two.type and "float" in (one.type, two.type):
            one, two = self.as_scalar(one, "float"), self.as_scalar(two, "float")
        if one.known is not None and two.known is not None:
            a, b = one.known[0], two.known[0]
            return Val("bool", (float({">": a > b, ">=": a >= b, "==": a == b}[operator]),))
        if one.type not in ("float", "int"):
            raise UnsayableError("things that are compared")
        return Val("bool", ask=(operator, one, two))

    def negated(self, asked: Val) -> Val:
        if asked.known is not None:
            return Val("bool", (float(not asked.known[0]),))
        return Val("bool", ask=("!", asked, asked))

    def choose(self, asked: Val, one: Val, two: Val) -> Val:
        """One where it is so, else two."""
        if one == two:
            return one
        if asked.known is not None:
            return one if asked.known[0] else two
        if one.fields:
            both = zip(one.fields, two.fields, strict=True)
            return replace(one, fields=tuple((key, self.choose(asked, a, b)) for (key, a), (_, b) in both))
        assert asked.ask is not None
        operator, a, b = asked.ask
        if operator == "!":
            return self.choose(a, two, one)
        if operator == "&&":
            return self.choose(a, self.choose(b, one, two), two)
        if operator == "||":
            return self.choose(a, one, self.choose(b, one, two))
        if one.type not in NODE_TYPES or one.type != two.type:
            raise UnsayableError("what is chosen between")
        does = {">": "ifgreater", ">=": "ifgreatereq", "==": "ifequal"}[operator]
        return self.node(does, one.type, [("value1", a), ("value2", b), ("in1", one), ("in2", two)])

    def two(self, operator: str, one: Val, two: Val) -> Val:
        if scalar_of(one.type) != "float" or scalar_of(two.type) != "float":
            one, two = (self.as_scalar(v, "float") if size_of(v.type) == 1 else v for v in (one, two))
        size = max(size_of(one.type), size_of(two.type))
        type = vector_of("float", size)
        if one.known is not None and two.known is not None:
            numbers = zip(one.known * (size // len(one.known)), two.known * (size // len(two.known)), strict=True)
            with suppress(ValueError, ZeroDivisionError, OverflowError, TypeError):
                return Val(type, tuple(float(_BY_TWO[operator](a, b)) for a, b in numbers))
        for this, other in ((one, two), (two, one)):
            if this.known is not None and size_of(other.type) == size and this is (two if operator in "-/" else this):
                if operator in ("*", "/") and set(this.known) == {1.0}:
                    return other
                if operator in ("+", "-") and set(this.known) == {0.0}:
                    return other
        if size_of(one.type) < size and operator in ("+", "*", "min", "max"):
            one, two = two, one
        if size_of(one.type) < size:
            one = self.made(type, [one])
        return self.node(_TWO[operator], type, [("in1", one), ("in2", two)])

    def called(self, name: str, values: list[Val]) -> Val:
        """What a function of the language makes of values. Raises UnsayableError where no standard node does it."""
        if name == "textureGrad":
            return self.image(values[0], values[1])
        if name not in BUILT_IN:
            raise UnsayableError(f"'{name}'")
        if name in _COMPARED:
            pairs = zip(*(self.parts(v) for v in values), strict=True)
            asked = tuple(self.binary(_COMPARED[name], a, b) for a, b in pairs)
            return Val(vector_of("bool", len(asked)), parts=asked)
        if name in _ONE:
            value = self.as_scalar(values[0], "float") if size_of(values[0].type) == 1 else values[0]
            if value.known is not None and name in _BY_ONE:
                with suppress(ValueError, OverflowError):
                    return Val(value.type, tuple(float(_BY_ONE[name](v)) for v in value.known))
            return self.node(_ONE[name], value.type, [("in", value)])
        if name in ("min", "max", "pow"):
            return self.two(name, *values)
        if name == "dot":
            if all(v.known is not None for v in values):
                return number(sum(a * b for a, b in zip(values[0].known or (), values[1].known or (), strict=True)))
            return self.node("dotproduct", "float", [("in1", values[0]), ("in2", values[1])])
        if name == "length":
            return self.node("magnitude", "float", [("in", values[0])])
        if name == "clamp":
            return self.two("min", self.two("max", values[0], values[1]), values[2])
        if name == "mix":
            if values[2].type.startswith("b"):
                pairs = zip(self.parts(values[2]), self.parts(values[0]), self.parts(values[1]), strict=True)
                return self.made(values[0].type, [self.choose(asked, b, a) for asked, a, b in pairs])
            apart = self.two("-", values[1], values[0])
            return self.two("+", values[0], self.two("*", apart, values[2]))
        if name == "fract":
            return self.two("-", values[0], self.called("floor", [values[0]]))
        if name == "mod":
            whole = self.called("floor", [self.two("/", *values)])
            return self.two("-", values[0], self.two("*", values[1], whole))
        if name == "radians":
            return self.two("*", values[0], number(math.pi / 180))
        if name == "inversesqrt":
            return self.two("/", number(1), self.called("sqrt", values))
        if name == "exp2":
            return self.two("pow", number(2), values[0])
        if name == "log2":
            return self.two("/", self.called("log", values), number(math.log(2)))
        if name == "step":
            return self.made(values[1].type, [
                self.choose(self.binary(">=", v, edge), number(1), number(0))
                for v, edge in zip(self.parts(values[1]), self.parts(values[0]) * size_of(values[1].type), strict=False)
            ])  # fmt: skip
        if name == "smoothstep":
            t = self.two("/", self.two("-", values[2], values[0]), self.two("-", values[1], values[0]))
            t = self.called("clamp", [t, number(0), number(1)])
            return self.two("*", self.two("*", t, t), self.two("-", number(3), self.two("*", t, number(2))))
        if name == "atan":
            return self.node(
                "atan2", "float", [("iny", values[0]), ("inx", values[1] if len(values) > 1 else number(1))]
            )
        if name == "cross":
            return self.node("crossproduct", "vec3", [("in1", values[0]), ("in2", values[1])])
        raise UnsayableError(f"'{name}'")

    def image(self, texture: Val, at: Val) -> Val:
        """A texture, where its coordinates count upward and ours downward."""
        inputs = [("file", texture)]
        if at == self.place:
            inputs.append(("texcoord", self._up))
        else:
            u, v = self.parts(at)
            inputs.append(("texcoord", self.made("vec2", [u, self.two("-", number(1), v)])))
        return self.node("image", "vec4", inputs)

    def node(self, does: str, type: str, inputs: Sequence[tuple[str, Val]]) -> Val:
        """The output of a node; the same one for the same inputs."""
        for _, value in inputs:
            if value.type not in NODE_TYPES or not (value.known is not None or value.node or value.given):
                raise UnsayableError(f"'{value.type}' in '{does}'")
        key = does, type, tuple(inputs)
        if key not in self.nodes:
            if len(self.nodes) >= MOST_NODES:
                raise UnsayableError(f"more than {MOST_NODES} nodes")
            typed = tuple((name, NODE_TYPES[v.type], v) for name, v in inputs)
            self.nodes[key] = Node(f"n{len(self.nodes)}", does, NODE_TYPES[type], typed)
        return Val(type, node=self.nodes[key].name)
