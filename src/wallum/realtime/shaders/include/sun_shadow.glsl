// Shadow of the sun, from three cascades in one atlas. They share the sun's axes; each has a
// scale and a place of its own, and a shear: while a picture settles each shows another point
// of the sun's disc.

uniform sampler2DShadow sun_atlas;
uniform vec4 sun_axes[3];         // rows, level to the sun's axes: x and y in m, z as depth 0..1
uniform vec4 cascade_place[3];    // to the atlas: scale, offset x and y; texel width [m]
uniform vec4 cascade_bounds[3];   // shear by depth x and y; lower left of the tile
uniform vec3 cascade_end;         // distance from the eye at which each ends [m]
uniform float cascade_width;      // of a tile in the atlas, less a texel

vec3 on_sun_axes(vec3 p) {
    vec4 whole = vec4(p, 1.0);
    return vec3(dot(sun_axes[0], whole), dot(sun_axes[1], whole), dot(sun_axes[2], whole));
}

// Indices are constant: one that varies by pixel costs much more, and so do three matrices.
float sun_visibility(vec3 position, vec3 normal, float depth) {
    bool second = depth > cascade_end.x;
    bool third = depth > cascade_end.y;
    vec4 place = third ? cascade_place[2] : (second ? cascade_place[1] : cascade_place[0]);
    vec4 bounds = third ? cascade_bounds[2] : (second ? cascade_bounds[1] : cascade_bounds[0]);
    vec3 at = on_sun_axes(position + normal * (place.w * 1.5));
    vec2 uv = at.xy * place.x + place.yz + bounds.xy * at.z;
    float lit = texture(sun_atlas, vec3(clamp(uv, bounds.zw, bounds.zw + cascade_width), at.z));
    return depth > cascade_end.z ? 1.0 : lit;
}
