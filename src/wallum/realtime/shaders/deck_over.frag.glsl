#version 430 core
// The deck before surfaces that lie beyond where it begins, for an eye within it or above it.

#include "deck.glsl"
uniform sampler2D deck;        // its light; what it leaves of what lies behind
uniform sampler2D far_off;     // distance of the surface [m]
uniform vec2 deck_uv;

in vec3 v_ray;
out vec4 out_colour;

void main() {
    float start = deck_ends(normalize(v_ray)).x;
    float surface = texelFetch(far_off, ivec2(gl_FragCoord.xy), 0).r;
    vec4 before = textureLod(deck, gl_FragCoord.xy * deck_uv, 0.0);
    out_colour = surface > start ? before : vec4(0.0, 0.0, 0.0, 1.0);
}
