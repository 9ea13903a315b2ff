// Panels as they light air: by the solid angle of the disc, which is exact on its axis and far away.

vec3 panel_in_air(uint lamp, vec3 d, float first, float last, float width, out vec3 to_lamp, out float far) {
    vec4 place = lamp_row(lamp, LAMP_POSITION_RADIUS2);
    vec3 way = lamp_row(lamp, LAMP_POINT).xyz - eye - d * (0.5 * (first + last));
    float d2 = max(dot(way, way), 1e-6);
    float inverse = inversesqrt(d2);
    far = d2 * inverse;
    to_lamp = way * inverse;
    float ratio2 = d2 * lamp_row(lamp, LAMP_EMISSION_RANGE).w;
    float window = clamp(1.0 - ratio2 * ratio2, 0.0, 1.0);
    float facing = max(-dot(to_lamp, lamp_row(lamp, LAMP_DIRECTION_OFFSET).xyz), 0.0);
    float angle = 6.2831853 * (1.0 - inversesqrt(1.0 + place.w * facing / d2));
    return lamp_row(lamp, LAMP_EMISSION_RANGE).rgb * (angle * window);
}

// Where the light that reaches a place leaves the body.
vec3 panel_origin(uint lamp, vec3 place) {
    return lamp_row(lamp, LAMP_POSITION_RADIUS2).xyz;
}

#ifdef LAMP_SHADOWS
// Share of the light that is seen from a place of the air.
vec3 panel_air_seen(uint lamp, vec3 to_lamp, float far, vec3 place) {
    return lamp_visibility(lamp, to_lamp, far, vec3(0.0));
}
#endif
