// Weights of a step down the pyramid along each side: how much of six pixels, from a first one on.

uniform sampler2D across;
uniform sampler2D down;

struct Weights { float of[6]; int first; };

Weights weights_of(sampler2D table, int pixel) {
    vec4 a = texelFetch(table, ivec2(pixel, 0), 0), b = texelFetch(table, ivec2(pixel, 1), 0);
    return Weights(float[6](a.x, a.y, a.z, a.w, b.x, b.y), int(b.w));
}
