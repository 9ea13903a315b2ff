// Tubes: thin Lambertian cylinders. Twin of moment/kinds/tube.py; the closed forms are derived in physics/line.py.

// Antiderivatives of 1 / (h^2 + s^2)^2 and s / (h^2 + s^2)^2 over s.
vec2 tube_primitive(float s, float h) {
    float d2 = h * h + s * s;
    return vec2(s / (2.0 * h * h * d2) + atan(s / h) / (2.0 * h * h * h), -0.5 / d2);
}

// Illuminance by luminance 1 of a surface with a normal, from a tube whose middle lies at `c` from it.
float tube_illuminance(vec3 c, vec3 axis, float half_length, float radius, vec3 n) {
    float middle = dot(c, axis);
    vec3 foot = c - axis * middle;
    float h = max(length(foot), radius);
    float first = middle - half_length;
    float last = middle + half_length;
    // Only what stands over the surface's horizon: q + s w > 0 along the axis.
    float q = dot(foot, n);
    float w = dot(axis, n);
    float edge = -q / (abs(w) > 1e-6 ? w : 1e-6);
    first = w > 1e-6 ? max(first, edge) : first;
    last = w < -1e-6 ? min(last, edge) : last;
    bool over = last > first && (abs(w) > 1e-6 || q > 0.0);
    vec2 whole = tube_primitive(last, h) - tube_primitive(first, h);
    return over ? max(2.0 * radius * h * (q * whole.x + w * whole.y), 0.0) : 0.0;
}

// Illuminance facing a point of the tube, if all of it shone from there.
float tube_point(vec3 toward, float d2, vec3 axis, float length_m, float radius) {
    float along = dot(toward, axis);
    float sine = sqrt(max(1.0 - along * along, 0.0));
    return 2.0 * radius * length_m * sine / max(d2, radius * radius);
}

float tube_window(uint lamp, vec3 c) {
    float ratio2 = dot(c, c) * lamp_row(lamp, LAMP_EMISSION_RANGE).w;
    return clamp(1.0 - ratio2 * ratio2, 0.0, 1.0);
}

// The point of the axis next to the mirrored ray, with a lobe as much wider as the tube is. Source: Karis 2013.
vec3 tube_gloss(uint lamp, Surface s, vec3 c, vec3 axis, float length_m, float radius) {
    vec3 mirrored = reflect(-s.to_eye, s.normal);
    float along = dot(mirrored, axis);
    float at = (along * dot(mirrored, c) - dot(c, axis)) / max(1.0 - along * along, 1e-4);
    vec3 way = c + axis * clamp(at, -0.5 * length_m, 0.5 * length_m);
    float d2 = max(dot(way, way), 1e-6);
    vec3 toward = way * inversesqrt(d2);
    float rough = sqrt(s.a2);
    float wider = clamp(rough + 0.5 * radius * inversesqrt(d2), 0.0, 1.0);
    float longer = clamp(rough + 0.25 * length_m * inversesqrt(d2), 0.0, 1.0);
    float n_l = clamp(dot(s.normal, toward), 0.0, 1.0);
    float strength = tube_point(toward, d2, axis, length_m, radius) * rough / longer;
    return gloss_response(s, toward, n_l, wider * wider) * (n_l * strength);
}

// `seen` : share of the light's point that is seen.
vec3 tube_seen(uint lamp, Surface s, vec3 seen) {
    vec4 place = lamp_row(lamp, LAMP_POSITION_RADIUS2);
    vec3 axis = lamp_row(lamp, LAMP_DIRECTION_OFFSET).xyz;
    float length_m = lamp_row(lamp, LAMP_SIDE_WIDTH).w;
    float radius = sqrt(place.w);
    vec3 c = place.xyz - s.position;
    float whole = tube_illuminance(c, axis, 0.5 * length_m, radius, s.normal);
    vec3 way = lamp_row(lamp, LAMP_POINT).xyz - s.position;
    float d2 = max(dot(way, way), 1e-6);
    vec3 toward = way * inversesqrt(d2);
    float n_l = max(dot(s.normal, toward), 0.0);
    // The whole is known: a point only says what is kept away of it. Of one picture no more than there is.
    float point = tube_point(toward, d2, axis, length_m, radius) * n_l;
    bool settling = any(greaterThan(abs(lamp_row(lamp, LAMP_POINT).xyz - place.xyz), vec3(1e-5)));
    point = settling ? point : min(point, whole);
    float least = settling ? -1e4 : 0.0;
    vec3 diffuse = under_response(s, max(n_l, 0.05)) * max(vec3(whole) - point * (1.0 - seen), vec3(least));
    vec3 gloss = tube_gloss(lamp, s, c, axis, length_m, radius) * seen;
    return lamp_row(lamp, LAMP_EMISSION_RANGE).rgb * tube_window(lamp, c) * (diffuse + gloss);
}

vec3 tube_light(uint lamp, Surface s) {
    return tube_seen(lamp, s, vec3(1.0));
}

#ifdef LAMP_SHADOWS
vec3 tube_shadowed(uint lamp, Surface s) {
    vec3 way = lamp_row(lamp, LAMP_POINT).xyz - s.position;
    float far = sqrt(max(dot(way, way), 1e-6));
    return tube_seen(lamp, s, lamp_visibility(lamp, way / far, far, s.normal));
}
#endif

// Where the light that reaches a place leaves the body.
vec3 tube_origin(uint lamp, vec3 place) {
    return lamp_row(lamp, LAMP_POSITION_RADIUS2).xyz;
}
