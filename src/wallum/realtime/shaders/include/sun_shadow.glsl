// Shadow of the sun, from three cascades in one atlas. They share axes and depth; each has
// a scale and a place of its own.

uniform sampler2DShadow sun_atlas;
uniform mat4 sun_axes;            // level to the sun's axes: x and y in m, z as depth 0..1
uniform vec4 cascade_place[3];    // to the atlas: scale, offset x and y; texel width [m]
uniform vec3 cascade_end;         // distance from the eye at which each ends [m]

float sun_visibility(vec3 position, vec3 normal, float depth) {
    vec4 place = depth > cascade_end.y ? cascade_place[2]
               : (depth > cascade_end.x ? cascade_place[1] : cascade_place[0]);
    vec3 at = (sun_axes * vec4(position + normal * place.w * 1.5, 1.0)).xyz;
    float lit = texture(sun_atlas, vec3(at.xy * place.x + place.yz, at.z));
    return depth > cascade_end.z ? 1.0 : lit;
}
