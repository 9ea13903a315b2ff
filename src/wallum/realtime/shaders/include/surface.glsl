// How a surface answers light. Twin of physics/surface.py, where the sources are given.

const float PI = 3.14159265;

struct Surface {
    vec3 position;   // m, in the level
    vec3 normal;
    vec3 to_eye;
    vec3 diffuse;    // base colour of what is not metal
    vec3 f0;
    vec3 compensation;
    float a2;        // roughness^4
    float n_v;
    float occlusion;
};

vec2 reflectance_fit(float roughness, float n_v) {
    float x = 1.0 - roughness;
    float a004 = min(x * x, exp2(-9.28 * n_v)) * x + (-0.0275 * roughness + 0.0425);
    return vec2(-1.04, 1.04) * a004 + vec2(-0.572 * roughness + 1.04, 0.022 * roughness - 0.04);
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
