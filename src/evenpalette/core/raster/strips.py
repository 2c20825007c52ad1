"""Reading index textures by strips: positions, entries, colors, for the CPU and as GLSL."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.raster.raster import Raster
from evenpalette.core.raster.reading import channel_index


def entries_of_levels(count: int) -> NDArray[np.uint8]:
    """The entry of `count` that each level 0..255 stands for, the nearest one, uint8 (256,)."""
    return np.asarray((np.arange(256) * 2 * (count - 1) + 255) // 510, np.uint8)


def levels_of(index: Raster, channel: int = 0) -> NDArray[np.uint8]:
    """The levels 0..255 of a channel of an index texture, uint8 (height, width)."""
    at = channel_index(index.channels, channel)
    if at < 0:
        return np.full((index.height, index.width), 255, np.uint8)
    plane = index.pixels[..., at]
    if plane.dtype == np.uint8:
        return np.ascontiguousarray(plane)
    return np.rint(np.clip(index.channel(channel), 0, 1) * 255).astype(np.uint8)


def color_table(strip: Raster, row: int, other: int, share: float) -> NDArray[np.float32]:
    """The color of every level by a row of a strip, or between two rows: linear RGBA, float32 (256, 4)."""
    linear = strip.as_linear()
    last = strip.height - 1
    one, two = linear[min(max(row, 0), last)], linear[min(max(other, 0), last)]
    mixed = one + (two - one) * np.float32(min(max(share, 0.0), 1.0))
    color = mixed[:, :3] if strip.channels >= 3 else np.repeat(mixed[:, :1], 3, 1)
    alpha = mixed[:, -1:] if strip.channels in (2, 4) else np.ones((strip.width, 1), np.float32)
    return np.ascontiguousarray(np.concatenate([color, alpha], 1)[entries_of_levels(strip.width)], np.float32)


#: Each texel is looked up before anything is filtered: four from near, up to 64 from afar. component: the channel
#: of the index texture that holds positions. turned: 1 where they are
#: counted from the other end, else 0.
GLSL = """
vec4 ep_entry(sampler2D index, sampler2D strip, ivec2 at, ivec2 last, vec4 component, float turned, ivec2 rows, float blend) {
    float level = abs(turned - dot(texelFetch(index, clamp(at, ivec2(0), last), 0), component));
    int entry = int(level * float(textureSize(strip, 0).x - 1) + 0.5);
    return mix(texelFetch(strip, ivec2(entry, rows.x), 0), texelFetch(strip, ivec2(entry, rows.y), 0), blend);
}
vec4 ep_looked_up(sampler2D index, sampler2D strip, vec2 uv, vec2 dx, vec2 dy, vec4 component, float turned, int row, int to, float blend) {
    vec2 size = vec2(textureSize(index, 0));
    ivec2 last = ivec2(size) - 1, rows = clamp(ivec2(row, to), ivec2(0), ivec2(textureSize(strip, 0).y - 1));
    vec2 wide = (abs(dx) + abs(dy)) * size;
    float most = max(wide.x, wide.y);
    blend = clamp(blend, 0.0, 1.0);
    if (most <= 1.001) {
        vec2 t = uv * size - 0.5, low = floor(t), f = t - low;
        ivec2 p = ivec2(low);
        vec4 upper = mix(ep_entry(index, strip, p, last, component, turned, rows, blend), ep_entry(index, strip, p + ivec2(1, 0), last, component, turned, rows, blend), f.x);
        vec4 lower = mix(ep_entry(index, strip, p + ivec2(0, 1), last, component, turned, rows, blend), ep_entry(index, strip, p + ivec2(1, 1), last, component, turned, rows, blend), f.x);
        return mix(upper, lower, f.y);
    }
    int n = int(min(8.0, ceil(most)));
    vec4 sum = vec4(0.0);
    for (int y = 0; y < n; y++) for (int x = 0; x < n; x++) {
        vec2 part = (vec2(x, y) + 0.5) / float(n) - 0.5;
        sum += ep_entry(index, strip, ivec2(floor((uv + dx * part.x + dy * part.y) * size)), last, component, turned, rows, blend);
    }
    return sum / float(n * n);
}
"""
