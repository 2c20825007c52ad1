// The radiance toward the eye of a surface, what it sends out included. normal: unit, of the side that is seen. tangent: of
// MikkTSpace, with the sign of the bitangent in w. All in one space, that of ep_lamps and of up.
vec3 evenpalette_light(EpLit s, vec3 position, vec3 normal, vec4 tangent, vec3 eye) {
    vec3 to_eye = normalize(eye - position), t = tangent.xyz - normal * dot(normal, tangent.xyz);
    t *= inversesqrt(max(dot(t, t), 1e-12));
    // Toward where green points.
    vec3 b = cross(normal, t) * tangent.w;
    vec3 n = normalize(normal + t * s.normal.x + b * s.normal.y);
    EpFinish finish = EpFinish(s.base_color, s.metallic, s.roughness, s.occlusion, s.coat, s.coat_roughness);
    t = normalize(t - n * dot(n, t) + vec3(1e-6, 0.0, 0.0));
    vec3 side = cross(n, t) * (tangent.w < 0.0 ? -1.0 : 1.0);
    float turn = 2.0 * EP_PI * s.anisotropy_angle;
    vec3 along = cos(turn) * t + sin(turn) * side;
    EpGrain grain = EpGrain(along, cross(n, along), s.anisotropy, s.strands, s.highlight_tint, s.strand_tint, s.strand_shape);
    return ep_lit(finish, grain, n, to_eye) + s.emissive;
}

// What a screen is told of a radiance: exposed, highlights bent in where ep_filmic is 1, encoded to sRGB.
vec3 evenpalette_output(vec3 radiance) {
    vec3 c = clamp(ep_exposed(radiance), 0.0, 1.0);
    return @ENCODED@;
}
