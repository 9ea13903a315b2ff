// Tone curves by name. Twin of physics/curves.py, where the sources are given.

uniform vec4 curve;            // of the program's own: a, b, c, d
uniform float curve_white;     // picture value that becomes white

vec3 curved_alone(vec3 x) {
#ifdef CURVE_LINEAR
    return x;
#endif
#ifdef CURVE_REINHARD
    return x * (1.0 + x / (curve_white * curve_white)) / (1.0 + x);
#endif
#ifdef CURVE_FILMIC
    vec3 f = 0.6 * x;
    return f * (2.51 * f + 0.03) / (f * (2.43 * f + 0.59) + 0.14);
#endif
#ifdef CURVE_NEUTRAL
    float least = min(x.r, min(x.g, x.b));
    vec3 c = x - (least < 0.08 ? least - 6.25 * least * least : 0.04);
    float peak = max(c.r, max(c.g, c.b));
    float lower = 1.0 - 0.0576 / (max(peak, 0.76) - 0.52);
    float share = 1.0 - 1.0 / (0.15 * (max(peak, 0.76) - lower) + 1.0);
    return peak < 0.76 ? c : mix(c * (lower / max(peak, 1e-9)), vec3(lower), share);
#endif
    return (curve.x * x + curve.y) * x / ((curve.z * x + curve.w) * x + 1.0);
}

vec3 curved(vec3 x) {
#ifdef CURVE_ON_LUMINANCE
    float light = dot(x, vec3(0.2126, 0.7152, 0.0722));
    return clamp(x * (curved_alone(vec3(light)).x / max(light, 1e-9)), 0.0, 1.0);
#else
    return clamp(curved_alone(x), 0.0, 1.0);
#endif
}
