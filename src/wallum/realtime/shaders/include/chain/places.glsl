// Where a step up the pyramid reads between two pixels, along each side; 0 to 1 over the picture.

uniform sampler2D across;
uniform sampler2D down;

vec2 place_of(ivec2 pixel) {
    return vec2(texelFetch(across, ivec2(pixel.x, 0), 0).r, texelFetch(down, ivec2(pixel.y, 0), 0).r);
}
