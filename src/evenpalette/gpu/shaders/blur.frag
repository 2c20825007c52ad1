#version 330 core
// One pass of a Gaussian blur along a direction; or, before the first, a picture at a quarter of its size.
uniform sampler2D u_picture;
uniform int u_shrink;   // 1: the mean of four by four texels
uniform vec2 u_step;    // (u, v) from tap to tap
uniform vec2 u_size;    // of the target
uniform vec2 u_band;    // what lies beyond these u belongs to another picture
out vec4 out_color;

vec3 tap(vec2 at) {
    // Half a texel inside, so that none beyond is filtered in.
    float inset = 0.49 / u_size.x;
    return at.x < u_band.x + inset || at.x > u_band.y - inset ? vec3(0.0) : textureLod(u_picture, at, 0.0).rgb;
}

void main() {
    vec2 at = gl_FragCoord.xy / u_size;
    if (u_shrink == 1) {
        vec3 sum = vec3(0.0);
        for (int k = 0; k < 4; ++k) {
            vec2 quarter = vec2(float(k % 2) - 0.5, float(k / 2) - 0.5) * 0.5 / u_size;
            sum += textureLod(u_picture, at + quarter, 0.0).rgb;
        }
        out_color = vec4(sum * 0.25, 1.0);
        return;
    }
    vec3 sum = tap(at) * 0.1964;
    const float w[4] = float[4](0.1747, 0.1210, 0.0657, 0.0404);
    for (int k = 1; k < 5; ++k) sum += (tap(at + u_step * float(k)) + tap(at - u_step * float(k))) * w[k - 1];
    out_color = vec4(sum, 1.0);
}
