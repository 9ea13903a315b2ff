// Points and spots. Twin of moment/kinds/punctual.py; sources are given in physics/photometry.py.

// Pre-exposed illuminance by channel, facing the lamp. `to_lamp` comes out as a unit vector,
// `distance_m` as how far it is.
vec3 punctual_illuminance(uint index, vec3 position, out vec3 to_lamp, out float distance_m) {
    vec4 place = lamp_row(index, LAMP_POSITION_RADIUS2);
    vec4 emission = lamp_row(index, LAMP_EMISSION_RANGE);
    vec4 aim = lamp_row(index, LAMP_DIRECTION_OFFSET);
    vec3 d = place.xyz - position;
    float d2 = max(dot(d, d), 1e-6);
    float inverse = inversesqrt(d2);
    distance_m = d2 * inverse;
    to_lamp = d * inverse;
    float ratio2 = d2 * emission.w;
    float window = clamp(1.0 - ratio2 * ratio2, 0.0, 1.0);
    float ramp = clamp(dot(to_lamp, aim.xyz) * -lamp_row(index, LAMP_CONE).x + aim.w, 0.0, 1.0);
    float share = ramp * ramp * window / max(d2, place.w);
#ifdef GOBOS
    // A loop, as a software driver goes past one that nothing enters, but through all branches.
    for (int left = gobo_steps(index, share, 1); left > 0; --left) {
        share *= gobo_left(index, gobo_place(index, to_lamp), vec2(0.0));
    }
#endif
    return emission.rgb * share;
}

// What a lamp brings to a surface, and the same where its shadow is looked up: every kind has both.
vec3 punctual_light(uint lamp, Surface s) {
    vec3 to_lamp;
    float far;
    vec3 arriving = punctual_illuminance(lamp, s.position, to_lamp, far);
    return arriving * response(s, to_lamp);
}

#ifdef LAMP_SHADOWS
vec3 punctual_shadowed(uint lamp, Surface s) {
    vec3 to_lamp;
    float far;
    vec3 arriving = punctual_illuminance(lamp, s.position, to_lamp, far);
    arriving *= lamp_visibility(lamp, to_lamp, far, s.normal);
    return arriving * response(s, to_lamp);
}
#endif

// Where the light that reaches a place leaves the body.
vec3 punctual_origin(uint lamp, vec3 place) {
    return lamp_row(lamp, LAMP_POSITION_RADIUS2).xyz;
}
