#version 430 core
// Depth as a light sees it.

uniform mat4 to_clip;

in vec3 in_position;
#ifdef MASK
in vec4 in_uv;
in vec4 in_colour;
out vec4 v_uv;
out float v_alpha;
#endif

void main() {
    gl_Position = to_clip * vec4(in_position, 1.0);
#ifdef MASK
    v_uv = in_uv;
    v_alpha = in_colour.a;
#endif
}
