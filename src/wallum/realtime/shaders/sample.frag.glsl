#version 430 core
// Picture values of one place of each cell of the picture.

uniform sampler2D picture;
uniform ivec2 size;
uniform ivec2 cells;
uniform float scale;           // pre-exposed light to picture value

out vec4 out_value;

void main() {
    ivec2 at = ivec2(gl_FragCoord.xy / vec2(cells) * vec2(size));
    out_value = vec4(clamp(texelFetch(picture, at, 0).rgb * scale, 0.0, 60000.0), 1.0);
}
