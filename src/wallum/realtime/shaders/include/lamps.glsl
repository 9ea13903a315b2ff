// Lamps as the shaders read them. The names of their rows, LAMP_ROWS of them, and what they hold come from
// realtime/gl/lamp_schema.py.

// Uniform blocks are read twice as fast as storage, but hold no more than a driver allows.
#ifdef MANY_LAMPS
layout(std430, binding = 0) readonly buffer Lamps { vec4 lamp_rows[]; };
#else
layout(std140) uniform Lamps { vec4 lamp_rows[LAMP_ROWS * BLOCK_LAMPS]; };
#endif

vec4 lamp_row(uint lamp, uint row) {
    return lamp_rows[lamp * LAMP_ROWS + row];
}
