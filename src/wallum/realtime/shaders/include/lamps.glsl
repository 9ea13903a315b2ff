// Lamps as the shaders read them: rows of realtime/passes/lamps/lamp_buffers.py, where what they mean is said.

// Each is LAMP_ROWS of these, which are not members of a struct: a driver names each member of each lamp, which
// takes longer than all else that it does to a program.

const uint LAMP_POSITION_RADIUS2 = 0u;   // m, m^2
const uint LAMP_EMISSION_RANGE = 1u;     // pre-exposed, by channel, in the unit of its kind; 1 / range^2, 0 for no limit
const uint LAMP_DIRECTION_OFFSET = 2u;   // unit; offset of the cone's ramp
const uint LAMP_CONE = 3u;               // scale of the ramp, first shadow tile or -1, has a single tile, texel size
const uint LAMP_POINT = 4u;              // of the body that light is taken from in this picture; how strongly it
                                         // lights air, below 0 where its shadow does not count there
const uint LAMP_GOBO = 5u;               // number of its pattern, 0 for none; share that it leaves, width of its
                                         // edges [repeats]
const uint LAMP_GOBO_ACROSS = 6u;        // across the beam, as long as repeats lie in a tangent of 1; drifted by
                                         // [repeats]
const uint LAMP_ROWS = 7u;

// Uniform blocks are read twice as fast as storage, but hold no more than a driver allows.
#ifdef MANY_LAMPS
layout(std430, binding = 0) readonly buffer Lamps { vec4 lamp_rows[]; };
#else
layout(std140) uniform Lamps { vec4 lamp_rows[7 * BLOCK_LAMPS]; };
#endif

vec4 lamp_row(uint lamp, uint row) {
    return lamp_rows[lamp * LAMP_ROWS + row];
}
