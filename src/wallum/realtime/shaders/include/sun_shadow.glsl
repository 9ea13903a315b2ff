// Shadow of the sun, from three cascades in one atlas. Each has a matrix of its own: while a
// picture settles they show different points of the sun's disc.

uniform sampler2DShadow sun_atlas;
uniform mat4 cascade_matrix[3];   // level to the atlas, depth 0..1 in z
uniform vec2 cascade_low[3];      // lower left of each tile, half a texel in
uniform vec3 cascade_texel;       // width of a texel [m]
uniform vec3 cascade_end;         // distance from the eye at which each ends [m]
uniform float cascade_width;      // of a tile in the atlas, less a texel

// Indices are constant: an index that varies by pixel costs five times as much.
#define IN_CASCADE(i) ((cascade_matrix[i] * vec4(position + normal * (cascade_texel[i] * 1.5), 1.0)).xyz)

float sun_visibility(vec3 position, vec3 normal, float depth) {
    bool second = depth > cascade_end.x;
    bool third = depth > cascade_end.y;
    vec3 at = third ? IN_CASCADE(2) : (second ? IN_CASCADE(1) : IN_CASCADE(0));
    vec2 low = third ? cascade_low[2] : (second ? cascade_low[1] : cascade_low[0]);
    float lit = texture(sun_atlas, vec3(clamp(at.xy, low, low + cascade_width), at.z));
    return depth > cascade_end.z ? 1.0 : lit;
}
