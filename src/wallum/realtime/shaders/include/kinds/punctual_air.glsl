// Points and spots as they light air along a piece of a ray. Twin of moment/kinds/punctual.py.

// Pre-exposed illuminance facing the lamp, the mean over the ray's piece from `first` to `last` [m from the
// eye] by how near it comes, which is in closed form (Sun 2005); cone and range are those of its middle.
// `to_lamp` is unit, from the middle.
#ifdef GOBOS
const int GOBO_PIECES = 4;
#endif

vec3 punctual_in_air(uint lamp, vec3 d, float first, float last, float width, out vec3 to_lamp, out float far) {
    vec4 place = lamp_row(lamp, LAMP_POSITION_RADIUS2);
    vec4 emission = lamp_row(lamp, LAMP_EMISSION_RANGE);
    vec4 aim = lamp_row(lamp, LAMP_DIRECTION_OFFSET);
    vec3 c = place.xyz - eye;
    float along = dot(c, d);
    float h2 = max(dot(c, c) - along * along, max(place.w, 0.25 * width * width));
    float h = sqrt(h2);
    float a = first - along;
    float b = last - along;
    float mean = atan(h * (b - a), h2 + a * b) / (h * max(b - a, 1e-4));
    vec3 way = c - d * (0.5 * (first + last));
    float d2 = max(dot(way, way), 1e-6);
    float inverse = inversesqrt(d2);
    far = d2 * inverse;
    to_lamp = way * inverse;
    float ratio2 = d2 * emission.w;
    float window = clamp(1.0 - ratio2 * ratio2, 0.0, 1.0);
    float ramp = clamp(dot(to_lamp, aim.xyz) * -lamp_row(lamp, LAMP_CONE).x + aim.w, 0.0, 1.0);
    float share = ramp * ramp * window * mean;
#ifdef GOBOS
    // The mean over the piece and over the width of its place.
    int pieces = gobo_steps(lamp, share, GOBO_PIECES);
    float left = pieces > 0 ? 0.0 : 1.0;
    float wide = width * inverse * length(lamp_row(lamp, LAMP_GOBO_ACROSS).xyz);
    vec2 from = gobo_place(lamp, normalize(c - d * first));
    for (int i = 1; i <= pieces; ++i) {
        vec2 to = gobo_place(lamp, normalize(c - d * mix(first, last, float(i) / float(GOBO_PIECES))));
        left += gobo_left(lamp, 0.5 * (from + to), sqrt(wide * wide + (to - from) * (to - from))) / float(GOBO_PIECES);
        from = to;
    }
    share *= left;
#endif
    return emission.rgb * share;
}

// Where the light that reaches a place leaves the body.
vec3 punctual_origin(uint lamp, vec3 place) {
    return lamp_row(lamp, LAMP_POSITION_RADIUS2).xyz;
}

#ifdef LAMP_SHADOWS
// Share of the light that is seen from a place of the air.
vec3 punctual_air_seen(uint lamp, vec3 to_lamp, float far, vec3 place) {
    return lamp_visibility(lamp, to_lamp, far, vec3(0.0));
}
#endif
