// Shadow of lamps, from tiles in one atlas: a single one, or the six sides of a cube.

// Of each of 800 tiles: right and up, axes over the tangent of its half angle and where it lies in the atlas; ahead,
// unit. See lamps.glsl.
layout(std140) uniform Tiles { vec4 tile_rows[3 * 800]; };
uniform sampler2DShadow lamp_atlas;
#ifdef VEILED
uniform sampler2DShadow lamp_veil_depth;  // see sun_shadow.glsl
uniform sampler2D lamp_veil;
#endif
uniform float tile_scale;     // half a tile's width, in the atlas
uniform vec2 tile_depth;      // distance ahead to depth: x + y / distance

// Face of a cube a direction falls on: +x -x +y -y +z -z.
int cube_face(vec3 d) {
    vec3 a = abs(d);
    bool x = a.x >= a.y && a.x >= a.z;
    bool y = !x && a.y >= a.z;
    float along = x ? d.x : (y ? d.y : d.z);
    return (x ? 0 : (y ? 2 : 4)) + (along < 0.0 ? 1 : 0);
}

// Share of the lamp that is seen from a surface, 0 to 1.
vec3 lamp_visibility(uint index, vec3 to_lamp, float distance_m, vec3 normal) {
    vec4 cone = lamp_row(index, LAMP_CONE);
    vec3 d = (normal * (cone.w * 1.5) - to_lamp) * distance_m;
    int face = cone.z > 0.5 ? 0 : cube_face(d);
    int row = 3 * (int(cone.y) + face);
    vec4 right = tile_rows[row];
    vec4 up = tile_rows[row + 1];
    float ahead = max(dot(tile_rows[row + 2].xyz, d), 1e-4);
    vec2 ndc = vec2(dot(right.xyz, d), dot(up.xyz, d)) / ahead;
    vec2 uv = clamp(ndc, -0.996, 0.996) * tile_scale + vec2(right.w, up.w);
    vec3 place = vec3(uv, tile_depth.x + tile_depth.y / ahead);
    vec3 lit = vec3(texture(lamp_atlas, place));
#ifdef VEILED
    lit *= mix(texture(lamp_veil, uv).rgb, vec3(1.0), texture(lamp_veil_depth, place));
#endif
    return lit;
}
