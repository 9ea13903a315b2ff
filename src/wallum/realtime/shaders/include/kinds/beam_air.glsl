#include "kinds/beam_share.glsl"

// Mean over a few places of the ray's piece, as its sides are narrower than the places of the volume may be.
const int BEAM_PIECES = 4;

vec3 beam_in_air(uint lamp, vec3 d, float first, float last, float width, out vec3 to_lamp, out float far) {
    float sum = 0.0;
    float along;
    for (int i = 0; i < BEAM_PIECES; ++i) {
        float at = mix(first, last, (float(i) + 0.5) / float(BEAM_PIECES));
        sum += beam_share(lamp, eye + d * at, along);
    }
    beam_share(lamp, eye + d * (0.5 * (first + last)), along);
    to_lamp = -lamp_row(lamp, LAMP_DIRECTION_OFFSET).xyz;
    far = max(along, 0.0);
    return lamp_row(lamp, LAMP_EMISSION_RANGE).rgb * (sum / float(BEAM_PIECES));
}

#ifdef LAMP_SHADOWS
// Share of the light that is seen from a place of the air.
vec3 beam_air_seen(uint lamp, vec3 to_lamp, float far, vec3 place) {
    return beam_visibility(lamp, place, vec3(0.0));
}
#endif
