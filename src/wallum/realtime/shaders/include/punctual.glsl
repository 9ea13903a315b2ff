// Points and spots. Twin of physics/photometry.py, where the sources are given.

struct Lamp {
    vec4 position_radius2;   // m, m^2
    vec4 intensity_range;    // pre-exposed cd by channel; 1 / range^2, 0 for no limit
    vec4 direction_offset;   // unit; offset of the cone's ramp
    vec4 cone;               // scale of the ramp, first shadow tile or -1, is a spot, texel size
};

// Uniform blocks are read twice as fast as storage, but hold 1,024 lamps at most.
#ifdef MANY_LAMPS
layout(std430, binding = 0) readonly buffer Lamps { Lamp lamps[]; };
#else
layout(std140) uniform Lamps { Lamp lamps[1024]; };
#endif

// Pre-exposed illuminance by channel, facing the lamp. `to_lamp` comes out as a unit vector,
// `distance_m` as how far it is.
vec3 lamp_illuminance(uint index, vec3 position, out vec3 to_lamp, out float distance_m) {
    vec4 place = lamps[index].position_radius2;
    vec4 intensity = lamps[index].intensity_range;
    vec4 aim = lamps[index].direction_offset;
    vec3 d = place.xyz - position;
    float d2 = max(dot(d, d), 1e-6);
    float inverse = inversesqrt(d2);
    distance_m = d2 * inverse;
    to_lamp = d * inverse;
    float ratio2 = d2 * intensity.w;
    float window = clamp(1.0 - ratio2 * ratio2, 0.0, 1.0);
    float ramp = clamp(dot(to_lamp, aim.xyz) * -lamps[index].cone.x + aim.w, 0.0, 1.0);
    return intensity.rgb * (ramp * ramp * window / max(d2, place.w));
}
