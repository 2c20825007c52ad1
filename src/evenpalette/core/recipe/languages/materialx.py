"""The recipe as a node of MaterialX: its definition, the standard nodes that it is made of, or where there are none the
function in GLSL that a hardware generator calls for it.

MaterialX Specification 1.39, "Custom Nodes". Its texture coordinates count upward and ours downward, so that reads are
turned over. Textures that are color come as linear light: nothing decodes them before they are filtered.
"""

from evenpalette.core.dataclass import dataclass
from evenpalette.core.recipe.attributes import ATTRIBUTES, NORMAL, Holds
from evenpalette.core.recipe.languages.node_values import Node, Val
from evenpalette.core.recipe.languages.nodes import NodeWriter
from evenpalette.core.recipe.shader_text import ShaderText

#: Types of MaterialX and of the function's arguments by those of the recipe's text.
_TYPES = {
    "vec2": "vector2", "vec3": "color3", "vec4": "vector4", "float": "float", "int": "integer", "mat4": "matrix44", "sampler2D": "filename",
}  # fmt: skip
_READS = (
    "#define textureGrad(ep_s, ep_p, ep_dx, ep_dy) textureGrad(ep_s, vec2((ep_p).x, 1.0 - (ep_p).y), "
    "vec2((ep_dx).x, -(ep_dx).y), vec2((ep_dy).x, -(ep_dy).y))\n"
    "#define textureLod(ep_s, ep_p, ep_l) textureLod(ep_s, vec2((ep_p).x, 1.0 - (ep_p).y), ep_l)\n"
    "#define texelFetch(ep_s, ep_c, ep_l) texelFetch(ep_s, ivec2((ep_c).x, textureSize(ep_s, ep_l).y - 1 - (ep_c).y), ep_l)\n"
)
_READS_END = "#undef textureGrad\n#undef textureLod\n#undef texelFetch\n"


@dataclass(frozen=True)
class NodePort:
    """An input or output of the node: its name, its type in MaterialX and in GLSL."""

    name: str
    type: str
    glsl: str


def inputs_of(text: ShaderText) -> list[NodePort]:
    """Textures, then parameters, then where and when."""
    ports = [NodePort(name, "filename", "sampler2D") for name in text.samplers]
    ports += [NodePort(u.name, _TYPES[u.glsl_type], u.glsl_type) for u in text.uniforms]
    return [
        *ports,
        NodePort("uv", "vector2", "vec2"),
        NodePort("seconds", "float", "float"),
        NodePort("copy", "integer", "int"),
    ]


def outputs_of(text: ShaderText) -> list[NodePort]:
    """An output for each attribute; the normal as a normal map has it, 0 to 1."""
    made = []
    for key in text.attributes:
        attribute = ATTRIBUTES[key]
        if attribute.holds is Holds.SLOPES:
            made.append(NodePort(key, "vector3", "vec3"))
        else:
            made.append(NodePort(key, _TYPES[attribute.glsl], attribute.glsl))
    return made


def function_of(text: ShaderText, name: str) -> str:
    """The file of the implementation: the recipe, and the function `name` whose arguments are inputs and outputs."""
    inputs, outputs = inputs_of(text), outputs_of(text)
    taken = [f"{p.glsl} ep_in_{p.name}" if p.glsl != "sampler2D" else f"sampler2D {p.name}" for p in inputs]
    given = [f"out {p.glsl} ep_out_{p.name}" for p in outputs]
    lines = [f"    {u.name} = ep_in_{u.name};" for u in text.uniforms]
    samplers = "".join(f", {name}" for name in text.samplers)
    lines += [
        "    vec2 ep_uv = vec2(ep_in_uv.x, 1.0 - ep_in_uv.y);",
        f"    EpSurface s = ep_surface_at(ep_uv, dFdx(ep_uv), dFdy(ep_uv), ep_in_seconds, uint(ep_in_copy){samplers});",
    ]
    for port in outputs:
        value = "normalize(vec3(s.normal, 1.0)) * 0.5 + 0.5" if port.name == NORMAL else f"s.{port.name}"
        lines.append(f"    ep_out_{port.name} = {value};")
    head = f"void {name}({', '.join((*taken, *given))}) {{\n"
    return _READS + text.text + _READS_END + "\n" + head + "\n".join(lines) + "\n}\n"


@dataclass(frozen=True)
class NodeGraph:
    """The recipe in standard nodes. nodes: in an order in which each comes behind its inputs. outputs: by the name of
    the output, the node that has it."""

    nodes: tuple[Node, ...]
    outputs: dict[str, str]


def graph_of(text: ShaderText) -> NodeGraph:
    """The recipe in nodes that every renderer knows. Raises UnsayableError where there are none for something in it."""
    writer = NodeWriter(text.text)
    surface = dict(writer.run("ep_surface_at", {u.name: _TYPES[u.glsl_type] for u in text.uniforms}).fields)
    outputs = {}
    for port in outputs_of(text):
        value = surface[port.name]
        if port.name == NORMAL:
            vector = writer.called("normalize", [writer.values.made("vec3", [value, Val("float", (1.0,))])])
            half = Val("float", (0.5,))
            value = writer.values.node(
                "add",
                "vec3",
                [("in1", writer.values.node("multiply", "vec3", [("in1", vector), ("in2", half)])), ("in2", half)],
            )
        if not value.node:
            does, name = ("constant", "value") if value.known is not None else ("dot", "in")
            value = writer.values.node(does, value.type, [(name, value)])
        if port.type == "color3":
            value = writer.values.node("convert", "color3", [("in", value)])
        outputs[port.name] = value.node
    nodes = {node.name: node for node in writer.values.nodes.values()}
    used: set[str] = set()
    asked = list(outputs.values())
    while asked:
        name = asked.pop()
        if name not in used:
            used.add(name)
            asked += [value.node for _, _, value in nodes[name].inputs if value.node]
    return NodeGraph(tuple(node for name, node in nodes.items() if name in used), outputs)
