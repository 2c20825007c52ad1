#version 330 core
// A picture laid over what is drawn, pixel for pixel; its colors are multiplied by its alpha.
uniform sampler2D u_picture;
uniform vec2 u_corner;
out vec4 out_color;
void main() { out_color = texelFetch(u_picture, ivec2(gl_FragCoord.xy - u_corner), 0); }
