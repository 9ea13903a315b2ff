// What a surface covers, and what of the light behind it goes through. Twin of physics/glass.py.

float covered(vec4 base) {
#ifdef BLEND
    return base.a;
#else
    return 1.0;
#endif
}

vec3 goes_through(vec4 base, float n_v) {
    float f0 = material.tint.w;
    float c = 1.0 - n_v;
    float mirrored = f0 + (min(f0 * 50.0, 1.0) - f0) * c * c * c * c * c;
    float cover = covered(base);
    return 1.0 - cover + cover * material.kind.w * (1.0 - mirrored) * base.rgb * material.tint.rgb;
}
