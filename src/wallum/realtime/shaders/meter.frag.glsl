#version 430 core
// Mean luminance of one cell of the picture, from sixteen places in it.

uniform sampler2D picture;
uniform ivec2 size;
uniform ivec2 cells;

out float out_mean;

void main() {
    vec2 cell = floor(gl_FragCoord.xy);
    float sum = 0.0;
    for (int i = 0; i < 16; ++i) {
        vec2 at = (cell + (vec2(i & 3, i >> 2) + 0.5) * 0.25) / vec2(cells);
        vec3 light = texelFetch(picture, ivec2(at * vec2(size)), 0).rgb;
        sum += dot(light, vec3(0.2126, 0.7152, 0.0722));
    }
    out_mean = sum * (1.0 / 16.0);
}
