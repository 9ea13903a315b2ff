#version 430 core
// The depth of the farthest surface that shows in each column of the air's volume; the sky is far away.

uniform sampler2D g_depth;
uniform vec2 column_pixels;   // of the picture, for a column

out vec4 out_depth;

const int STEPS = 5;

void main() {
    vec2 low = (gl_FragCoord.xy - 0.5) * column_pixels;
    vec2 size = vec2(textureSize(g_depth, 0));
    float farthest = 0.0;
    for (int i = 0; i < STEPS * STEPS; ++i) {
        vec2 part = (vec2(i % STEPS, i / STEPS) + 0.5) / float(STEPS);
        float depth = texture(g_depth, (low + part * column_pixels) / size).r;
        farthest = max(farthest, depth > 0.0 ? depth : 1e9);
    }
    out_depth = vec4(farthest);
}
