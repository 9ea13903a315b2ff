#version 430 core
// What surfaces are, without any light. Variants: SURFACE (base colour), NORMALS.

#include "packing.glsl"
uniform sampler2D g_base;
uniform sampler2D g_normal;

out vec4 out_colour;

void main() {
    ivec2 pixel = ivec2(gl_FragCoord.xy);
#ifdef NORMALS
    vec3 shown = oct_decode(texelFetch(g_normal, pixel, 0).rg) * 0.5 + 0.5;
    out_colour = vec4(shown * shown, 1.0);
#else
    vec3 root = texelFetch(g_base, pixel, 0).rgb;
    out_colour = vec4(root * root, 1.0);
#endif
}
