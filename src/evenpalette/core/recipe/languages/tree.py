"""The part of GLSL that recipes are written in, as a tree whose expressions know their types. `reader` makes one of a
text.

The OpenGL Shading Language 3.30, chapters 3 to 6: no arrays, no switch, no local structs, one sampler type.
"""

from evenpalette.core.dataclass import dataclass

_SCALARS = {"float": "float", "vec": "float", "int": "int", "ivec": "int", "uint": "uint", "uvec": "uint", "bool": "bool", "bvec": "bool"}  # fmt: skip
_VECTORS = {"float": "vec", "int": "ivec", "uint": "uvec", "bool": "bvec"}
TYPES = {
    "void", "float", "int", "uint", "bool", "sampler2D", "mat2", "mat3", "mat4",
    *(f"{kind}vec{n}" for kind in ("", "i", "u", "b") for n in (2, 3, 4)),
}  # fmt: skip
#: Functions of the language: whose type is that of their longest argument; the others by what they give.
LIKE = {
    "abs", "sign", "floor", "ceil", "round", "trunc", "fract", "sqrt", "inversesqrt", "exp", "exp2", "log", "log2", "sin", "cos",
    "tan", "asin", "acos", "atan", "pow", "radians", "degrees", "mod", "min", "max", "clamp", "mix", "step", "smoothstep",
    "normalize", "reflect", "cross", "dFdx", "dFdy",
}  # fmt: skip
GIVES = {
    "dot": "float", "length": "float", "distance": "float", "all": "bool", "any": "bool", "textureGrad": "vec4", "textureLod": "vec4",
    "texture": "vec4", "texelFetch": "vec4", "textureSize": "ivec2",
}  # fmt: skip
COMPARES = {"lessThan", "lessThanEqual", "greaterThan", "greaterThanEqual", "equal", "notEqual"}
BUILT_IN = LIKE | set(GIVES) | COMPARES


def size_of(type: str) -> int:
    """How many components a scalar or vector has; 0 for anything else."""
    if type in ("float", "int", "uint", "bool"):
        return 1
    return int(type[-1]) if "vec" in type else 0


def scalar_of(type: str) -> str:
    """The scalar that a scalar or vector is made of."""
    return _SCALARS.get(type.rstrip("234"), "")


def vector_of(scalar: str, size: int) -> str:
    """The type of so many components."""
    return scalar if size == 1 else f"{_VECTORS[scalar]}{size}"


def is_matrix(type: str) -> bool:
    """Whether it is a matrix."""
    return type.startswith("mat")


@dataclass(frozen=True)
class Expr:
    """An expression: what it is, its words or operator, its parts, its type.

    kind: number, name, call, make (a constructor), binary, unary, post, choose (?:), assign, member, index, group.
    """

    kind: str
    text: str
    parts: tuple["Expr", ...] = ()
    type: str = ""


@dataclass(frozen=True)
class Declared:
    """A declaration of one or more names of a type. qualifiers: const, uniform, in ..."""

    qualifiers: tuple[str, ...]
    type: str
    names: tuple[tuple[str, Expr | None], ...]


@dataclass(frozen=True)
class Param:
    qualifiers: tuple[str, ...]
    type: str
    name: str


@dataclass(frozen=True)
class Stmt:
    """A statement. kind: declare, do, return, discard, if, for, while, block, break, continue, directive, comment."""

    kind: str
    text: str = ""
    expr: Expr | None = None
    declared: Declared | None = None
    body: tuple["Stmt", ...] = ()
    other: tuple["Stmt", ...] = ()
    first: "Stmt | None" = None
    step: Expr | None = None


@dataclass(frozen=True)
class Function:
    type: str
    name: str
    params: tuple[Param, ...]
    body: tuple[Stmt, ...]


@dataclass(frozen=True)
class Struct:
    name: str
    fields: tuple[tuple[str, str], ...]
    comments: tuple[str, ...]


Top = Function | Struct | Declared | Stmt
