#include "kinds/beam_share.glsl"

vec3 beam_light(uint lamp, Surface s) {
    float along;
    vec3 arriving = lamp_row(lamp, LAMP_EMISSION_RANGE).rgb * beam_share(lamp, s.position, along);
    return arriving * response(s, -lamp_row(lamp, LAMP_DIRECTION_OFFSET).xyz);
}

#ifdef LAMP_SHADOWS
vec3 beam_shadowed(uint lamp, Surface s) {
    return beam_light(lamp, s) * beam_visibility(lamp, s.position, s.normal);
}
#endif
