#version 330 core
// What each pixel of the model shows: its (u, v), how fast they change, and the frame in which light is met.
// Drawn again only when the camera or the mesh moves; a moved slider shades from it.
in vec3 v_position;
in vec3 v_normal;
in vec2 v_uv;
uniform int u_cut;            // 1: texels of little opacity are not there
uniform int u_opacity_in;     // which component has the opacity
uniform sampler2D u_opacity;
layout(location = 0) out vec4 out_surface;   // (u, v), 1 where the model is, 1 where that is of another sheet
layout(location = 1) out vec4 out_slopes;
layout(location = 2) out float out_face;     // number of the face plus one, 0 is none
layout(location = 3) out vec4 out_normal;    // and 1 where the back of a face is seen
layout(location = 4) out vec4 out_tangent;   // the direction in which u grows, a unit vector across the normal
layout(location = 5) out vec4 out_bitangent; // across both, toward where v grows: as MikkTSpace lays the frame of normal maps

void main() {
    if (u_cut == 1 && texture(u_opacity, v_uv)[u_opacity_in] < CUT) discard;
    vec3 n = normalize(v_normal);
    vec3 dp1 = dFdx(v_position), dp2 = dFdy(v_position);
    vec2 duv1 = dFdx(v_uv), duv2 = dFdy(v_uv);
    float turns = duv1.x * duv2.y - duv2.x * duv1.y < 0.0 ? -1.0 : 1.0;
    vec3 t = (dp1 * duv2.y - dp2 * duv1.y) * turns, down = (dp2 * duv1.x - dp1 * duv2.x) * turns;
    t -= n * dot(n, t);
    t *= inversesqrt(max(dot(t, t), 1e-30));
    vec3 b = cross(n, t);
    b *= dot(b, down) < 0.0 ? -1.0 : 1.0;
    float side = gl_FrontFacing ? 1.0 : -1.0;
    out_normal = vec4(n * side, 0.5 - 0.5 * side);
    out_tangent = vec4(t * side, 0.0);
    out_bitangent = vec4(b * side, 0.0);
    // Faces of other sheets lie at (-1, -1) with all their corners.
    out_surface = vec4(v_uv, 1.0, all(lessThan(abs(v_uv + 1.0), vec2(1e-3))) ? 1.0 : 0.0);
    out_slopes = vec4(duv1, duv2);
    out_face = float(gl_PrimitiveID + 1);
}
