#version 330 core
uniform mat4 u_clip;
in vec2 in_uv;
void main() { gl_Position = u_clip * vec4(in_uv, 0.0, 1.0); }
