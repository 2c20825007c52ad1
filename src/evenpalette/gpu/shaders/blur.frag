#version 330 core
// One pass of a Gaussian blur along a direction, from a picture of any size into a smaller one.
uniform sampler2D u_picture;
uniform float u_level;  // mip level that is read
uniform vec2 u_step;    // (u, v) from tap to tap
out vec4 out_color;
uniform vec2 u_size;    // of the target
void main() {
    vec2 at = gl_FragCoord.xy / u_size;
    vec3 sum = textureLod(u_picture, at, u_level).rgb * 0.1964;
    const float w[4] = float[4](0.1747, 0.1210, 0.0657, 0.0404);
    for (int k = 1; k < 5; ++k) {
        sum += (textureLod(u_picture, at + u_step * float(k), u_level).rgb + textureLod(u_picture, at - u_step * float(k), u_level).rgb) * w[k - 1];
    }
    out_color = vec4(sum, 1.0);
}
