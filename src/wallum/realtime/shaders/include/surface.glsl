// How a surface answers light. Twin of physics/surface.py, where the sources are given.

const float PI = 3.14159265;

struct Surface {
    vec3 position;   // m, in the level
    vec3 normal;
    vec3 to_eye;
    vec3 diffuse;    // base colour of what is not metal
    vec3 f0;
    vec3 compensation;
    float rough;
    float a2;        // roughness^4
    vec2 fit;        // scale and offset of F0 in what the gloss sends back
    float n_v;
    float occlusion;
};

// Scale and offset of F0 in the share of light that the gloss sends back.
vec2 reflectance_fit(float r, float n) {
    float over = 64.2309 + r * (41.5353 * r - 50.8168) + n * (1000.0 * r - 178.0137 - 200.0137 * n);
    float under = 543.6193 * r * r + n * (115.8285 + 306.4943 * r) + 0.1;
    float whole = clamp(1.0 - r * r * over / under, 0.05, 1.0);
    float x = 1.0 - n;
    float x3 = x * x * x;
    float rise = x3 * (0.42946 + r * (-0.29867 - r * 0.19458))
        + x3 * x3 * (0.70528 + r * (-2.37075 + r * 1.81966)) - 0.0102958 + r * 0.0137478;
    rise = clamp(rise, 0.0, whole);
    return vec2(whole - rise, rise);
}

// Luminance per illuminance on a surface that faces the light, times the cosine [1/sr].
vec3 response(Surface s, vec3 to_light) {
    vec3 toward = s.to_eye + to_light;
    vec3 h = toward * inversesqrt(max(dot(toward, toward), 1e-8));
    float n_l = clamp(dot(s.normal, to_light), 0.0, 1.0);
    float n_h = clamp(dot(s.normal, h), 0.0, 1.0);
    float l_h = clamp(dot(to_light, h), 0.0, 1.0);
    float below = n_h * n_h * (s.a2 - 1.0) + 1.0;
    float smith_l = n_l * sqrt(s.n_v * s.n_v * (1.0 - s.a2) + s.a2);
    float smith_v = s.n_v * sqrt(n_l * n_l * (1.0 - s.a2) + s.a2);
    float facets = s.a2 * 0.5 / (PI * below * below * max(smith_l + smith_v, 1e-5));
    float c = 1.0 - l_h;
    float c2 = c * c;
    vec3 fresnel = s.f0 + (1.0 - s.f0) * (c2 * c2 * c);
    return n_l * ((1.0 - fresnel) * s.diffuse * (1.0 / PI) + facets * fresnel * s.compensation);
}
