"""Drawing without a graphics card."""

import os

import moderngl


def compile_quickly() -> None:
    """Let Mesa's software driver leave out optimizing passes: a recipe of twenty steps is compiled in a sixth of the
    time, and a frame takes a tenth longer (measured on llvmpipe). To be called before the first context is made; cards
    with a driver of their own do not know the variable, and whoever has set it keeps it."""
    os.environ.setdefault("GALLIVM_PERF", "nopt")


def draws_by(ctx: moderngl.Context) -> bool:
    """Whether a processor draws what this context is told."""
    name = str(ctx.info.get("GL_RENDERER", "")).lower()
    return any(word in name for word in ("llvmpipe", "softpipe", "swrast", "swiftshader", "software rasterizer"))
