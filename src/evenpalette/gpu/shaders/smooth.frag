#version 330 core
// Softens the stairs along the outline of the model: alpha says where the model is.
uniform sampler2D u_picture;
uniform vec2 u_corner;
uniform vec2 u_scale;          // pixels of the picture for one of the target: less than 1 while the camera moves
uniform sampler2D u_bloom[2];  // the glow, blurred little and much
uniform float u_blooms;        // how much of it is scattered, 0 for none
out vec4 out_color;
void main() {
    ivec2 p = ivec2((gl_FragCoord.xy - u_corner) * u_scale);
    ivec2 last = textureSize(u_picture, 0) - 1;
    vec4 here = texelFetch(u_picture, p, 0);
    vec4 n = texelFetch(u_picture, min(p + ivec2(0, 1), last), 0), s = texelFetch(u_picture, max(p - ivec2(0, 1), ivec2(0)), 0);
    vec4 e = texelFetch(u_picture, min(p + ivec2(1, 0), last), 0), w = texelFetch(u_picture, max(p - ivec2(1, 0), ivec2(0)), 0);
    float around = n.a + s.a + e.a + w.a;
    bool outline = around > 0.5 && around < 3.5;
    vec3 soft = (here.rgb * 4.0 + n.rgb + s.rgb + e.rgb + w.rgb) / 8.0;
    vec3 c = outline ? soft : here.rgb;
    if (u_scale.x < 1.0) {
        // Between the centers of coarse pixels.
        vec2 between = (gl_FragCoord.xy - u_corner) * u_scale - 0.5, share = fract(between);
        ivec2 low = ivec2(floor(between)), high = min(low + 1, last);
        low = max(low, ivec2(0));
        c = mix(mix(texelFetch(u_picture, low, 0).rgb, texelFetch(u_picture, ivec2(high.x, low.y), 0).rgb, share.x),
            mix(texelFetch(u_picture, ivec2(low.x, high.y), 0).rgb, texelFetch(u_picture, high, 0).rgb, share.x), share.y);
    }
    if (u_blooms > 0.0) {
        vec2 at = (gl_FragCoord.xy - u_corner) * u_scale / vec2(last + 1);
        vec3 scattered = u_blooms * (textureLod(u_bloom[0], at, 0.0).rgb + 0.6 * textureLod(u_bloom[1], at, 0.0).rgb);
        // Added as light; gamma 2.2 stands in for the sRGB curve where light is added to a picture that is shown.
        if (dot(scattered, vec3(1.0)) > 1e-3) c = pow(pow(c, vec3(2.2)) + scattered, vec3(1.0 / 2.2));
    }
    out_color = vec4(c, 1.0);
}
