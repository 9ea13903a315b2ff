// Shadow of the sun, from three cascades in one atlas.

uniform sampler2DShadow sun_atlas;
uniform mat4 cascade_matrix[3];   // to the atlas, depth in z
uniform vec3 cascade_end;         // distance from the eye at which each ends [m]
uniform vec3 cascade_texel;       // width of a texel [m]

float sun_visibility(vec3 position, vec3 normal, float depth) {
    int index = int(depth > cascade_end.x) + int(depth > cascade_end.y);
    vec3 lifted = position + normal * cascade_texel[index] * 1.5;
    vec3 at = (cascade_matrix[index] * vec4(lifted, 1.0)).xyz;
    float lit = texture(sun_atlas, at);
    return depth > cascade_end.z ? 1.0 : lit;
}
