#version 330 core
// One pass of a Gaussian blur along a direction, from a picture of any size into a smaller one.
uniform sampler2D u_picture;
uniform float u_level;  // mip level that is read
uniform vec2 u_step;    // (u, v) from tap to tap
uniform vec2 u_size;    // of the target
uniform vec2 u_band;    // what lies beyond these u belongs to another picture
out vec4 out_color;

vec3 tap(vec2 at) {
    // Half a texel inside, so that none beyond is filtered in.
    float inset = 0.49 / u_size.x;
    return at.x < u_band.x + inset || at.x > u_band.y - inset ? vec3(0.0) : textureLod(u_picture, at, u_level).rgb;
}

void main() {
    vec2 at = gl_FragCoord.xy / u_size;
    vec3 sum = tap(at) * 0.1964;
    const float w[4] = float[4](0.1747, 0.1210, 0.0657, 0.0404);
    for (int k = 1; k < 5; ++k) sum += (tap(at + u_step * float(k)) + tap(at - u_step * float(k))) * w[k - 1];
    out_color = vec4(sum, 1.0);
}
