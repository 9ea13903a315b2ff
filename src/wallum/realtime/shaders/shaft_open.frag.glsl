#version 430 core
// How much each place counts as bright sky. Twin of physics/screen_shafts.py, where it is explained.

#include "pixel.glsl"
uniform sampler2D picture;     // pre-exposed
uniform sampler2D g_depth;
uniform float over_bright;     // 1 / the pre-exposed luminance from which the sky counts whole
uniform vec2 part;             // half of one of its own pixels, over the picture's size

out vec4 out_open;

float counts(vec2 at) {
    float light = dot(texture(picture, at).rgb, vec3(0.2126, 0.7152, 0.0722));
    return texture(g_depth, at).r > 0.0 ? 0.0 : clamp(2.0 * light * over_bright - 1.0, 0.0, 1.0);
}

void main() {
    vec2 at = here();
    float sum = counts(at + part * vec2(-0.5, -0.5)) + counts(at + part * vec2(0.5, -0.5))
        + counts(at + part * vec2(-0.5, 0.5)) + counts(at + part * vec2(0.5, 0.5));
    out_open = vec4(0.25 * sum);
}
