// The metallic-roughness model of glTF 2.0 (appendix B) with KHR_materials_clearcoat and KHR_materials_anisotropy (E.
// Heitz, JCGT 3(2), 2014), and strands by Kajiya and Kay, 1989, and Scheuermann, 2004, under three lights and a sky or
// an environment.
// The sky is met by the split sum: its fit is Karis, "Physically Based Shading on Mobile", 2014, from memory; what
// single scattering loses is given back as in Turquin, "Practical multiple scattering compensation", 2019.
struct EpFinish { vec3 base; float metallic; float roughness; float occlusion; float coat; float coat_roughness; };
// How strands and scratches lie: unit vectors along and across them; the two highlights of strands.
struct EpGrain { vec3 along; vec3 across; float anisotropy; float strands; vec3 first; vec3 second; vec4 shape; };
#ifndef EP_GRAINED
#define EP_GRAINED 0
#endif
#ifndef EP_ENVIRONED
#define EP_ENVIRONED 0
#endif
uniform vec2 ep_sky;        // radiance from straight below and from straight above
uniform vec4 ep_lamps[3];   // toward each lamp, and how strong it is
uniform float ep_exposure;      // the exposure as a factor
uniform int ep_filmic;      // 1: highlights are bent in
const float EP_PI = 3.14159265;

#if EP_ENVIRONED
// An environment: bands of one picture, each blurred for a roughness, the sharpest first; and their light on a surface as
// nine spherical harmonics (Ramamoorthi and Hanrahan, "An efficient representation for irradiance", 2001).
uniform sampler2D ep_environment;
uniform float ep_harmonics[9];
uniform vec2 ep_turned;     // cosine and sine of how far they are turned
vec3 ep_turned_back(vec3 d) { return vec3(d.x * ep_turned.x - d.z * ep_turned.y, d.y, d.z * ep_turned.x + d.x * ep_turned.y); }
float ep_sky_at(vec3 n) {
    vec3 d = ep_turned_back(n);
    float h[9] = ep_harmonics;
    return max(h[0] + h[1] * d.y + h[2] * d.z + h[3] * d.x + h[4] * d.x * d.y + h[5] * d.y * d.z + h[6] * (3.0 * d.z * d.z - 1.0)
        + h[7] * d.x * d.z + h[8] * (d.x * d.x - d.y * d.y), 0.0);
}
float ep_mirrored_sky(vec3 mirrored, vec3 n, float roughness) {
    vec3 d = ep_turned_back(mirrored);
    float v = clamp(acos(clamp(d.y, -1.0, 1.0)) / EP_PI, 0.5 / EP_ROWS, 1.0 - 0.5 / EP_ROWS), u = atan(d.x, d.z) / (2.0 * EP_PI);
    float band = clamp(roughness, 0.0, 1.0) * (EP_BANDS - 1.0), low = min(floor(band), EP_BANDS - 2.0);
    float sharp = textureLod(ep_environment, vec2(u, (low + v) / EP_BANDS), 0.0).r;
    return mix(sharp, textureLod(ep_environment, vec2(u, (low + 1.0 + v) / EP_BANDS), 0.0).r, band - low);
}
#else
float ep_sky_at(vec3 direction) { return mix(ep_sky.x, ep_sky.y, 0.5 + 0.5 * direction.y); }
// Rough surfaces see the sky around the normal, smooth ones in the mirrored direction.
float ep_mirrored_sky(vec3 mirrored, vec3 n, float roughness) { return ep_sky_at(normalize(mix(mirrored, n, roughness * roughness))); }
#endif

// D * V: Trowbridge-Reitz of appendix B.3.2 with the height-correlated masking and shadowing of E. Heitz, "Understanding the
// Masking-Shadowing Function in Microfacet-Based BRDFs", JCGT 3(2), 2014, equation 99 (the appendix has the separable one):
// the specular lobe without its Fresnel term.
float ep_lobe(float nl, float nv, float nh, float roughness) {
    float a = roughness * roughness, a2 = a * a;
    float f = nh * nh * (a2 - 1.0) + 1.0;
    float d = a2 / (EP_PI * f * f);
    return d * 0.5 / (nl * sqrt(nv * nv * (1.0 - a2) + a2) + nv * sqrt(nl * nl * (1.0 - a2) + a2));
}

// How much of the sky a surface of this roughness reflects: f0 * x + y.
vec2 ep_split_sum(float nv, float roughness) {
    vec4 r = roughness * EP_FIT_BY_ROUGHNESS + EP_FIT;
    float a = min(r.x * r.x, exp2(EP_FALL * nv)) * r.x + r.y;
    return EP_ENDS * a + r.zw;
}

vec3 ep_reflected(vec3 f0, vec2 split) {
    vec3 once = f0 * split.x + split.y;
    return min(once * (1.0 + f0 * (1.0 / max(split.x + split.y, 1e-3) - 1.0)), 1.0);
}

// The same lobe drawn out: widths along and across, Heitz 2014.
float ep_drawn_lobe(EpGrain g, vec3 l, vec3 v, vec3 h, float nl, float nv, float nh, float roughness) {
    float across = roughness * roughness, along = mix(across, 1.0, g.anisotropy * g.anisotropy);
    vec3 m = vec3(dot(g.along, h) / along, dot(g.across, h) / across, nh);
    float f = dot(m, m), d = 1.0 / (EP_PI * along * across * f * f);
    float shade = nl * length(vec3(along * dot(g.along, v), across * dot(g.across, v), nv));
    float hide = nv * length(vec3(along * dot(g.along, l), across * dot(g.across, l), nl));
    return d * 0.5 / (shade + hide);
}

// A highlight of strands: sin(T, H) to a power, T moved toward the normal.
float ep_strand_lobe(vec3 along, vec3 n, vec3 h, float shift, float width) {
    float th = dot(normalize(along + (shift - 0.5) * 2.0 * n), h);
    return smoothstep(-1.0, 0.0, th) * pow(max(1.0 - th * th, 1e-6), 1.0 / max(width * width, 1e-3));
}

vec3 ep_lit(EpFinish s, EpGrain g, vec3 n, vec3 to_eye) {
    float nv = clamp(dot(n, to_eye), 1e-3, 1.0), roughness = clamp(s.roughness, EP_LEAST_ROUGHNESS, 1.0);
    vec3 f0 = mix(vec3(EP_DIELECTRIC), s.base, s.metallic), inside = s.base * (1.0 - s.metallic);
    vec3 mirrored = reflect(-to_eye, n);
#if EP_GRAINED
    // Scratches mirror what lies across them: the normal is bent that way.
    vec3 bent = cross(g.along, cross(to_eye, g.along));
    mirrored = reflect(-to_eye, normalize(mix(n, normalize(bent), g.anisotropy * (1.0 - 0.5 * roughness))));
    vec3 hair = vec3(0.0);
#endif
    vec3 shine = ep_reflected(f0, ep_split_sum(nv, roughness));
    vec3 c = s.occlusion * (ep_sky_at(n) * inside * (1.0 - shine) + ep_mirrored_sky(mirrored, n, roughness) * shine);
    float coat_rough = clamp(s.coat_roughness, EP_LEAST_ROUGHNESS, 1.0), away = 1.0 - nv;
    // KHR_materials_clearcoat lays the coat over all by its Fresnel term toward the eye, whatever it is lit by.
    float over = EP_COATED * s.coat * (EP_DIELECTRIC + (1.0 - EP_DIELECTRIC) * away * away * away * away * away);
    c = c * (1.0 - over) + over * s.occlusion * ep_mirrored_sky(reflect(-to_eye, n), n, coat_rough);
    for (int k = 0; k < 3; ++k) {
        float nl = dot(n, ep_lamps[k].xyz) * step(1e-6, ep_lamps[k].w);
        if (nl <= 0.0) continue;
        vec3 h = normalize(ep_lamps[k].xyz + to_eye);
        float nh = clamp(dot(n, h), 0.0, 1.0), vh = clamp(dot(to_eye, h), 0.0, 1.0);
        float x = 1.0 - vh, grazing = x * x * x * x * x;
        vec3 f = f0 + (1.0 - f0) * grazing;
#if EP_GRAINED
        float bright = ep_drawn_lobe(g, ep_lamps[k].xyz, to_eye, h, nl, nv, nh, roughness);
        vec3 shines = ep_strand_lobe(g.along, n, h, g.shape.x, g.shape.y) * g.first + ep_strand_lobe(g.along, n, h, g.shape.z, g.shape.w) * g.second;
        hair += ep_lamps[k].w * (s.base * mix(0.25, 1.0, nl) + 0.25 * shines * smoothstep(0.0, 0.3, nl));
#else
        float bright = ep_lobe(nl, nv, nh, roughness);
#endif
        vec3 under = (1.0 - f) * inside + f * (EP_PI * bright);
        // The lamps are as strong as white paper straight under them is bright.
        c += ep_lamps[k].w * nl * (under * (1.0 - over) + over * (EP_COATED > 0.0 ? EP_PI * ep_lobe(nl, nv, nh, coat_rough) : 0.0));
    }
#if EP_GRAINED
    c = mix(c, hair + s.base * ep_sky_at(n) * s.occlusion, g.strands);
#endif
    return c;
}

vec3 ep_lit(EpFinish s, vec3 n, vec3 to_eye) {
    return ep_lit(s, EpGrain(vec3(1.0, 0.0, 0.0), vec3(0.0, 1.0, 0.0), 0.0, 0.0, vec3(1.0), vec3(1.0), vec4(0.5)), n, to_eye);
}

// The Khronos PBR neutral tone mapper (2024), from memory: colors up to 0.8 stay as they are, brighter ones are bent in.
vec3 ep_neutral_tone(vec3 c) {
    float x = min(c.r, min(c.g, c.b));
    c -= x < 0.08 ? x - 6.25 * x * x : 0.04;
    float peak = max(c.r, max(c.g, c.b));
    if (peak < 0.76) return c;
    float bent = 1.0 - 0.0576 / (peak + 0.24 - 0.76);
    c *= bent / peak;
    return mix(c, vec3(bent), 1.0 - 1.0 / (0.15 * (peak - bent) + 1.0));
}

vec3 ep_exposed(vec3 c) {
    c *= ep_exposure;
    return ep_filmic == 1 ? ep_neutral_tone(c) : c;
}
