"""The recipe as a graph of nodes that every renderer of MaterialX knows, where its text can be said so.

MaterialX Specification 1.39, "Standard Nodes". The text is run once with names in place of numbers: functions are
written out, what is known is worked out, what both branches of a question make is chosen between. What has no standard
node cannot be said: loops, whole numbers that are worked with (picks by copy), levels and texels that are asked for.
"""

import math
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace

from evenpalette.core.errors import RecipeError
from evenpalette.core.recipe.languages.tree import (
    BUILT_IN,
    Declared,
    Expr,
    Function,
    Reader,
    Stmt,
    is_matrix,
    scalar_of,
    size_of,
    vector_of,
)

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
_LETTERS = {letter: at for letters in ("xyzw", "rgba", "stpq") for at, letter in enumerate(letters)}
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


def _number(value: float) -> Val:
    return Val("float", (float(value),))


@dataclass
class _Scopes:
    names: list[dict[str, Val]] = field(default_factory=lambda: [{}])

    def copy(self) -> "_Scopes":
        return _Scopes([dict(scope) for scope in self.names])


class NodeWriter:
    """Runs a text, and holds the nodes that this made."""

    def __init__(self, text: str) -> None:
        reader = Reader(text)
        self._tree = reader.read()
        self._functions = {f.name: f for f in self._tree if isinstance(f, Function)}
        self._structs = reader.structs
        self.nodes: dict[tuple[object, ...], Node] = {}
        self._globals: dict[str, Val] = {}
        self._depth = 0
        #: The place on the surface, counted upward as nodes have it, and downward as the text has it.
        self._up = self._place = Val("vec2")

    def run(self, function: str, uniforms: Mapping[str, str]) -> Val:
        """What a function returns, as nodes. uniforms: the types in MaterialX of globals that are inputs of the whole.
        Its arguments are inputs too: uv, counted upward, seconds, textures. Raises UnsayableError."""
        for top in self._tree:
            if isinstance(top, Declared):
                for name, value in top.names:
                    if name in uniforms:
                        self._globals[name] = self._uniform(name, top.type, uniforms[name])
                    else:
                        known = self._e(value, _Scopes()) if value is not None else self._zero(top.type)
                        self._globals[name] = known
        self._up = Val("vec2", given="uv")
        across, up = self._parts(self._up)
        self._place = self.made("vec2", [across, self._two("-", _number(1), up)])
        params = self._functions[function].params
        return self.called(function, [self._place if p.name == "uv" else Val(p.type, given=p.name) for p in params])

    def _uniform(self, name: str, type: str, told: str) -> Val:
        if told == "color3":
            return self.node("convert", type, [("in", Val("color3", given=name))])
        return Val(type, given=name)

    def _zero(self, type: str) -> Val:
        if type in self._structs:
            return Val(type, fields=tuple((n, self._zero(t)) for n, t in self._structs[type].items()))
        size = size_of(type)
        if not size:
            return Val(type, (0.0,) * 16)
        return Val(type, (0.0,) * size)

    # --- statements ------------------------------------------------------------------------------------------------

    def _call(self, function: Function, given: Sequence[Val]) -> Val:
        if any("out" in param.qualifiers or "inout" in param.qualifiers for param in function.params):
            raise UnsayableError("a function that gives more than one thing")
        self._depth += 1
        if self._depth > 40:
            raise UnsayableError("functions that call themselves")
        names = {param.name: value for param, value in zip(function.params, given, strict=True)}
        found = self._run(function.body, _Scopes([names]))
        self._depth -= 1
        return found if found is not None else Val("void")

    def _run(self, body: Sequence[Stmt], scopes: _Scopes) -> Val | None:
        """What is returned, None for nothing."""
        for at, s in enumerate(body):
            if s.kind in ("comment", "directive"):
                continue
            if s.kind == "return":
                return self._e(s.expr, scopes) if s.expr is not None else Val("void")
            if s.kind == "declare":
                assert s.declared is not None
                for name, value in s.declared.names:
                    made = self._e(value, scopes) if value is not None else self._zero(s.declared.type)
                    scopes.names[-1][name] = made
            elif s.kind == "do":
                self._e(s.expr, scopes)
            elif s.kind == "block":
                scopes.names.append({})
                found = self._run(s.body, scopes)
                scopes.names.pop()
                if found is not None:
                    return found
            elif s.kind == "if":
                asked = self._e(s.expr, scopes)
                if asked.known is not None:
                    found = self._inside(s.body if asked.known[0] else s.other, scopes)
                    if found is not None:
                        return found
                    continue
                rest = body[at + 1 :]
                if _returns(s.body) or _returns(s.other):
                    before = dict(self._globals)
                    one = self._run((*s.body, *rest), scopes.copy())
                    two = self._run((*s.other, *rest), scopes.copy())
                    if self._globals != before or one is None or two is None:
                        raise UnsayableError("a way out in the middle")
                    return self._choose(asked, one, two)
                self._both(asked, s, scopes)
            else:
                raise UnsayableError(f"'{s.kind}'")
        return None

    def _inside(self, body: Sequence[Stmt], scopes: _Scopes) -> Val | None:
        scopes.names.append({})
        found = self._run(body, scopes)
        scopes.names.pop()
        return found

    def _both(self, asked: Val, s: Stmt, scopes: _Scopes) -> None:
        """Run both branches, and choose between what they change."""
        first, second = scopes.copy(), scopes.copy()
        held = dict(self._globals)
        self._inside(s.body, first)
        after, self._globals = self._globals, dict(held)
        self._inside(s.other, second)
        for one, two, into in zip(
            [*first.names, after], [*second.names, self._globals], [*scopes.names, self._globals], strict=True
        ):
            for name in list(into):
                if one[name] != two[name]:
                    into[name] = self._choose(asked, one[name], two[name])
                else:
                    into[name] = one[name]

    # --- expressions -----------------------------------------------------------------------------------------------

    def _e(self, expr: Expr | None, scopes: _Scopes) -> Val:
        assert expr is not None
        kind, parts = expr.kind, expr.parts
        if kind == "number":
            return Val(expr.type, (float(expr.text.rstrip("uUfF")),))
        if kind == "name":
            if expr.text in ("true", "false"):
                return Val("bool", (float(expr.text == "true"),))
            for scope in reversed(scopes.names):
                if expr.text in scope:
                    return scope[expr.text]
            return self._globals[expr.text]
        if kind == "group":
            return self._e(parts[0], scopes)
        if kind == "assign":
            return self._assign(expr, scopes)
        if kind == "member":
            return self._member(self._e(parts[0], scopes), expr.text)
        if kind == "unary":
            inner = self._e(parts[0], scopes)
            if expr.text == "!":
                return self._not(inner)
            if expr.text != "-":
                raise UnsayableError(f"'{expr.text}'")
            return self._two("*", inner, Val(scalar_of(inner.type), (-1.0,)))
        if kind == "choose":
            asked = self._e(parts[0], scopes)
            if asked.known is not None:
                return self._e(parts[1 if asked.known[0] else 2], scopes)
            return self._choose(asked, self._e(parts[1], scopes), self._e(parts[2], scopes))
        values = [self._e(part, scopes) for part in parts]
        if kind == "binary":
            return self._binary(expr.text, *values)
        if kind == "make":
            return self.made(expr.text, values)
        if kind == "index":
            return self._index(*values)
        if kind == "call":
            return self.called(expr.text, values)
        raise UnsayableError(f"'{expr.text}'")

    def _assign(self, expr: Expr, scopes: _Scopes) -> Val:
        left, right = expr.parts
        value = self._e(right, scopes)
        if expr.text != "=":
            value = self._binary(expr.text[:-1], self._e(left, scopes), value)
        name, letters = left, ""
        if left.kind == "member":
            name, letters = left.parts[0], left.text
        if name.kind != "name":
            raise UnsayableError("what is put together")
        scope = next((s for s in reversed(scopes.names) if name.text in s), self._globals)
        if letters:
            whole = scope[name.text]
            if whole.fields:
                made = tuple((key, value if key == letters else held) for key, held in whole.fields)
                scope[name.text] = replace(whole, fields=made)
                return value
            components = list(self._parts(whole))
            for at, letter in enumerate(letters):
                components[_LETTERS[letter]] = self._parts(value)[at]
            value = self.made(whole.type, components)
        scope[name.text] = value
        return value

    def _member(self, value: Val, name: str) -> Val:
        if value.fields:
            return dict(value.fields)[name]
        parts = self._parts(value)
        taken = [parts[_LETTERS[letter]] for letter in name]
        return taken[0] if len(taken) == 1 else self.made(vector_of(scalar_of(value.type), len(taken)), taken)

    def _parts(self, value: Val) -> tuple[Val, ...]:
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
            flat = [part for value in values for part in self._parts(value)]
            return Val(type, parts=tuple(flat))
        size, scalar = size_of(type), scalar_of(type)
        flat = [self._as(part, scalar) for value in values for part in self._parts(value)]
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

    def _as(self, value: Val, scalar: str) -> Val:
        if scalar_of(value.type) == scalar:
            return value
        if value.known is not None:
            return Val(scalar, (float(int(value.known[0])) if scalar in ("int", "uint") else value.known[0],))
        if value.type == "bool" and scalar == "float":
            return self._choose(value, _number(1), _number(0))
        if value.type == "int" and scalar == "float":
            return self.node("convert", "float", [("in", value)])
        raise UnsayableError("whole numbers that are worked with")

    def _index(self, value: Val, at: Val) -> Val:
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
        return self._parts(value)[k]

    def _binary(self, operator: str, one: Val, two: Val) -> Val:
        if operator in ("<", "<="):
            return self._asked(_TURNED[operator], two, one)
        if operator in (">", ">=", "=="):
            return self._asked(operator, one, two)
        if operator == "!=":
            return self._not(self._asked("==", one, two))
        if operator in ("&&", "||"):
            for a, b in ((one, two), (two, one)):
                if a.known is not None:
                    return b if bool(a.known[0]) == (operator == "&&") else a
            return Val("bool", ask=(operator, one, two))
        if is_matrix(one.type) or is_matrix(two.type):
            return self._by_matrix(operator, one, two)
        if operator not in _TWO:
            raise UnsayableError(f"'{operator}'")
        return self._two(operator, one, two)

    def _by_matrix(self, operator: str, one: Val, two: Val) -> Val:
        size = int((one if is_matrix(one.type) else two).type[-1])
        if operator != "*" or not is_matrix(one.type) or size_of(two.type) != size:
            raise UnsayableError("matrices that are worked with")
        columns = [self._index(one, Val("int", (float(k),))) for k in range(size)]
        rows = [self.made(f"vec{size}", [self._parts(column)[k] for column in columns]) for k in range(size)]
        return self.made(f"vec{size}", [self.called("dot", [row, two]) for row in rows])

    def _asked(self, operator: str, one: Val, two: Val) -> Val:
        if one.type != two.type and "float" in (one.type, two.type):
            one, two = self._as(one, "float"), self._as(two, "float")
        if one.known is not None and two.known is not None:
            a, b = one.known[0], two.known[0]
            return Val("bool", (float({">": a > b, ">=": a >= b, "==": a == b}[operator]),))
        if one.type not in ("float", "int"):
            raise UnsayableError("things that are compared")
        return Val("bool", ask=(operator, one, two))

    def _not(self, asked: Val) -> Val:
        if asked.known is not None:
            return Val("bool", (float(not asked.known[0]),))
        return Val("bool", ask=("!", asked, asked))

    def _choose(self, asked: Val, one: Val, two: Val) -> Val:
        """One where it is so, else two."""
        if one == two:
            return one
        if asked.known is not None:
            return one if asked.known[0] else two
        if one.fields:
            both = zip(one.fields, two.fields, strict=True)
            return replace(one, fields=tuple((key, self._choose(asked, a, b)) for (key, a), (_, b) in both))
        assert asked.ask is not None
        operator, a, b = asked.ask
        if operator == "!":
            return self._choose(a, two, one)
        if operator == "&&":
            return self._choose(a, self._choose(b, one, two), two)
        if operator == "||":
            return self._choose(a, one, self._choose(b, one, two))
        if one.type not in NODE_TYPES or one.type != two.type:
            raise UnsayableError("what is chosen between")
        does = {">": "ifgreater", ">=": "ifgreatereq", "==": "ifequal"}[operator]
        return self.node(does, one.type, [("value1", a), ("value2", b), ("in1", one), ("in2", two)])

    def _two(self, operator: str, one: Val, two: Val) -> Val:
        if scalar_of(one.type) != "float" or scalar_of(two.type) != "float":
            one, two = (self._as(v, "float") if size_of(v.type) == 1 else v for v in (one, two))
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
        """What a function of the text, or of its language, makes of values."""
        if name == "ep_laid":
            # A texture that is laid: an image at that place, whose level the renderer finds as it does for all.
            at = self._call(self._functions["ep_moved"], [values[1], values[2], values[5]])
            return self._image(values[0], at)
        if name in self._functions:
            return self._call(self._functions[name], values)
        if name == "textureGrad":
            return self._image(values[0], values[1])
        if name not in BUILT_IN:
            raise UnsayableError(f"'{name}'")
        if name in _COMPARED:
            pairs = zip(*(self._parts(v) for v in values), strict=True)
            asked = tuple(self._binary(_COMPARED[name], a, b) for a, b in pairs)
            return Val(vector_of("bool", len(asked)), parts=asked)
        if name in _ONE:
            value = self._as(values[0], "float") if size_of(values[0].type) == 1 else values[0]
            if value.known is not None and name in _BY_ONE:
                with suppress(ValueError, OverflowError):
                    return Val(value.type, tuple(float(_BY_ONE[name](v)) for v in value.known))
            return self.node(_ONE[name], value.type, [("in", value)])
        if name in ("min", "max", "pow"):
            return self._two(name, *values)
        if name == "dot":
            if all(v.known is not None for v in values):
                return _number(sum(a * b for a, b in zip(values[0].known or (), values[1].known or (), strict=True)))
            return self.node("dotproduct", "float", [("in1", values[0]), ("in2", values[1])])
        if name == "length":
            return self.node("magnitude", "float", [("in", values[0])])
        if name == "clamp":
            return self._two("min", self._two("max", values[0], values[1]), values[2])
        if name == "mix":
            if values[2].type.startswith("b"):
                pairs = zip(self._parts(values[2]), self._parts(values[0]), self._parts(values[1]), strict=True)
                return self.made(values[0].type, [self._choose(asked, b, a) for asked, a, b in pairs])
            apart = self._two("-", values[1], values[0])
            return self._two("+", values[0], self._two("*", apart, values[2]))
        if name == "fract":
            return self._two("-", values[0], self.called("floor", [values[0]]))
        if name == "mod":
            whole = self.called("floor", [self._two("/", *values)])
            return self._two("-", values[0], self._two("*", values[1], whole))
        if name == "radians":
            return self._two("*", values[0], _number(math.pi / 180))
        if name == "inversesqrt":
            return self._two("/", _number(1), self.called("sqrt", values))
        if name == "exp2":
            return self._two("pow", _number(2), values[0])
        if name == "log2":
            return self._two("/", self.called("log", values), _number(math.log(2)))
        if name == "step":
            return self.made(values[1].type, [
                self._choose(self._binary(">=", v, edge), _number(1), _number(0))
                for v, edge in zip(self._parts(values[1]), self._parts(values[0]) * size_of(values[1].type), strict=False)
            ])  # fmt: skip
        if name == "smoothstep":
            t = self._two("/", self._two("-", values[2], values[0]), self._two("-", values[1], values[0]))
            t = self.called("clamp", [t, _number(0), _number(1)])
            return self._two("*", self._two("*", t, t), self._two("-", _number(3), self._two("*", t, _number(2))))
        if name == "atan":
            return self.node(
                "atan2", "float", [("iny", values[0]), ("inx", values[1] if len(values) > 1 else _number(1))]
            )
        if name == "cross":
            return self.node("crossproduct", "vec3", [("in1", values[0]), ("in2", values[1])])
        raise UnsayableError(f"'{name}'")

    def _image(self, texture: Val, at: Val) -> Val:
        """A texture, where its coordinates count upward and ours downward."""
        inputs = [("file", texture)]
        if at == self._place:
            inputs.append(("texcoord", self._up))
        else:
            u, v = self._parts(at)
            inputs.append(("texcoord", self.made("vec2", [u, self._two("-", _number(1), v)])))
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


def _returns(body: Sequence[Stmt]) -> bool:
    return any(s.kind == "return" or _returns(s.body) or _returns(s.other) for s in body)
