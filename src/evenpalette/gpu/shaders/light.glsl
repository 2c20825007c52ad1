// The metallic-roughness model of glTF 2.0 (appendix B) with KHR_materials_clearcoat, under three lights and a sky.
// The sky is met by the split sum: its fit is Karis, "Physically Based Shading on Mobile", 2014, from memory; what
// single scattering loses is given back as in Turquin, "Practical multiple scattering compensation", 2019.
struct Finish { vec3 base; float metallic; float roughness; float occlusion; float coat; float coat_roughness; };
uniform vec2 u_sky;        // radiance from straight below and from straight above
uniform vec4 u_lamps[3];   // toward each lamp, and how strong it is
uniform float u_gain;      // the exposure as a factor
uniform int u_filmic;      // 1: highlights are bent in
const float PI = 3.14159265;

float sky(vec3 direction) { return mix(u_sky.x, u_sky.y, 0.5 + 0.5 * direction.y); }

// D * V of appendix B.3.2 (Trowbridge-Reitz, Smith joint masking): the specular lobe without its Fresnel term.
float lobe(float nl, float nv, float nh, float roughness) {
    float a = roughness * roughness, a2 = a * a;
    float f = nh * nh * (a2 - 1.0) + 1.0;
    float d = a2 / (PI * f * f);
    return d * 0.5 / (nl * sqrt(nv * nv * (1.0 - a2) + a2) + nv * sqrt(nl * nl * (1.0 - a2) + a2));
}

// How much of the sky a surface of this roughness reflects: f0 * x + y.
vec2 split_sum(float nv, float roughness) {
    vec4 r = roughness * vec4(-1.0, -0.0275, -0.572, 0.022) + vec4(1.0, 0.0425, 1.04, -0.04);
    float a = min(r.x * r.x, exp2(-9.28 * nv)) * r.x + r.y;
    return vec2(-1.04, 1.04) * a + r.zw;
}

vec3 reflected(vec3 f0, vec2 split) {
    vec3 once = f0 * split.x + split.y;
    return min(once * (1.0 + f0 * (1.0 / max(split.x + split.y, 1e-3) - 1.0)), 1.0);
}

vec3 lit(Finish s, vec3 n, vec3 to_eye) {
    float nv = clamp(dot(n, to_eye), 1e-3, 1.0), roughness = clamp(s.roughness, 0.045, 1.0);
    vec3 f0 = mix(vec3(0.04), s.base, s.metallic), inside = s.base * (1.0 - s.metallic);
    vec3 mirrored = reflect(-to_eye, n);
    vec3 shine = reflected(f0, split_sum(nv, roughness));
    // Rough surfaces see the sky around the normal, smooth ones in the mirrored direction.
    vec3 c = s.occlusion * (sky(n) * inside * (1.0 - shine) + sky(normalize(mix(mirrored, n, roughness * roughness))) * shine);
    float coat_rough = clamp(s.coat_roughness, 0.045, 1.0), coat_light = 0.0;
    float coat_sky = COATED * s.coat * reflected(vec3(0.04), split_sum(nv, coat_rough)).x;
    c = c * (1.0 - coat_sky) + coat_sky * s.occlusion * sky(mirrored);
    for (int k = 0; k < 3; ++k) {
        float nl = dot(n, u_lamps[k].xyz) * step(1e-6, u_lamps[k].w);
        if (nl <= 0.0) continue;
        vec3 h = normalize(u_lamps[k].xyz + to_eye);
        float nh = clamp(dot(n, h), 0.0, 1.0), vh = clamp(dot(to_eye, h), 0.0, 1.0);
        float x = 1.0 - vh, grazing = x * x * x * x * x;
        vec3 f = f0 + (1.0 - f0) * grazing;
        vec3 under = (1.0 - f) * inside + f * (PI * lobe(nl, nv, nh, roughness));
        float over = COATED * s.coat * (0.04 + 0.96 * grazing);
        // The lamps are as strong as white paper straight under them is bright.
        c += u_lamps[k].w * nl * (under * (1.0 - over) + over * (COATED > 0.0 ? PI * lobe(nl, nv, nh, coat_rough) : 0.0));
    }
    return c;
}

// The Khronos PBR neutral tone mapper (2024), from memory: colors up to 0.8 stay as they are, brighter ones are bent in.
vec3 neutral_tone(vec3 c) {
    float x = min(c.r, min(c.g, c.b));
    c -= x < 0.08 ? x - 6.25 * x * x : 0.04;
    float peak = max(c.r, max(c.g, c.b));
    if (peak < 0.76) return c;
    float bent = 1.0 - 0.0576 / (peak + 0.24 - 0.76);
    c *= bent / peak;
    return mix(c, vec3(bent), 1.0 - 1.0 / (0.15 * (peak - bent) + 1.0));
}

vec3 exposed(vec3 c) {
    c *= u_gain;
    return u_filmic == 1 ? neutral_tone(c) : c;
}
