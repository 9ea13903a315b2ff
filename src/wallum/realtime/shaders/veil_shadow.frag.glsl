#version 430 core
// What goes through a surface on the way from a light: to be multiplied with what is there.

#include "material.glsl"
#include "through.glsl"
uniform sampler2D base_map;
in vec4 v_uv;
in vec4 v_colour;
in vec3 v_normal;
out vec4 out_colour;

void main() {
    vec4 base = material.base;
#ifdef VERTEX_COLOUR
    base *= v_colour;
#endif
#ifdef BASE_MAP
    base *= texture(base_map, texture_place(0, v_uv));
#endif
    out_colour = vec4(goes_through(base, 1.0), 1.0);
}
