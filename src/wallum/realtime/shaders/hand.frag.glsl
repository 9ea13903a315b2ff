#version 430 core
// A picture between two: without the lamps under the hand, and with them. See hand_light.py.

uniform sampler2D with_hand;
uniform sampler2D without;
uniform vec3 gain;             // how many times as strong they are
uniform float scale;           // exposure that it is held with, over theirs

out vec4 out_light;

void main() {
    ivec2 here = ivec2(gl_FragCoord.xy);
    vec4 dark = texelFetch(without, here, 0);
    vec3 light = dark.rgb + gain * (texelFetch(with_hand, here, 0).rgb - dark.rgb);
    out_light = vec4(scale * clamp(light, 0.0, 6e4), dark.a);
}
