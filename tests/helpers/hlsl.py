"""HLSL by compilers that are not ours: glslang reads it, SPIRV-Cross turns it into GLSL that OpenGL runs."""

import json
import re
import shutil
import struct
import subprocess
from pathlib import Path

import moderngl
import numpy as np
import pytest

from evenpalette.core.raster.raster import Raster
from tests.helpers.glsl import Game, apart

TOOLS = ("glslangValidator", "spirv-cross")


def needs_compilers() -> None:
    """Skip where one is missing, by name."""
    missing = [tool for tool in TOOLS if shutil.which(tool) is None]
    if missing:
        pytest.skip(f"{', '.join(missing)} is not installed")


def _run(*words: object) -> str:
    done = subprocess.run([str(word) for word in words], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout + done.stderr
    return done.stdout


def draw_hlsl(
    game: Game, folder: Path, text: str, entry: str, textures: dict[str, Raster], uniforms: dict[str, object], size: tuple[int, int],
    *, repeat: list[str] | tuple[str, ...] = (), mips: bool = False,
) -> np.ndarray:  # fmt: skip
    """What a pixel shader of this text gives, float32 (height, width, 4). entry: the expression, of `uv` 0..1."""
    source, module = folder / "recipe.frag.hlsl", folder / "recipe.spv"
    source.write_text(f"{text}\nfloat4 main(float2 uv : TEXCOORD0) : SV_Target {{ return {entry}; }}\n")
    words = ("-D", "-V", "-e", "main", "-S", "frag", "--auto-map-bindings", "--auto-map-locations")
    _run("glslangValidator", *words, "-o", module, source)
    glsl = _run("spirv-cross", module, "--version", "330", "--no-420pack-extension", "--no-es")
    said = json.loads(_run("spirv-cross", module, "--reflect"))
    blocks = {block["name"]: said["types"][block["type"]]["members"] for block in said.get("ubos", [])}

    def draw() -> np.ndarray:
        inner = re.search(r"in vec2 (\w+);", glsl)
        vertex = "#version 330 core\nin vec2 p; out vec2 PLACE; void main() { PLACE = p; gl_Position = vec4(p * 2.0 - 1.0, 0.0, 1.0); }"
        program = game.ctx.program(vertex.replace("PLACE", inner[1] if inner else "unused"), glsl)
        held, unit = [], 0
        for name in program:
            member = program[name]
            if isinstance(member, moderngl.UniformBlock):
                members = next(iter(blocks.values()))
                content = bytearray(member.size)
                for one in members:
                    if one["name"] in uniforms:
                        packed = _packed(uniforms[one["name"]], one["type"])
                        content[one["offset"] : one["offset"] + len(packed)] = packed
                buffer = game.ctx.buffer(bytes(content))
                buffer.bind_to_uniform_block(0)
                member.binding = 0
                held.append(buffer)
            elif isinstance(member, moderngl.Uniform) and (
                found := re.search(r"SPIRV_Cross_Combined(ep_\w+?)(?:ep_\w+_sampler|SPIRV\w*)$", name)
            ):
                sampler = next(key for key in sorted(textures, key=len, reverse=True) if found[1] == key)
                texture = game._load(textures[sampler], mips, sampler in repeat)
                texture.use(unit)
                member.value = unit
                unit += 1
                held.append(texture)
        quad = game.ctx.buffer(np.array([[0, 0], [1, 0], [0, 1], [1, 1]], "f4").tobytes())
        target = game.ctx.framebuffer([game.ctx.texture(size, 4, dtype="f4")])
        target.use()
        game.ctx.vertex_array(program, [(quad, "2f", "p")]).render(moderngl.TRIANGLE_STRIP)
        data = np.frombuffer(target.read(components=4, dtype="f4"), np.float32).reshape(size[1], size[0], 4)
        for thing in held:
            thing.release()
        return data

    return apart(draw)


def _packed(value: object, type: str) -> bytes:
    if type.startswith("mat"):
        return np.asarray(value, "<f4").tobytes()
    if type in ("int", "uint"):
        return struct.pack("<i", int(value))  # type: ignore[call-overload]
    return np.asarray(value, "<f4").tobytes()
