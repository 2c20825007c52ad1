#version 330 core
// Softens the stairs along the outline of the model: alpha says where the model is.
uniform sampler2D u_picture;
uniform vec2 u_corner;
out vec4 out_color;
void main() {
    ivec2 p = ivec2(gl_FragCoord.xy - u_corner);
    ivec2 last = textureSize(u_picture, 0) - 1;
    vec4 here = texelFetch(u_picture, p, 0);
    vec4 n = texelFetch(u_picture, min(p + ivec2(0, 1), last), 0), s = texelFetch(u_picture, max(p - ivec2(0, 1), ivec2(0)), 0);
    vec4 e = texelFetch(u_picture, min(p + ivec2(1, 0), last), 0), w = texelFetch(u_picture, max(p - ivec2(1, 0), ivec2(0)), 0);
    float around = n.a + s.a + e.a + w.a;
    bool outline = around > 0.5 && around < 3.5;
    vec3 soft = (here.rgb * 4.0 + n.rgb + s.rgb + e.rgb + w.rgb) / 8.0;
    out_color = vec4(outline ? soft : here.rgb, 1.0);
}
