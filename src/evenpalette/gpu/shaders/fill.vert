#version 330 core
uniform mat4 u_clip;
uniform int u_flat;
in vec3 in_position;
in vec2 in_uv;
void main() { gl_Position = u_clip * (u_flat == 1 ? vec4(in_uv, 0.0, 1.0) : vec4(in_position, 1.0)); }
