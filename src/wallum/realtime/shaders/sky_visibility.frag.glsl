#version 430 core
// What each surface sees of the sky as long as nothing is known of that: all of it. The share of an even sky's
// light that falls on it, the share of its mirror image, and where on the whole the light comes from.

#include "packing.glsl"
uniform sampler2D g_normal;

out vec4 out_open;

void main() {
    vec3 n = oct_decode(texelFetch(g_normal, ivec2(gl_FragCoord.xy), 0).rg);
    out_open = vec4(1.0, 1.0, oct_encode(n));
}
