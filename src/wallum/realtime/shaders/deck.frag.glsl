#version 430 core
// The deck of cloud, at a fraction of the picture's size: its light, and what it leaves of the rest.

#include "deck.glsl"

in vec3 v_ray;
out vec4 out_colour;

void main() {
    out_colour = deck_along(normalize(v_ray));
}
