#version 430 core
// From pre-exposed light to display values. Twin of physics/tone.py.
// Output is blue, green, red, 255 with the top row first: what the window paints as it is.

uniform sampler2D picture;
uniform sampler2D dither;      // ordered thresholds
uniform float scale;           // pre-exposed light to picture value
uniform vec4 curve;            // a, b, c, d
uniform ivec2 size;

out vec4 out_colour;

// sRGB transfer function within half a step of 8 bits, by square roots instead of powers.
vec3 srgb(vec3 x) {
    vec3 s1 = sqrt(x);
    vec3 s2 = sqrt(s1);
    vec3 s3 = sqrt(s2);
    vec3 curved = 0.662002687 * s1 + 0.684122060 * s2 - 0.323583601 * s3 - 0.0225411470 * x;
    return mix(curved, 12.92 * x, vec3(lessThan(x, vec3(0.0031308))));
}

void main() {
    ivec2 here = ivec2(gl_FragCoord.xy);
    ivec2 pixel = ivec2(here.x, size.y - 1 - here.y);
    vec3 x = max(texelFetch(picture, pixel, 0).rgb * scale, 0.0);
    vec3 shown = clamp((curve.x * x + curve.y) * x / ((curve.z * x + curve.w) * x + 1.0), 0.0, 1.0);
    float threshold = texelFetch(dither, here & 7, 0).r - 0.5;
    vec3 encoded = srgb(shown) + threshold * (1.0 / 255.0);
    out_colour = vec4(encoded.bgr, 1.0);
}
