// Shadow of the sun, from three cascades and a far map in one atlas. They share the sun's axes; each has
// a scale and a place of its own, and a shear: while a picture settles each shows another point of the
// sun's disc.

uniform sampler2DShadow sun_atlas;
#ifdef VEILED
uniform sampler2DShadow sun_veil_depth;  // of the first that is seen through on the way
uniform sampler2D sun_veil;              // what all of them let through
#endif
uniform vec4 sun_axes[3];         // rows, level to the sun's axes: x and y in m, z as depth 0..1
uniform vec4 cascade_place[4];    // to the atlas, in tiles: scale, offset x and y; texel width [m]
uniform vec4 cascade_bounds[4];   // shear by depth x and y; lower left of the tile
uniform vec4 cascade_end;         // distance from the eye at which each ends [m]; whether a far map is there
uniform float cascade_width;      // of a tile, less a texel
uniform float cascade_dither;     // another offset of the seams for each picture, 0 to 1
uniform vec2 sun_tile;            // of the atlas
// Share of its distance over which a cascade goes over into the next.
const float SEAM = 0.12;

vec3 on_sun_axes(vec3 p) {
    vec4 whole = vec4(p, 1.0);
    return vec3(dot(sun_axes[0], whole), dot(sun_axes[1], whole), dot(sun_axes[2], whole));
}

// Distance at which a pixel looks its cascade up: neighbours change over at other places.
// Source: Jimenez 2014, interleaved gradient noise.
float past_seams(float depth) {
    float own = fract(52.9829189 * fract(dot(gl_FragCoord.xy, vec2(0.06711056, 0.00583715))));
    return depth * (1.0 + SEAM * fract(own + cascade_dither));
}

// Indices are constant: one that varies by pixel costs much more, and so do three matrices.
vec3 sun_visibility(vec3 position, vec3 normal, float depth) {
    float past = past_seams(depth);
    bool second = past > cascade_end.x;
    bool third = past > cascade_end.y;
    bool beyond = past > cascade_end.z;
    vec4 place = third ? cascade_place[2] : (second ? cascade_place[1] : cascade_place[0]);
    vec4 bounds = third ? cascade_bounds[2] : (second ? cascade_bounds[1] : cascade_bounds[0]);
    place = beyond ? cascade_place[3] : place;
    bounds = beyond ? cascade_bounds[3] : bounds;
    vec3 at = on_sun_axes(position + normal * (place.w * 1.5));
    vec2 uv = at.xy * place.x + place.yz + bounds.xy * at.z;
    uv = clamp(uv, bounds.zw, bounds.zw + cascade_width) * sun_tile;
    vec3 lit = vec3(texture(sun_atlas, vec3(uv, at.z)));
#ifdef VEILED
    lit *= mix(texture(sun_veil, uv).rgb, vec3(1.0), texture(sun_veil_depth, vec3(uv, at.z)));
#endif
    return beyond && cascade_end.w < 0.5 ? vec3(1.0) : lit;
}
