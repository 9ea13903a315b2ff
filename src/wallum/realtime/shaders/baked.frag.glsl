#version 430 core
// Illuminance that was baked, where what has texels is what the picture shows.

#include "pixel.glsl"
uniform sampler2D g_depth;
uniform sampler2DArray pages;
uniform float exposure;        // from what the pages hold to pre-exposed illuminance
uniform float keeps;           // share of its colour that it keeps
uniform vec2 slack;            // how far beside what is shown it may lie [m]; and the same over the distance

in vec3 v_texel;
in float v_depth;
layout(location = 0) out vec4 out_light;

void main() {
    float depth = texture(g_depth, here()).r;
    if (abs(v_depth - depth) > slack.x + slack.y * depth) discard;
    vec3 light = texture(pages, v_texel).rgb * exposure;
    float grey = dot(light, vec3(0.2126, 0.7152, 0.0722));
    out_light = vec4(min(max(grey + (light - grey) * keeps, 0.0), 60000.0), 1.0);
}
