#version 430 core
// What gets into gaps, evened out over the 16 places that lie beside each other on one surface; to be
// multiplied with what the surfaces say of their own.

#include "pixel.glsl"
uniform sampler2D found;       // see gaps.frag.glsl; may be smaller than the picture
uniform sampler2D g_depth;
uniform float strength;
uniform int part;              // see there

in vec3 v_ray;
out vec4 out_left;

// Of a pixel's depth: what lies farther off than this is another surface.
const float NEAR = 0.03;

void main() {
    vec2 at = here();
    float depth = texture(g_depth, at).r;
    vec2 size = vec2(textureSize(found, 0));
    vec2 first = floor(gl_FragCoord.xy / float(part)) - 1.0;
    float sum = 0.0;
    float whole = 0.0;
    for (int k = 0; k < 16; ++k) {
        vec2 other = clamp(first + vec2(k & 3, k >> 2), vec2(0.0), size - 1.0);
        float its = texture(g_depth, (other * float(part) + 0.5) * pixel_size).r;
        float off = abs(its - depth) / max(depth * NEAR, 1e-4);
        float counts = max(1.0 - off, 1e-4);
        sum += texture(found, (other + 0.5) / size).r * counts;
        whole += counts;
    }
    out_left = vec4(0.0, 0.0, 0.0, mix(1.0, sum / whole, strength));
}
