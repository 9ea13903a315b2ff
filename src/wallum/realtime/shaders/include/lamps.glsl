// Lamps as the shaders read them: rows of realtime/passes/lamp_buffers.py, where what they mean is said.

struct Lamp {
    vec4 position_radius2;   // m, m^2
    vec4 emission_range;     // pre-exposed, by channel, in the unit of its kind; 1 / range^2, 0 for no limit
    vec4 direction_offset;   // unit; offset of the cone's ramp
    vec4 cone;               // scale of the ramp, first shadow tile or -1, has a single tile, texel size
    vec4 point;              // of the body that light is taken from in this picture; how strongly it lights air,
                             // below 0 where its shadow does not count there
    vec4 gobo;               // number of its pattern, 0 for none; share that it leaves, width of its edges [repeats]
    vec4 gobo_across;        // across the beam, as long as repeats lie in a tangent of 1; drifted by [repeats]
};

// Uniform blocks are read twice as fast as storage, but hold no more than a driver allows.
#ifdef MANY_LAMPS
layout(std430, binding = 0) readonly buffer Lamps { Lamp lamps[]; };
#else
layout(std140) uniform Lamps { Lamp lamps[BLOCK_LAMPS]; };
#endif
