// How a surface answers light. Twin of physics/surface.py, where the sources are given.

const float PI = 3.14159265;

struct Surface {
    vec3 position;   // m, in the level
    vec3 normal;
    vec3 to_eye;
    vec3 diffuse;    // base colour of what is not metal, times what the gloss leaves on the way out, / pi
    vec2 steep;      // how what it leaves on the way in falls at grazing angles: third power, fifth
    vec3 gloss;      // its reflectance with compensation, and what that rises by at grazing angles
    vec3 gloss_rise;
    vec2 share;      // scale and offset of F0 in what the gloss sends back
    float rough;
    float a2;        // roughness^4
    float n_v;
    float occlusion;
    vec3 bumps;      // length of the mean normal; deviation of the cosine by bumps; see mean_cosine
};

// Bumps that are too small to be drawn, by their variance: NumPy twin and source: tests/twins/bump_response.py.
vec3 bumps_of(float variance) {
    return vec3(1.0 - variance, sqrt(variance), 0.39894228 / max(variance, 1e-9));
}

// Mean of what is over 0 of a surface's cosines to a light.
float mean_cosine(Surface s, float cosine) {
    float mean = cosine * s.bumps.x;
    float near = max(s.bumps.y - abs(mean) * (1.0 / 2.4), 0.0);
    return max(mean, 0.0) + near * near * near * s.bumps.z;
}

// What the gloss sends back on the whole: scale, offset, kept and steep of physics/gloss_table.py,
// by roughness and the root of the cosine to the eye.
uniform sampler2D gloss_table;

vec4 gloss_shares(float rough, float n_v) {
    float at = sqrt(n_v) * 31.0;
    ivec2 a = ivec2(min(at, 30.0), (rough - 0.045) * (127.0 / 0.955) + 0.5);
    return mix(texelFetch(gloss_table, a, 0), texelFetch(gloss_table, a + ivec2(1, 0), 0), at - float(a.x));
}

// The third channel of a G-buffer's surface: 1 asks for no light; else 0 where 4 % are reflected looked at
// straight, and with UNUSUAL what realtime/level/bundling.py packs of what reflects otherwise.
float unlit_share(float kind) {
#ifdef UNUSUAL
    return step(254.5 / 255.0, kind);
#else
    return kind;
#endif
}

// Reflectance looked at straight and at grazing angles.
vec2 reflectance_of(float kind) {
    float root = (kind * 255.0 - 1.0) * (1.0 / 253.0);
    float f0 = kind > 0.5 / 255.0 ? root * root : 0.04;
    return vec2(f0, min(f0 * 50.0, 1.0));
}

// Share of even light that a gloss leaves for what lies under it.
float under_gloss(vec2 f, vec2 share, float regained) {
    return 1.0 - (f.x * share.x + f.y * share.y) * (1.0 + f.x * regained);
}

// Luminance by what is not gloss per illuminance of the surface [1/sr].
vec3 under_response(Surface s, float n_l) {
    float d = 1.0 - n_l;
    float d2 = d * d;
    return s.diffuse * (1.0 - d2 * d * (s.steep.x + s.steep.y * d2));
}

// The same by gloss, of facets of a roughness^4.
vec3 gloss_response(Surface s, vec3 to_light, float n_l, float a2) {
    vec3 toward = s.to_eye + to_light;
    vec3 h = toward * inversesqrt(max(dot(toward, toward), 1e-8));
    float n_h = clamp(dot(s.normal, h), 0.0, 1.0);
    float l_h = clamp(dot(to_light, h), 0.0, 1.0);
    float below = n_h * n_h * (a2 - 1.0) + 1.0;
    float smith_l = n_l * sqrt(s.n_v * s.n_v * (1.0 - a2) + a2);
    float smith_v = s.n_v * sqrt(n_l * n_l * (1.0 - a2) + a2);
    float facets = a2 * 0.5 / (PI * below * below * max(smith_l + smith_v, 1e-5));
    float c = 1.0 - l_h;
    float c2 = c * c;
    return facets * (s.gloss + s.gloss_rise * (c2 * c2 * c));
}

// Luminance per illuminance on a surface that faces the light, times the cosine [1/sr].
vec3 response(Surface s, vec3 to_light) {
    float n_l = min(mean_cosine(s, dot(s.normal, to_light)), 1.0);
    return n_l * (under_response(s, n_l) + gloss_response(s, to_light, n_l, s.a2));
}
