// A step down the pyramid along each side: three readings between two pixels each, at 0 to 1 over the picture.

uniform sampler2D across;
uniform sampler2D down;

struct Weights { vec3 at, of; };

Weights weights_of(sampler2D table, int pixel) {
    return Weights(texelFetch(table, ivec2(pixel, 0), 0).xyz, texelFetch(table, ivec2(pixel, 1), 0).xyz);
}
