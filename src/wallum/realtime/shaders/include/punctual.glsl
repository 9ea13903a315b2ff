// Points and spots. Twin of physics/photometry.py, where the sources are given.

struct Lamp {
    vec4 position_radius2;   // m, m^2
    vec4 intensity_range;    // pre-exposed cd by channel; 1 / range^2, 0 for no limit
    vec4 direction_offset;   // unit; offset of the cone's ramp
    vec4 cone;               // scale of the ramp, first shadow tile or -1, is a spot, texel size
};

layout(std430, binding = 0) readonly buffer Lamps { Lamp lamps[]; };

// Pre-exposed illuminance by channel, facing the lamp; `to_lamp` comes out as a unit vector.
vec3 lamp_illuminance(Lamp lamp, vec3 position, out vec3 to_lamp) {
    vec3 d = lamp.position_radius2.xyz - position;
    float d2 = max(dot(d, d), 1e-6);
    to_lamp = d * inversesqrt(d2);
    float ratio2 = d2 * lamp.intensity_range.w;
    float window = clamp(1.0 - ratio2 * ratio2, 0.0, 1.0);
    float ramp = clamp(
        dot(to_lamp, lamp.direction_offset.xyz) * -lamp.cone.x + lamp.direction_offset.w, 0.0, 1.0);
    return lamp.intensity_range.rgb * (ramp * ramp * window / max(d2, lamp.position_radius2.w));
}
