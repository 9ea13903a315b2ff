#version 430 core
// What goes through a surface on the way from a light: to be multiplied with what is there.

#include "material.glsl"
#include "base.glsl"
#include "through.glsl"

out vec4 out_colour;

void main() {
    out_colour = vec4(goes_through(base_colour(), 1.0), 1.0);
}
