#version 330 core
// Softens the stairs along the outline of the model: alpha says where the model is.
// BETWEEN: nothing is softened; a pixel of the picture is several of the target while the camera moves. BLOOM: with the
// glow that scatters. LINEAR: as light, for pictures that are added up.
// Chosen before it is compiled: without a graphics card a pixel takes the time of all that it might do.
uniform sampler2D u_picture;   // filtered between its texels
uniform vec2 u_corner;
uniform vec2 u_scale;          // pixels of the picture for one of the target
#ifdef BLOOM
uniform sampler2D u_bloom[2];  // the glow, blurred little and much
uniform float u_blooms;        // how much of it is scattered
#endif
out vec4 out_color;
void main() {
    vec2 at = (gl_FragCoord.xy - u_corner) * u_scale;
#ifdef BETWEEN
    vec3 c = textureLod(u_picture, at / vec2(textureSize(u_picture, 0)), 0.0).rgb;
#else
    ivec2 p = ivec2(at), last = textureSize(u_picture, 0) - 1;
    vec4 here = texelFetch(u_picture, p, 0);
    vec4 n = texelFetch(u_picture, min(p + ivec2(0, 1), last), 0), s = texelFetch(u_picture, max(p - ivec2(0, 1), ivec2(0)), 0);
    vec4 e = texelFetch(u_picture, min(p + ivec2(1, 0), last), 0), w = texelFetch(u_picture, max(p - ivec2(1, 0), ivec2(0)), 0);
    float around = n.a + s.a + e.a + w.a;
    bool outline = around > 0.5 && around < 3.5;
    vec3 c = outline ? (here.rgb * 4.0 + n.rgb + s.rgb + e.rgb + w.rgb) / 8.0 : here.rgb;
#endif
#ifdef BLOOM
    at /= vec2(textureSize(u_picture, 0));
    vec3 scattered = u_blooms * (textureLod(u_bloom[0], at, 0.0).rgb + 0.6 * textureLod(u_bloom[1], at, 0.0).rgb);
    // Added as light; gamma 2.2 stands in for the sRGB curve where light is added to a picture that is shown.
    if (dot(scattered, vec3(1.0)) > 1e-3) c = pow(pow(c, vec3(2.2)) + scattered, vec3(1.0 / 2.2));
#endif
#ifdef LINEAR
    c = ep_decode_srgb(c);
#endif
    out_color = vec4(c, 1.0);
}
