"""The recipe as a graph of nodes that every renderer of MaterialX knows, where its text can be said so.

MaterialX Specification 1.39, "Standard Nodes". The text is run once with names in place of numbers: functions are
written out, what is known is worked out, what both branches of a question make is chosen between. What has no standard
node cannot be said: loops, whole numbers that are worked with (picks by copy), levels and texels that are asked for.
"""

from collections.abc import Mapping, Sequence
from dataclasses import field, replace

from evenpalette.core.dataclass import dataclass
from evenpalette.core.recipe.languages.node_values import LETTERS, NodeValues, UnsayableError, Val
from evenpalette.core.recipe.languages.reader import Reader
from evenpalette.core.recipe.languages.tree import Declared, Expr, Function, Stmt, scalar_of, size_of, vector_of


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
        self.values = NodeValues()
        self._globals: dict[str, Val] = {}
        self._depth = 0

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
        place = self.values.place
        params = self._functions[function].params
        return self.called(function, [place if p.name == "uv" else Val(p.type, given=p.name) for p in params])

    def _uniform(self, name: str, type: str, told: str) -> Val:
        if told == "color3":
            return self.values.node("convert", type, [("in", Val("color3", given=name))])
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
                    return self.values.choose(asked, one, two)
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
                    into[name] = self.values.choose(asked, one[name], two[name])
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
                return self.values.negated(inner)
            if expr.text != "-":
                raise UnsayableError(f"'{expr.text}'")
            return self.values.two("*", inner, Val(scalar_of(inner.type), (-1.0,)))
        if kind == "choose":
            asked = self._e(parts[0], scopes)
            if asked.known is not None:
                return self._e(parts[1 if asked.known[0] else 2], scopes)
            return self.values.choose(asked, self._e(parts[1], scopes), self._e(parts[2], scopes))
        values = [self._e(part, scopes) for part in parts]
        if kind == "binary":
            return self.values.binary(expr.text, *values)
        if kind == "make":
            return self.values.made(expr.text, values)
        if kind == "index":
            return self.values.index(*values)
        if kind == "call":
            return self.called(expr.text, values)
        raise UnsayableError(f"'{expr.text}'")

    def _assign(self, expr: Expr, scopes: _Scopes) -> Val:
        left, right = expr.parts
        value = self._e(right, scopes)
        if expr.text != "=":
            value = self.values.binary(expr.text[:-1], self._e(left, scopes), value)
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
            components = list(self.values.parts(whole))
            for at, letter in enumerate(letters):
                components[LETTERS[letter]] = self.values.parts(value)[at]
            value = self.values.made(whole.type, components)
        scope[name.text] = value
        return value

    def _member(self, value: Val, name: str) -> Val:
        if value.fields:
            return dict(value.fields)[name]
        parts = self.values.parts(value)
        taken = [parts[LETTERS[letter]] for letter in name]
        return taken[0] if len(taken) == 1 else self.values.made(vector_of(scalar_of(value.type), len(taken)), taken)

    def called(self, name: str, values: list[Val]) -> Val:
        """What a function of the text, or of its language, makes of values."""
        if name == "ep_laid":
            # A texture that is laid: an image at that place, whose level the renderer finds as it does for all.
            at = self._call(self._functions["ep_moved"], [values[1], values[2], values[5]])
            return self.values.image(values[0], at)
        if name in self._functions:
            return self._call(self._functions[name], values)
        return self.values.called(name, values)


def _returns(body: Sequence[Stmt]) -> bool:
    return any(s.kind == "return" or _returns(s.body) or _returns(s.other) for s in body)
