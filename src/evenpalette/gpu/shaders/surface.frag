#version 330 core
// What each pixel of the model shows: its (u, v), how much light falls there, and how fast (u, v) changes.
// Drawn again only when the camera or the mesh moves; a moved slider shades from it.
in vec3 v_position;
in vec3 v_normal;
in vec2 v_uv;
uniform int u_has_normal_map;
uniform vec3 u_eye;
uniform sampler2D u_normal_map;
layout(location = 0) out vec4 out_surface;
layout(location = 1) out vec4 out_slopes;
layout(location = 2) out float out_face;   // number of the face plus one, 0 is none

vec3 shading_normal() {
    vec3 n = normalize(v_normal);
    if (u_has_normal_map == 0) return n;
    vec3 dp1 = dFdx(v_position), dp2 = dFdy(v_position);
    vec2 duv1 = dFdx(v_uv), duv2 = dFdy(v_uv);
    vec3 dp2perp = cross(dp2, n), dp1perp = cross(n, dp1);
    vec3 t = dp2perp * duv1.x + dp1perp * duv2.x;
    vec3 b = dp2perp * duv1.y + dp1perp * duv2.y;
    float size = max(dot(t, t), dot(b, b));
    if (size < 1e-20) return n;
    float scale = inversesqrt(size);
    vec3 m = texture(u_normal_map, v_uv).rgb * 2.0 - 1.0;
    // Green is up in the map while v runs down.
    return normalize(t * scale * m.x - b * scale * m.y + n * m.z);
}

void main() {
    vec3 n = shading_normal();
    vec3 to_eye = normalize(u_eye - v_position);
    if (!gl_FrontFacing) n = -n;
    vec3 key = normalize(vec3(-0.55, 0.62, 0.62)), fill = normalize(vec3(0.8, 0.1, 0.5)), rim = normalize(vec3(0.2, 0.35, -0.95));
    float sky = 0.5 + 0.5 * n.y;
    float diffuse = 0.22 + 0.18 * sky + 0.60 * max(dot(n, key), 0.0) + 0.18 * max(dot(n, fill), 0.0) + 0.22 * max(dot(n, rim), 0.0);
    float shine = 0.14 * pow(max(dot(n, normalize(key + to_eye)), 0.0), 32.0) * step(0.0, dot(n, key));
    out_surface = vec4(v_uv, diffuse, shine);
    out_slopes = vec4(dFdx(v_uv), dFdy(v_uv));
    out_face = float(gl_PrimitiveID + 1);
}
