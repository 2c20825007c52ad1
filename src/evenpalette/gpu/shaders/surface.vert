#version 330 core
uniform mat4 u_clip;
in vec3 in_position;
in vec3 in_normal;
in vec2 in_uv;
out vec3 v_position;
out vec3 v_normal;
out vec2 v_uv;
void main() {
    v_position = in_position;
    v_normal = in_normal;
    v_uv = in_uv;
    gl_Position = u_clip * vec4(in_position, 1.0);
}
