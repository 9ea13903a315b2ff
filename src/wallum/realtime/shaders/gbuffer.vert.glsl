#version 430 core
// Surfaces as the camera sees them.

#include "placed.glsl"

uniform mat4 to_clip;

in vec3 in_normal;
in vec4 in_tangent;
in vec4 in_uv;
in vec4 in_colour;

out vec3 v_normal;
out vec4 v_tangent;
out vec4 v_uv;
out vec4 v_colour;
out float v_depth;

void main() {
    gl_Position = to_clip * vec4(placed_position(), 1.0);
    v_normal = placed_normal(in_normal);
    v_tangent = vec4(placed_direction(in_tangent.xyz), in_tangent.w);
    v_uv = in_uv;
    v_colour = in_colour;
    v_depth = gl_Position.w;
}
