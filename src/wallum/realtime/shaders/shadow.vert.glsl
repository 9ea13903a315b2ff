#version 430 core
// Depth as a light sees it.

#include "placed.glsl"

uniform mat4 to_clip;

#ifdef MASK
in vec4 in_uv;
in vec4 in_colour;
out vec4 v_uv;
out float v_alpha;
#endif

void main() {
    gl_Position = to_clip * vec4(placed_position(), 1.0);
#ifdef MASK
    v_uv = in_uv;
    v_alpha = in_colour.a;
#endif
}
