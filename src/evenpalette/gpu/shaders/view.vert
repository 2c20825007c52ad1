#version 330 core
in vec2 in_corner;
// Just in front of the far plane: with the depth test "greater" only pixels of the model are shaded.
void main() { gl_Position = vec4(in_corner * 2.0 - 1.0, 0.999999, 1.0); }
