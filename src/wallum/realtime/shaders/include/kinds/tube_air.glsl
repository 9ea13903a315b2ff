// Tubes as they light air: all light through a place, whatever its direction, in closed form (physics/line.py).

vec3 tube_in_air(uint lamp, vec3 d, float first, float last, float width, out vec3 to_lamp, out float far) {
    vec4 place = lamp_row(lamp, LAMP_POSITION_RADIUS2);
    vec3 axis = lamp_row(lamp, LAMP_DIRECTION_OFFSET).xyz;
    float half_length = 0.5 * lamp_row(lamp, LAMP_SIDE_WIDTH).w;
    vec3 at = eye + d * (0.5 * (first + last));
    vec3 c = place.xyz - at;
    float middle = dot(c, axis);
    vec3 foot = c - axis * middle;
    float radius = sqrt(place.w);
    // A place of the volume is as wide as `width`: nearer than that the light is not resolved.
    float h = sqrt(max(dot(foot, foot), max(place.w, 0.25 * width * width)));
    float a = middle - half_length;
    float b = middle + half_length;
    float around = 2.0 * radius / h * (b * inversesqrt(h * h + b * b) - a * inversesqrt(h * h + a * a));
    vec3 way = lamp_row(lamp, LAMP_POINT).xyz - at;
    float d2 = max(dot(way, way), 1e-6);
    far = sqrt(d2);
    to_lamp = way / far;
    float ratio2 = dot(c, c) * lamp_row(lamp, LAMP_EMISSION_RANGE).w;
    float window = clamp(1.0 - ratio2 * ratio2, 0.0, 1.0);
    return lamp_row(lamp, LAMP_EMISSION_RANGE).rgb * (around * window);
}

// Where the light that reaches a place leaves the body.
vec3 tube_origin(uint lamp, vec3 place) {
    return lamp_row(lamp, LAMP_POSITION_RADIUS2).xyz;
}

#ifdef LAMP_SHADOWS
// Share of the light that is seen from a place of the air.
vec3 tube_air_seen(uint lamp, vec3 to_lamp, float far, vec3 place) {
    return lamp_visibility(lamp, to_lamp, far, vec3(0.0));
}
#endif
