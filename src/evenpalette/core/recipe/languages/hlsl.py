"""The recipe's text as HLSL, shader model 5: for D3D, and for engines whose materials are written in it.

Microsoft, "High-level shader language (HLSL) reference"; names that mean the same in both languages stay. Matrices are
written as they are in GLSL, a row for each of its columns, and multiplied the other way round, which is the same.
"""

from evenpalette.core.recipe.languages.reader import Reader
from evenpalette.core.recipe.languages.tree import (
    Declared,
    Expr,
    Function,
    Param,
    Stmt,
    Struct,
    Top,
    is_matrix,
    size_of,
)

_SCALAR = {"vec": "float", "ivec": "int", "uvec": "uint", "bvec": "bool"}
_RENAMED = {
    "mix": "lerp", "fract": "frac", "inversesqrt": "rsqrt", "mod": "ep_mod", "dFdx": "ddx", "dFdy": "ddy",
}  # fmt: skip
_COMPARED = {
    "lessThan": "<", "lessThanEqual": "<=", "greaterThan": ">", "greaterThanEqual": ">=", "equal": "==", "notEqual": "!=",
}  # fmt: skip
#: Words of HLSL that are names in GLSL.
_TAKEN = {
    "linear", "sample", "point", "line", "triangle", "matrix", "vector", "string", "half", "double", "register", "pass", "technique",
    "centroid", "interface", "shared", "precise", "texture", "sampler", "fixed", "noise", "clip", "frac", "mul", "saturate", "lerp",
    "export", "stateblock", "class", "namespace", "typedef", "unsigned", "snorm", "unorm", "packoffset", "dword", "compile", "asm",
    "auto", "case", "char", "delete", "enum", "explicit", "friend", "goto", "long", "new", "operator", "private", "protected",
    "public", "short", "signed", "sizeof", "template", "this", "throw", "try", "union", "using", "virtual", "out", "row", "inline",
} - {"row", "out"}  # fmt: skip
_HELPERS = """
int2 ep_size(Texture2D t, int level) {
    uint w, h, levels;
    t.GetDimensions((uint)level, w, h, levels);
    return int2((int)w, (int)h);
}
"""


def hlsl_of(text: str) -> str:
    """A recipe's text, as `ShaderText` has it, in HLSL. Raises RecipeError for what cannot be said."""
    reader = Reader(text)
    tree = reader.read()
    return _Writer(reader).text(tree)


def hlsl_type(type: str) -> str:
    """The name of a type."""
    if is_matrix(type):
        return f"float{type[-1]}x{type[-1]}"
    stem = type.rstrip("234")
    return _SCALAR[stem] + type[-1] if stem in _SCALAR else type


def _name(name: str) -> str:
    return name + "_" if name in _TAKEN else name


class _Writer:
    def __init__(self, reader: Reader) -> None:
        self._functions = reader.functions
        self._needs: dict[str, str] = {}

    def text(self, tree: list[Top]) -> str:
        """Everything; helpers stand in front."""
        made: list[str] = []
        skipped = 0
        for top in tree:
            if isinstance(top, Stmt):
                # What only GLSL ES needs.
                if top.text.startswith("#ifdef GL_ES"):
                    skipped = 1
                elif skipped and top.text.startswith("#endif"):
                    skipped = 0
                elif not skipped:
                    made.append(top.text + "\n")
            elif skipped:
                continue
            elif isinstance(top, Function):
                made.append(self._function(top))
            elif isinstance(top, Struct):
                fields = "".join(
                    f"    {hlsl_type(type)} {_name(name)};{'  ' + said if said else ''}\n"
                    for (type, name), said in zip(top.fields, top.comments, strict=True)
                )
                made.append(f"struct {top.name} {{\n{fields}}};\n")
            else:
                made.append(self._global(top))
        return "".join(self._needs.values()) + _HELPERS + "".join(made)

    def _global(self, declared: Declared) -> str:
        type = hlsl_type(declared.type)
        if "uniform" in declared.qualifiers:
            if declared.type == "sampler2D":
                return "".join(f"Texture2D {name};\nSamplerState {name}_sampler;\n" for name, _ in declared.names)
            order = "row_major " if is_matrix(declared.type) else ""
            return "".join(f"uniform {order}{type} {_name(name)};\n" for name, _ in declared.names)
        const = "const " if "const" in declared.qualifiers else ""
        return f"static {const}{type} {self._names(declared)};\n"

    def _names(self, declared: Declared) -> str:
        return ", ".join(
            _name(name) + (f" = {self._e(value)}" if value is not None else "") for name, value in declared.names
        )

    def _function(self, function: Function) -> str:
        params = ", ".join(self._param(param) for param in function.params)
        body = self._block(function.body, 1)
        return f"{hlsl_type(function.type)} {_name(function.name)}({params}) {{\n{body}}}\n"

    def _param(self, param: Param) -> str:
        if param.type == "sampler2D":
            return f"Texture2D {_name(param.name)}, SamplerState {_name(param.name)}_sampler"
        kept = [word for word in param.qualifiers if word in ("in", "out", "inout", "const")]
        return " ".join([*kept, hlsl_type(param.type), _name(param.name)])

    # --- statements ------------------------------------------------------------------------------------------------

    def _block(self, body: tuple[Stmt, ...], depth: int) -> str:
        return "".join(self._statement(statement, depth) for statement in body)

    def _statement(self, s: Stmt, depth: int) -> str:
        pad = "    " * depth
        if s.kind == "directive":
            return s.text + "\n"
        if s.kind == "comment":
            return f"{pad}{s.text}\n"
        if s.kind == "declare":
            return f"{pad}{self._declared(s.declared)};\n"
        if s.kind == "do":
            return f"{pad}{self._e(s.expr)};\n"
        if s.kind == "block":
            return f"{pad}{{\n{self._block(s.body, depth + 1)}{pad}}}\n"
        if s.kind == "if":
            made = f"{pad}if ({self._e(s.expr)}) {{\n{self._block(s.body, depth + 1)}{pad}}}"
            return made + (f" else {{\n{self._block(s.other, depth + 1)}{pad}}}\n" if s.other else "\n")
        if s.kind == "for":
            first = self._statement(s.first, 0).strip() if s.first is not None else ";"
            return (
                f"{pad}for ({first} {self._e(s.expr)}; {self._e(s.step)}) {{\n{self._block(s.body, depth + 1)}{pad}}}\n"
            )
        if s.kind == "return":
            return f"{pad}return{' ' + self._e(s.expr) if s.expr is not None else ''};\n"
        return f"{pad}{s.kind};\n"

    def _declared(self, declared: Declared | None) -> str:
        assert declared is not None
        const = "const " if "const" in declared.qualifiers else ""
        return f"{const}{hlsl_type(declared.type)} {self._names(declared)}"

    # --- expressions -----------------------------------------------------------------------------------------------

    def _e(self, expr: Expr | None) -> str:
        assert expr is not None
        return str(getattr(self, f"_{expr.kind}")(expr))

    def _number(self, expr: Expr) -> str:
        return expr.text

    def _name(self, expr: Expr) -> str:
        return _name(expr.text)

    def _group(self, expr: Expr) -> str:
        return f"({self._e(expr.parts[0])})"

    def _unary(self, expr: Expr) -> str:
        return expr.text + self._e(expr.parts[0])

    def _post(self, expr: Expr) -> str:
        return self._e(expr.parts[0]) + expr.text

    def _member(self, expr: Expr) -> str:
        return f"{self._e(expr.parts[0])}.{_name(expr.text)}"

    def _index(self, expr: Expr) -> str:
        return f"{self._e(expr.parts[0])}[{self._e(expr.parts[1])}]"

    def _assign(self, expr: Expr) -> str:
        left, right = expr.parts
        if expr.text == "*=" and is_matrix(right.type):
            return f"{self._e(left)} = mul({self._e(right)}, {self._e(left)})"
        return f"{self._e(left)} {expr.text} {self._e(right)}"

    def _choose(self, expr: Expr) -> str:
        condition, one, other = (self._e(part) for part in expr.parts)
        return f"{condition} ? {one} : {other}"

    def _binary(self, expr: Expr) -> str:
        left, right = expr.parts
        matrices = is_matrix(left.type), is_matrix(right.type)
        if (
            expr.text == "*"
            and any(matrices)
            and all(m or size_of(p.type) > 1 for m, p in zip(matrices, expr.parts, strict=True))
        ):
            return f"mul({self._e(right)}, {self._e(left)})"
        if expr.text == "^^":
            return f"({self._e(left)} != {self._e(right)})"
        if expr.text in ("==", "!=") and size_of(left.type) > 1:
            joined = f"all({self._e(left)} == {self._e(right)})"
            return joined if expr.text == "==" else f"!{joined}"
        return f"{self._e(left)} {expr.text} {self._e(right)}"

    def _make(self, expr: Expr) -> str:
        type = hlsl_type(expr.text)
        if len(expr.parts) == 1:
            return f"(({type})({self._e(expr.parts[0])}))"
        return f"{type}({', '.join(self._e(part) for part in expr.parts)})"

    def _call(self, expr: Expr) -> str:
        name, parts = expr.text, expr.parts
        given = [self._e(part) for part in parts]
        if name in self._functions:
            words = []
            for part, text in zip(parts, given, strict=True):
                words += [text, f"{text}_sampler"] if part.type == "sampler2D" else [text]
            return f"{_name(name)}({', '.join(words)})"
        if name == "textureGrad":
            return f"{given[0]}.SampleGrad({given[0]}_sampler, {', '.join(given[1:])})"
        if name == "textureLod":
            return f"{given[0]}.SampleLevel({given[0]}_sampler, {', '.join(given[1:])})"
        if name == "texelFetch":
            return f"{given[0]}.Load(int3({given[1]}, {given[2]}))"
        if name == "textureSize":
            return f"ep_size({given[0]}, {given[1]})"
        if name in _COMPARED:
            return f"({given[0]} {_COMPARED[name]} {given[1]})"
        if name == "sign":
            return f"(({hlsl_type(expr.type)})sign({given[0]}))"
        if name == "atan" and len(given) == 2:
            return f"atan2({', '.join(given)})"
        if name == "mod":
            type, by = hlsl_type(expr.type), hlsl_type(parts[1].type)
            self._needs[f"mod {type} {by}"] = f"{type} ep_mod({type} x, {by} y) {{ return x - y * floor(x / y); }}\n"
        if name == "mix" and parts[2].type.startswith("b"):
            self._needs[f"select {expr.type}"] = _select(hlsl_type(expr.type), size_of(expr.type))
            return f"ep_select({', '.join(given)})"
        return f"{_RENAMED.get(name, name)}({', '.join(given)})"


def _select(type: str, size: int) -> str:
    """A function that takes components by a bool for each: the other one where it is true."""
    if size == 1:
        return f"{type} ep_select({type} a, {type} b, bool later) {{ return later ? b : a; }}\n"
    picked = ", ".join(f"later.{c} ? b.{c} : a.{c}" for c in "xyzw"[:size])
    return f"{type} ep_select({type} a, {type} b, bool{size} later) {{ return {type}({picked}); }}\n"
