#version 330 core
layout(location = 0) out vec4 out_color;
#if BLOOM
layout(location = 1) out vec4 out_glow;      // the light that the surface sends out, linear
#endif

uniform vec2 u_corner;       // first pixel of the viewport
uniform int u_flat;          // 1: the texture plane, 0: the model
uniform vec4 u_plane;        // (u, v) at the corner and their change per pixel
uniform sampler2D u_surface;
uniform sampler2D u_slopes;
uniform vec3 u_surround;     // encoded
uniform int u_show;
uniform int u_region;
uniform int u_focus;
uniform float u_overlay;     // how strong regions are laid over
uniform ivec2 u_overlaid;    // first and one past the last region of the division that is
uniform int u_opacity_use;   // 0: none, 1: cut out, 2: blended
#if EYES
uniform mat3 u_eyes;         // what linear colors are seen as
#endif
uniform sampler2D u_painted;
uniform sampler2D u_tone;
uniform vec3 u_flags[REGION_SLOTS];

vec2 slope_x, slope_y;
vec4 read_map(sampler2D s, vec2 uv) { return textureGrad(s, uv, slope_x, slope_y); }

//RECIPE//

#if REGION_COUNT > 0
float[REGION_COUNT] coverages(vec2 uv) {
    ep_resolve(uv, slope_x, slope_y);
    return float[REGION_COUNT](REGION_LIST);
}
#endif

vec3 encode_color(vec3 c) { return ep_encode_srgb(min(c, 1.0)); }

#if EYES
vec3 seen(vec3 e) { return encode_color(clamp(u_eyes * ep_decode_srgb(e), 0.0, 1.0)); }
#endif

// A rough perceptual length: the root of each channel, so that dark differences count.
float difference(vec3 a, vec3 b) { return length(sqrt(max(a, 0.0)) - sqrt(max(b, 0.0))); }

#if LIT || SIDED
uniform sampler2D u_normal;
#endif
#if LIT
uniform sampler2D u_tangent, u_bitangent;
uniform sampler2D u_normal_map;
uniform mat3 u_ray;          // right and up per pixel, and toward the first pixel, from the eye
//LIGHT//
vec3 in_light(EpFinish finish, vec2 slopes, ivec2 pixel, float angle, float anisotropy, float strands, vec3 first, vec3 second, vec4 shape) {
    vec3 n = texelFetch(u_normal, pixel, 0).xyz, t = texelFetch(u_tangent, pixel, 0).xyz, b = texelFetch(u_bitangent, pixel, 0).xyz;
    // Green is up while v runs down.
    n = normalize(n + t * slopes.x - b * slopes.y);
    vec3 to_eye = -normalize(u_ray * vec3(vec2(pixel) + 0.5, 1.0));
#if EP_GRAINED
    t = normalize(t - n * dot(n, t) + vec3(1e-6, 0.0, 0.0));
    // Counter-clockwise, toward where green points: against v.
    vec3 side = cross(n, t);
    side *= dot(side, b) < 0.0 ? 1.0 : -1.0;
    vec3 along = cos(2.0 * EP_PI * angle) * t + sin(2.0 * EP_PI * angle) * side;
    return ep_lit(finish, EpGrain(along, cross(n, along), anisotropy, strands, first, second, shape), n, to_eye);
#else
    return ep_lit(finish, n, to_eye);
#endif
}
vec3 in_light(EpFinish finish, vec2 slopes, ivec2 pixel) {
    return in_light(finish, slopes, pixel, 0.0, 0.0, 0.0, vec3(1.0), vec3(1.0), vec4(0.5));
}
#endif

// Parts of other sheets: as they look, a little into the surround, so that it is seen which one is worked on.
#if OTHERS
uniform sampler2D u_others;
#endif
vec3 aside(ivec2 pixel) {
#if OTHERS
    return mix(texelFetch(u_others, pixel, 0).rgb, u_surround, 0.15);
#elif LIT
    return encode_color(ep_exposed(in_light(EpFinish(vec3(0.34), 0.0, 0.8, 1.0, 0.0, 0.05), vec2(0.0), pixel)));
#else
    return vec3(0.62);
#endif
}

#if INSPECT
vec3 stage_color(vec2 uv) {
    if (u_show == 1) return read_map(u_painted, uv).rgb;
    if (u_show == 2) return read_map(u_tone, uv).rgb;
#if REGION_COUNT > 0
    float k[REGION_COUNT] = coverages(uv);
    if (u_show == 4) return vec3(u_region >= 0 ? k[u_region] * k[u_region] : 0.0);
    vec3 sum = vec3(0.0);
    for (int i = 0; i < REGION_COUNT; ++i) sum += k[i] * u_flags[i];
    return sum;
#else
    return vec3(0.0);
#endif
}
#endif

void main() {
    vec2 uv;
    ivec2 pixel = ivec2(gl_FragCoord.xy - u_corner);
    if (u_flat == 1) {
        uv = u_plane.xy + (gl_FragCoord.xy - u_corner) * u_plane.zw;
        slope_x = vec2(u_plane.z, 0.0);
        slope_y = vec2(0.0, u_plane.w);
        if (uv.x < 0.0 || uv.y < 0.0 || uv.x > 1.0 || uv.y > 1.0) { out_color = vec4(u_surround, 1.0); return; }
    } else {
        vec4 surface = texelFetch(u_surface, pixel, 0);
        if (surface.w > 0.5) { out_color = vec4(aside(pixel), 1.0); return; }
        uv = surface.xy;
        vec4 slopes = texelFetch(u_slopes, pixel, 0);
        slope_x = slopes.xy;
        slope_y = slopes.zw;
    }
    float opacity = 1.0;
#if SIDED
    ep_side = u_flat == 1 ? 0.0 : texelFetch(u_normal, pixel, 0).w;
#endif
#if INSPECT
    vec3 c = stage_color(uv);
#if LIT
    vec2 slopes = vec2(0.0);
#if NORMAL_MAP
    vec3 v = read_map(u_normal_map, uv).xyz * 2.0 - 1.0;
    slopes = v.xy / max(v.z, STEEPEST);
#endif
    c = ep_exposed(in_light(EpFinish(c, 0.0, 0.5, 1.0, 0.0, 0.05), slopes, pixel));
#endif
    vec3 e = encode_color(c);
#else
    EpSurface s = evenpalette_surface_grad(uv, slope_x, slope_y, 0.0, 0u);
#ifdef HAS_OPACITY
    opacity = u_opacity_use == 1 ? step(CUT, s.opacity) : u_opacity_use == 2 ? clamp(s.opacity, 0.0, 1.0) : 1.0;
#endif
#if COMPARE
    float d = clamp(difference(s.base_color, read_map(u_painted, uv).rgb) * 5.0, 0.0, 1.0);
    vec3 e = encode_color(vec3(d * d));
#elif LIT
    vec3 e = encode_color(ep_exposed(in_light(LIT_FINISH, LIT_SLOPES, pixel, LIT_GRAIN) + LIT_EMISSIVE));
#if BLOOM
    out_glow = vec4(LIT_EMISSIVE * ep_exposure * opacity, 1.0);
#if EYES
    out_glow.rgb = max(u_eyes * out_glow.rgb, 0.0);
#endif
#endif
#else
    vec3 e = SHOWN;
#endif
#endif
#if REGION_COUNT > 0 && OVERLAY
    {
        // The regions of one division as flag colors, the chosen one strongest; what is in none is hatched.
        float k[REGION_COUNT] = coverages(uv);
        vec3 flags = vec3(0.0);
        float sum = 0.0, chosen = 0.0;
        for (int i = 0; i < REGION_COUNT; ++i) {
            float own = i >= u_overlaid.x && i < u_overlaid.y ? k[i] : 0.0;
            flags += own * encode_color(u_flags[i]);
            sum += own;
            if (i == u_region) chosen = own;
        }
        float strength = u_overlay * mix(0.62, 1.0, chosen);
        e = mix(e, flags / max(sum, 1e-4), strength * min(sum, 1.0));
        // Thin lines far apart: whoever begins to paint sees the picture.
        float along = fract((gl_FragCoord.x + gl_FragCoord.y) / 14.0) * 14.0;
        float line = along < 1.5 ? 1.0 : along < 3.0 ? -1.0 : 0.0;
        e = mix(e, vec3(0.5 + 0.42 * line), min(u_overlay * 1.3, 1.0) * abs(line) * clamp(1.0 - sum, 0.0, 1.0));
    }
#endif
    e = mix(u_surround, e, opacity);
#if REGION_COUNT > 0 && FOCUS
    if (u_focus >= 0) {
        float k[REGION_COUNT] = coverages(uv);
        e = mix(mix(vec3(dot(e, vec3(0.299, 0.587, 0.114))) * 0.5 + 0.23, e, 0.12), e, k[u_focus]);
    }
#endif
#if EYES
    e = seen(e);
#endif
    out_color = vec4(e, 1.0);
}
