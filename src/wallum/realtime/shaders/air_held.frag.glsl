#version 430 core
// Which places of the air's volume lie before what is seen: the others need no light.

uniform ivec4 air_cells;        // columns, rows, slices; slices side by side
uniform vec2 air_steps;         // depth that the volume reaches to [m]
uniform sampler2D farthest;     // see air_depth.frag.glsl

void main() {
    ivec2 pixel = ivec2(gl_FragCoord.xy);
    ivec2 tile = pixel / air_cells.xy;
    int slice = tile.y * air_cells.w + tile.x;
    float share = float(slice) / float(air_cells.z - 1);
    float far = texelFetch(farthest, pixel - tile * air_cells.xy, 0).r;
    bool held = slice < air_cells.z - 1 && air_steps.x * share * share < far;
    gl_FragDepth = held ? 0.0 : 1.0;
}
