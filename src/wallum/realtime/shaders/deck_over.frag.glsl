#version 430 core
// The deck before surfaces that lie in it or beyond it: as much of what it is along the whole way as
// the surface lies deep in it, so that things sink into it and do not step.

#include "deck.glsl"
uniform sampler2D deck;        // its light; what it leaves of what lies behind
uniform sampler2D far_off;     // distance of the surface [m]
uniform vec2 deck_uv;

in vec3 v_ray;
out vec4 out_colour;

void main() {
    vec2 ends = deck_ends(normalize(v_ray));
    float surface = texelFetch(far_off, ivec2(gl_FragCoord.xy), 0).r;
    float part = clamp((surface - ends.x) / max(ends.y - ends.x, 1e-3), 0.0, 1.0);
    vec4 whole = textureLod(deck, gl_FragCoord.xy * deck_uv, 0.0);
    float left = pow(max(whole.a, 1e-4), part);
    float share = part >= 1.0 ? 1.0 : (1.0 - left) / max(1.0 - whole.a, 1e-3);
    out_colour = vec4(whole.rgb * share, part >= 1.0 ? whole.a : left);
}
