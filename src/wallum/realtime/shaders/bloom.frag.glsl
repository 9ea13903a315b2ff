#version 430 core
// One step of the pyramid of bloom. Twin of physics/bloom.py, where the weights and the sources are.
// Variants: FIRST (down from the picture; THRESHOLD), DOWN, and up where neither; EVEN: the smaller picture goes
// into the larger evenly.

uniform sampler2D from;        // the picture before
#ifdef FIRST
uniform float scale;           // to the mean of its samples
#ifdef THRESHOLD
uniform float threshold;       // from which light is spread
#endif
#endif
#ifndef DOWN
uniform sampler2D own;         // what of this size came down
uniform float reach;
#endif
#ifndef EVEN
#ifdef DOWN
#include "chain/weights.glsl"
#else
#include "chain/places.glsl"
#endif
#endif

out vec4 out_light;

#ifdef THRESHOLD
vec3 fetched(ivec2 at) {
    vec3 light = max(texelFetch(from, clamp(at, ivec2(0), textureSize(from, 0) - 1), 0).rgb * scale, 0.0);
    float bright = dot(light, vec3(0.2126, 0.7152, 0.0722));
    return light * clamp((bright - threshold) / (0.5 * threshold), 0.0, 1.0);
}
#endif

#ifdef DOWN
#ifdef EVEN
#ifdef THRESHOLD
vec3 resampled(ivec2 here) {
    vec3 sum = vec3(0.0);
    for (int j = 0; j < 4; ++j)
        for (int i = 0; i < 4; ++i) sum += fetched(4 * here + ivec2(i, j));
    return 0.0625 * sum;
}
#else
// Four readings between pixels: of the first step the mean of sixteen, of the others [1 3 3 1] / 8 along each side.
vec3 resampled(ivec2 here) {
    vec2 over = 1.0 / vec2(textureSize(from, 0));
#ifdef FIRST
    vec2 low = (vec2(4 * here) + 1.0) * over, high = low + 2.0 * over;
    float gain = 0.25 * scale;
#else
    vec2 low = (vec2(2 * here) + 0.25) * over, high = low + 1.5 * over;
    const float gain = 0.25;
#endif
    return gain * max(texture(from, low).rgb + texture(from, vec2(high.x, low.y)).rgb
                    + texture(from, vec2(low.x, high.y)).rgb + texture(from, high).rgb, 0.0);
}
#endif
#else
// Between four pixels; what of each is over a threshold has to be found before.
vec3 read(vec2 at) {
#ifdef THRESHOLD
    vec2 between = at * vec2(textureSize(from, 0)) - 0.5;
    ivec2 low = ivec2(floor(between));
    vec2 share = between - vec2(low);
    return mix(mix(fetched(low), fetched(low + ivec2(1, 0)), share.x),
               mix(fetched(low + ivec2(0, 1)), fetched(low + 1), share.x), share.y);
#else
#ifdef FIRST
    return max(texture(from, at).rgb * scale, 0.0);
#else
    return texture(from, at).rgb;
#endif
#endif
}

vec3 resampled(ivec2 here) {
    Weights x = weights_of(across, here.x);
    Weights y = weights_of(down, here.y);
    vec3 sum = vec3(0.0);
    for (int j = 0; j < 3; ++j)
        for (int i = 0; i < 3; ++i) sum += x.of[i] * y.of[j] * read(vec2(x.at[i], y.at[j]));
    return sum;
}
#endif
#else
vec3 resampled(ivec2 here) {
#ifdef EVEN
    vec3 light = texture(from, (vec2(here) + 0.5) / vec2(2 * textureSize(from, 0))).rgb;
#else
    vec3 light = texture(from, place_of(here)).rgb;
#endif
    return mix(texelFetch(own, here, 0).rgb, light, reach);
}
#endif

void main() {
    out_light = vec4(resampled(ivec2(gl_FragCoord.xy)), 1.0);
}
