#version 430 core
// From pre-exposed light to display values. Twin of image/chain.py.
// Variants: BLOOM, FRINGE, VIGNETTE, GRAIN (the lens and film), NIGHT (the eye at night), GRADE (white balance and grade), CURVE_... (which curve, and
// ON_LUMINANCE), TABLE (of LINEAR, LOG or display values), PLAIN (as it is, no curve), FALSE_COLOUR (stops about mid grey), ZEBRA (burnt and buried).
// Output is blue, green, red, 255 with the top row first: what the window paints as it is.

uniform sampler2D picture;
uniform float scale;           // pre-exposed light to picture value
uniform ivec2 size;
#ifdef BLOOM
#ifndef BLOOM_EVEN
#include "chain/places.glsl"
#endif
#endif
#include "chain/seen.glsl"
#ifdef VIGNETTE
#include "chain/vignette.glsl"
#endif
#ifdef GRAIN
#include "chain/grain.glsl"
#endif
#ifdef NIGHT
uniform vec2 night_eye;        // strength; picture value to cd/m2
#endif
#ifndef PLAIN
#ifndef FALSE_COLOUR
#include "chain/curves.glsl"
#endif
#endif
#ifdef GRADE
#include "chain/grade.glsl"
#endif
#ifdef TABLE
#include "chain/table.glsl"
#endif
#ifdef FALSE_COLOUR
uniform sampler2D ramp;        // display values of whole stops
#endif

out vec4 out_colour;

// sRGB transfer function within half a step of 8 bits, by square roots instead of powers.
vec3 srgb(vec3 x) {
    vec3 s1 = sqrt(x);
    vec3 s2 = sqrt(s1);
    vec3 s3 = sqrt(s2);
    vec3 curved = 0.662002687 * s1 + 0.684122060 * s2 - 0.323583601 * s3 - 0.0225411470 * x;
    return mix(curved, 12.92 * x, vec3(lessThan(x, vec3(0.0031308))));
}

#ifdef FALSE_COLOUR
// Twin of physics/false_colour.py; mid grey is at 0.18.
vec3 in_stops(vec3 x) {
    float light = max(dot(x, vec3(0.2126, 0.7152, 0.0722)), 1e-9);
    int last = textureSize(ramp, 0).x - 1;
    int step_number = int(floor(log2(light / 0.18) + 0.5)) + last / 2;
    return texelFetch(ramp, ivec2(clamp(step_number, 0, last), 0), 0).rgb;
}
#endif

#ifdef NIGHT
// Twin of physics/night_eye.py, where the sources are given.
vec3 by_night(vec3 x) {
    vec3 light = x * night_eye.y;
    vec3 xyz = vec3(dot(light, vec3(0.4124, 0.3576, 0.1805)), dot(light, vec3(0.2126, 0.7152, 0.0722)),
                    dot(light, vec3(0.0193, 0.1192, 0.9505)));
    float signal = clamp(1.33 * (1.0 + (xyz.y + xyz.z) / max(xyz.x, 1e-9)) - 1.68, 0.0, 8.0);
    float rods = xyz.y * signal / 2.57306;
    float t = clamp(log(3.0 / max(xyz.y, 1e-9)) / 6.90775528, 0.0, 1.0);
    float share = night_eye.x * t * t * (3.0 - 2.0 * t);
    return mix(light, rods * vec3(0.820002, 1.000002, 1.530003), share) / night_eye.y;
}
#endif

// Ordered thresholds of 0 to 1, 8 x 8 of them. Twin of physics/tone.py bayer_matrix.
float dither(ivec2 here) {
    int y = here.y, x = here.x ^ y;
    int place = (x & 1) << 5 | (y & 1) << 4 | (x & 2) << 2 | (y & 2) << 1 | (x & 4) >> 1 | (y & 4) >> 2;
    return (float(place) + 0.5) * (1.0 / 64.0);
}

void main() {
    ivec2 here = ivec2(gl_FragCoord.xy);
    ivec2 pixel = ivec2(here.x, size.y - 1 - here.y);
    vec3 x = seen_at(pixel);
#ifdef VIGNETTE
    x *= vignette_leaves(here, size);
#endif
#ifdef GRAIN
    x *= grain(here);
#endif
#ifdef NIGHT
    x = by_night(x);
#endif
#ifdef GRADE
    x = graded(x);
#endif
    float threshold = dither(here) - 0.5;
#ifdef FALSE_COLOUR
    vec3 encoded = in_stops(x);
#else
#ifdef PLAIN
    vec3 shown = clamp(x, 0.0, 1.0);
#else
    vec3 shown = curved(x);
#endif
#ifdef TABLE_LINEAR
    shown = mix(shown, clamp(in_table(shown), 0.0, 1.0), table_strength);
#endif
    vec3 encoded = srgb(shown);
#ifdef TABLE_DISPLAY
    encoded = mix(encoded, clamp(in_table(encoded), 0.0, 1.0), table_strength);
#endif
#ifdef TABLE_LOG
    vec3 by_stops = clamp((log2(max(x, 1e-12) / 0.18) + 10.0) / 16.5, 0.0, 1.0);
    encoded = mix(encoded, clamp(in_table(by_stops), 0.0, 1.0), table_strength);
#endif
    encoded += threshold * (1.0 / 255.0);
#endif
#ifdef ZEBRA
    float high = max(max(encoded.r, encoded.g), encoded.b);
    bool stripe_up = ((here.x + here.y) & 7) < 3;
    bool stripe_down = ((here.x - here.y) & 7) < 3;
    if (high > 0.99 && stripe_up) encoded = vec3(0.85, 0.2, 0.18);
    if (high < 0.04 && stripe_down) encoded = vec3(0.2, 0.45, 0.5);
#endif
    out_colour = vec4(encoded.bgr, 1.0);
}
