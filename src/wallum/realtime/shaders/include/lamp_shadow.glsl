// Shadow of lamps, from tiles in one atlas: one tile for a spot, six for a point.

struct Tile {
    mat4 to_clip;
    vec4 place;   // scale and offset from clip xy to the atlas
};

layout(std430, binding = 3) readonly buffer Tiles { Tile tiles[]; };
uniform sampler2DShadow lamp_atlas;

// Face of a cube a direction falls on: +x -x +y -y +z -z.
int cube_face(vec3 d) {
    vec3 a = abs(d);
    bool x = a.x >= a.y && a.x >= a.z;
    bool y = !x && a.y >= a.z;
    float along = x ? d.x : (y ? d.y : d.z);
    return (x ? 0 : (y ? 2 : 4)) + (along < 0.0 ? 1 : 0);
}

// Share of the lamp that is seen from a surface, 0 to 1.
float lamp_visibility(Lamp lamp, vec3 position, vec3 normal) {
    vec3 from_lamp = position - lamp.position_radius2.xyz;
    float texel = lamp.cone.w * length(from_lamp);
    vec3 lifted = position + normal * texel * 1.5;
    vec3 d = lifted - lamp.position_radius2.xyz;
    int face = lamp.cone.z > 0.5 ? 0 : cube_face(d);
    Tile tile = tiles[int(lamp.cone.y) + face];
    vec4 clip = tile.to_clip * vec4(lifted, 1.0);
    vec3 ndc = clip.xyz / clip.w;
    vec2 uv = clamp(ndc.xy, -0.996, 0.996) * tile.place.xy + tile.place.zw;
    return texture(lamp_atlas, vec3(uv, ndc.z * 0.5 + 0.5));
}
