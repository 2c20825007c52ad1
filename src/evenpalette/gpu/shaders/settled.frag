#version 330 core
// The mean of pictures that were added up as light; alpha counts them.
uniform sampler2D u_sum;
uniform vec2 u_corner;
out vec4 out_color;
void main() {
    vec4 sum = texelFetch(u_sum, ivec2(gl_FragCoord.xy - u_corner), 0);
    out_color = vec4(ep_encode_srgb(sum.rgb / max(sum.a, 1.0)), 1.0);
}
