"""Reads a text of GLSL into a tree."""

import re
from collections.abc import Mapping
from dataclasses import field

from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import RecipeError
from evenpalette.core.recipe.languages.tree import (
    COMPARES,
    GIVES,
    LIKE,
    TYPES,
    Declared,
    Expr,
    Function,
    Param,
    Stmt,
    Struct,
    Top,
    is_matrix,
    scalar_of,
    size_of,
    vector_of,
)

_TOKEN = re.compile(
    r"(?P<comment>//[^\n]*|/\*.*?\*/)|(?P<directive>^[ \t]*\#[^\n]*)|(?P<space>\s+)"
    r"|(?P<number>(?:\d+\.\d*|\.\d+|\d+)(?:[eE][+-]?\d+)?[uUfF]?)|(?P<name>[A-Za-z_]\w*)"
    r"|(?P<mark>\+\+|--|<<=|>>=|<<|>>|<=|>=|==|!=|&&|\|\||\^\^|[-+*/%&|^]=|[-+*/%&|^~!<>=?:;,.(){}\[\]])",
    re.MULTILINE | re.DOTALL,
)
_BINARY = {
    "*": 12, "/": 12, "%": 12, "+": 11, "-": 11, "<<": 10, ">>": 10, "<": 9, ">": 9, "<=": 9, ">=": 9, "==": 8, "!=": 8,
    "&": 7, "^": 6, "|": 5, "&&": 4, "^^": 3, "||": 2,
}  # fmt: skip
_ASSIGN = {"=", "+=", "-=", "*=", "/=", "%=", "&=", "|=", "^=", "<<=", ">>="}


@dataclass
class _Scope:
    names: dict[str, str] = field(default_factory=dict)


class Reader:
    """Reads a text into a tree. Raises RecipeError for what is not of this part of the language, with its line."""

    def __init__(self, text: str) -> None:
        self._tokens: list[tuple[str, str, int]] = []
        at, line = 0, 1
        while at < len(text):
            found = _TOKEN.match(text, at)
            if found is None:
                raise RecipeError(f"The recipe's text cannot be read in line {line}: '{text[at : at + 20]}'.")
            kind = str(found.lastgroup)
            if kind != "space":
                self._tokens.append((kind, found.group().strip(), line))
            at, line = found.end(), line + found.group().count("\n")
        self._at = 0
        self._scopes = [_Scope()]
        self.structs: dict[str, Mapping[str, str]] = {}
        self.functions: dict[str, str] = {}

    # --- tokens ----------------------------------------------------------------------------------------------------

    def _skip(self) -> None:
        while self._at < len(self._tokens) and self._tokens[self._at][0] == "comment":
            self._at += 1

    def _peek(self, ahead: int = 0) -> tuple[str, str]:
        self._skip()
        at = self._at
        while ahead:
            at += 1
            if at < len(self._tokens) and self._tokens[at][0] != "comment":
                ahead -= 1
            elif at >= len(self._tokens):
                break
        return self._tokens[at][:2] if at < len(self._tokens) else ("end", "")

    def _next(self) -> tuple[str, str]:
        self._skip()
        if self._at >= len(self._tokens):
            raise RecipeError("The recipe's text ends in the middle.")
        token = self._tokens[self._at]
        self._at += 1
        return token[:2]

    def _is(self, text: str) -> bool:
        return self._peek()[1] == text

    def _take(self, text: str) -> bool:
        if self._is(text):
            self._next()
            return True
        return False

    def _want(self, text: str) -> None:
        found = self._next()[1]
        if found != text:
            line = self._tokens[self._at - 1][2]
            raise RecipeError(f"The recipe's text has '{found}' in line {line} where '{text}' is wanted.")

    # --- names -----------------------------------------------------------------------------------------------------

    def _type_of(self, name: str) -> str:
        for scope in reversed(self._scopes):
            if name in scope.names:
                return scope.names[name]
        raise RecipeError(f"The recipe's text uses '{name}' before it says what it is.")

    def _is_type(self, name: str) -> bool:
        return name in TYPES or name in self.structs

    # --- the whole -------------------------------------------------------------------------------------------------

    def read(self) -> list[Top]:
        """Everything, in order; comments stay where they stand between functions."""
        made: list[Top] = []
        while self._at < len(self._tokens):
            kind, text, _ = self._tokens[self._at]
            if kind in ("comment", "directive"):
                self._at += 1
                made.append(Stmt(kind, text))
            elif text == "precision":
                while not self._take(";"):
                    self._next()
            elif text == "struct":
                made.append(self._struct())
            elif text == ";":
                self._next()
            else:
                made.append(self._top())
        return made

    def _struct(self) -> Struct:
        self._want("struct")
        name = self._next()[1]
        self._want("{")
        fields: list[tuple[str, str]] = []
        comments: list[str] = []
        while not self._take("}"):
            type = self._next()[1]
            fields.append((type, self._next()[1]))
            self._want(";")
            comment = self._tokens[self._at] if self._at < len(self._tokens) else ("", "", 0)
            comments.append(comment[1] if comment[0] == "comment" else "")
        self._want(";")
        self.structs[name] = {field_name: type for type, field_name in fields}
        return Struct(name, tuple(fields), tuple(comments))

    def _top(self) -> Top:
        qualifiers = []
        while self._peek()[1] in ("const", "uniform", "in", "out", "flat", "highp", "mediump", "lowp"):
            qualifiers.append(self._next()[1])
        type = self._next()[1]
        if not self._is_type(type):
            raise RecipeError(f"The recipe's text has '{type}' where a type is wanted.")
        if self._peek(1)[1] == "(" and not qualifiers:
            return self._function(type)
        return self._declared(tuple(qualifiers), type)

    def _declared(self, qualifiers: tuple[str, ...], type: str) -> Declared:
        names: list[tuple[str, Expr | None]] = []
        while True:
            name = self._next()[1]
            self._scopes[-1].names[name] = type
            names.append((name, self._expression(1) if self._take("=") else None))
            if not self._take(","):
                break
        self._want(";")
        return Declared(qualifiers, type, tuple(names))

    def _function(self, type: str) -> Function:
        name = self._next()[1]
        self._want("(")
        self.functions[name] = type
        self._scopes.append(_Scope())
        params: list[Param] = []
        while not self._take(")"):
            qualifiers = []
            while self._peek()[1] in ("in", "out", "inout", "const", "highp"):
                qualifiers.append(self._next()[1])
            param_type = self._next()[1]
            if param_type == "void":
                continue
            params.append(Param(tuple(qualifiers), param_type, self._next()[1]))
            self._scopes[-1].names[params[-1].name] = param_type
            self._take(",")
        body = self._block()
        self._scopes.pop()
        return Function(type, name, tuple(params), body)

    # --- statements ------------------------------------------------------------------------------------------------

    def _block(self) -> tuple[Stmt, ...]:
        self._want("{")
        self._scopes.append(_Scope())
        made: list[Stmt] = []
        while True:
            if self._at < len(self._tokens) and self._tokens[self._at][0] in ("comment", "directive"):
                made.append(Stmt(self._tokens[self._at][0], self._tokens[self._at][1]))
                self._at += 1
                continue
            if self._take("}"):
                break
            made.append(self._statement())
        self._scopes.pop()
        return tuple(made)

    def _body(self) -> tuple[Stmt, ...]:
        return self._block() if self._is("{") else (self._statement(),)

    def _statement(self) -> Stmt:
        word = self._peek()[1]
        if word == "{":
            return Stmt("block", body=self._block())
        if word in ("return", "discard", "break", "continue"):
            self._next()
            expr = None if self._is(";") else self._expression()
            self._want(";")
            return Stmt(word, expr=expr)
        if word == "if":
            self._next()
            self._want("(")
            condition = self._expression()
            self._want(")")
            body = self._body()
            return Stmt("if", expr=condition, body=body, other=self._body() if self._take("else") else ())
        if word == "for":
            self._next()
            self._want("(")
            self._scopes.append(_Scope())
            first = None if self._take(";") else self._statement()
            condition = self._expression()
            self._want(";")
            step = self._expression()
            self._want(")")
            body = self._body()
            self._scopes.pop()
            return Stmt("for", expr=condition, body=body, first=first, step=step)
        if word == "const" or (self._is_type(word) and self._peek(1)[0] == "name"):
            qualifiers = ("const",) if self._take("const") else ()
            return Stmt("declare", declared=self._declared(qualifiers, self._next()[1]))
        expr = self._expression()
        self._want(";")
        return Stmt("do", expr=expr)

    # --- expressions -----------------------------------------------------------------------------------------------

    def _expression(self, least: int = 0) -> Expr:
        left = self._choice()
        if self._peek()[1] in _ASSIGN:
            operator = self._next()[1]
            return Expr("assign", operator, (left, self._expression(1)), left.type)
        if least == 0 and self._is(","):
            raise RecipeError("The recipe's text has a list of expressions where one is wanted.")
        return left

    def _choice(self) -> Expr:
        condition = self._operators(2)
        if not self._take("?"):
            return condition
        one = self._expression(1)
        self._want(":")
        other = self._expression(1)
        return Expr("choose", "?", (condition, one, other), one.type)

    def _operators(self, least: int) -> Expr:
        left = self._unary()
        while (weight := _BINARY.get(self._peek()[1], 0)) >= least and self._peek()[0] == "mark":
            operator = self._next()[1]
            right = self._operators(weight + 1)
            left = Expr("binary", operator, (left, right), _result(operator, left.type, right.type))
        return left

    def _unary(self) -> Expr:
        if self._peek()[1] in ("-", "+", "!", "~", "++", "--"):
            operator = self._next()[1]
            inner = self._unary()
            return Expr("unary", operator, (inner,), inner.type)
        return self._post(self._primary())

    def _post(self, made: Expr) -> Expr:
        while True:
            if self._take("."):
                name = self._next()[1]
                made = Expr("member", name, (made,), self._member(made.type, name))
            elif self._take("["):
                inner = self._expression()
                self._want("]")
                type = f"vec{made.type[-1]}" if is_matrix(made.type) else scalar_of(made.type)
                made = Expr("index", "", (made, inner), type)
            elif self._peek()[1] in ("++", "--"):
                made = Expr("post", self._next()[1], (made,), made.type)
            else:
                return made

    def _member(self, type: str, name: str) -> str:
        if type in self.structs:
            return self.structs[type][name]
        return vector_of(scalar_of(type), len(name))

    def _primary(self) -> Expr:
        kind, text = self._next()
        if kind == "number":
            whole = not re.search(r"[.eEfF]", text)
            return Expr("number", text, (), "uint" if text[-1] in "uU" else "int" if whole else "float")
        if text == "(":
            inner = self._expression()
            self._want(")")
            return Expr("group", "", (inner,), inner.type)
        if text in ("true", "false"):
            return Expr("name", text, (), "bool")
        if kind != "name":
            raise RecipeError(
                f"The recipe's text has '{text}' in line {self._tokens[self._at - 1][2]} where a value is wanted."
            )
        if not self._is("("):
            return Expr("name", text, (), self._type_of(text))
        self._want("(")
        parts: list[Expr] = []
        while not self._take(")"):
            parts.append(self._expression(1))
            self._take(",")
        if self._is_type(text):
            return Expr("make", text, tuple(parts), text)
        return Expr("call", text, tuple(parts), self._given(text, parts))

    def _given(self, name: str, parts: list[Expr]) -> str:
        if name in self.functions:
            return self.functions[name]
        if name in LIKE:
            return max((part.type for part in parts), key=size_of)
        if name in COMPARES:
            return vector_of("bool", size_of(parts[0].type))
        if name in GIVES:
            return GIVES[name]
        raise RecipeError(f"The recipe's text calls '{name}', which this program cannot say in other languages.")


def _result(operator: str, left: str, right: str) -> str:
    """The type of two things joined by an operator."""
    if operator in ("<", ">", "<=", ">=", "==", "!=", "&&", "||", "^^"):
        return "bool"
    if is_matrix(left) or is_matrix(right):
        if operator == "*" and is_matrix(left) and is_matrix(right):
            return left
        if operator == "*" and (size_of(left) > 1 or size_of(right) > 1):
            return left if size_of(left) > 1 else right
        return left if is_matrix(left) else right
    return left if size_of(left) >= size_of(right) else right
