// Parallel light in a box with soft sides. Twin of moment/kinds/beam.py.

// Illuminance of luminous factor 1 at a place, facing the beam, and how far along it the place lies [m].
float beam_share(uint lamp, vec3 place, out float along) {
    vec4 side = lamp_row(lamp, LAMP_SIDE_WIDTH);
    vec3 aim = lamp_row(lamp, LAMP_DIRECTION_OFFSET).xyz;
    float soft = max(lamp_row(lamp, LAMP_GOBO).w, 1e-4);
    vec3 away = place - lamp_row(lamp, LAMP_POSITION_RADIUS2).xyz;
    along = dot(away, aim);
    vec2 at = abs(vec2(dot(away, side.xyz), dot(away, cross(side.xyz, aim))));
    vec2 inside = clamp((0.5 * vec2(side.w, lamp_row(lamp, LAMP_HEIGHT).x) - at) / soft, 0.0, 1.0);
    inside = inside * inside * (3.0 - 2.0 * inside);
    float ratio2 = along * along * lamp_row(lamp, LAMP_EMISSION_RANGE).w;
    float window = clamp(1.0 - ratio2 * ratio2, 0.0, 1.0);
    return along > 0.0 ? inside.x * inside.y * window : 0.0;
}

// Where the light that reaches a place enters the box.
vec3 beam_origin(uint lamp, vec3 place) {
    vec3 aim = lamp_row(lamp, LAMP_DIRECTION_OFFSET).xyz;
    return place - aim * max(dot(place - lamp_row(lamp, LAMP_POSITION_RADIUS2).xyz, aim), 0.0);
}

#ifdef LAMP_SHADOWS
// Share of parallel light that is seen from a place: one tile, looked at without perspective.
vec3 beam_visibility(uint lamp, vec3 place, vec3 normal) {
    vec4 cone = lamp_row(lamp, LAMP_CONE);
    vec3 d = place + normal * (cone.w * 1.5) - lamp_row(lamp, LAMP_POSITION_RADIUS2).xyz;
    int row = 3 * int(cone.y);
    vec4 right = tile_rows[row];
    vec4 up = tile_rows[row + 1];
    vec4 ahead = tile_rows[row + 2];
    vec2 ndc = vec2(dot(right.xyz, d), dot(up.xyz, d));
    vec2 uv = clamp(ndc, -0.996, 0.996) * tile_scale + vec2(right.w, up.w);
    vec3 at = vec3(uv, dot(ahead.xyz, d) * ahead.w);
    vec3 lit = vec3(texture(lamp_atlas, at));
#ifdef VEILED
    lit *= mix(texture(lamp_veil, uv).rgb, vec3(1.0), texture(lamp_veil_depth, at));
#endif
    return lit;
}
#endif
