// Probes on the surfaces of the level. Twin of transport/field/probes.py `Probes.find`.

uniform usampler3D probe_cells;   // words: first probe above 12 bits, ways with two above 6, ways with any
uniform sampler2D probe_planes;   // of two on one side: the second's part is where p . xyz > w of either
uniform isampler2D probe_links;   // neighbours that each sees, 27 a probe, x fastest
uniform vec3 probe_low;
uniform float probe_step;         // size of a cell [m]

const int PROBE_ROW = 64;         // probes in a row of their tables
const float PROBE_BEFORE_M = 0.02;

ivec2 probe_place(int probe) {
    return ivec2(probe & (PROBE_ROW - 1), probe >> 6);
}

// The probe of one side of a cell; -1: none.
int probe_facing(uint word, int facing, vec3 p) {
    if ((word >> uint(facing) & 1u) == 0u) {
        return -1;
    }
    uint below = (1u << uint(facing)) - 1u;
    int first = int(word >> 12u) + bitCount(word & below) + bitCount((word >> 6u) & below);
    if ((word >> uint(6 + facing) & 1u) != 0u) {
        vec4 one = texelFetch(probe_planes, probe_place(first), 0);
        vec4 other = texelFetch(probe_planes, probe_place(first + 1), 0);
        first += dot(p, one.xyz) > one.w || dot(p, other.xyz) > other.w ? 1 : 0;
    }
    return first;
}

// The probe that stands for a surface, or whichever there is; -1: none. `cell`: where it was looked for.
int probe_at(vec3 p, vec3 n, out ivec3 cell) {
    cell = ivec3(floor((p + n * PROBE_BEFORE_M - probe_low) / probe_step));
    ivec3 counts = textureSize(probe_cells, 0);
    if (any(lessThan(cell, ivec3(0))) || any(greaterThanEqual(cell, counts))) {
        return -1;
    }
    uint word = texelFetch(probe_cells, cell, 0).r;
    vec3 steep = abs(n);
    ivec3 facing = ivec3(0, 2, 4) + ivec3(lessThan(n, vec3(0.0)));
    int found = -1;
    // The way that it faces most, or another that it faces at all.
    for (int turn = 0; turn < 3; ++turn) {
        int axis = steep.x >= steep.y && steep.x >= steep.z ? 0 : (steep.y >= steep.z ? 1 : 2);
        float most = axis == 0 ? steep.x : (axis == 1 ? steep.y : steep.z);
        if (found < 0 && (turn == 0 || most > 0.1)) {
            found = probe_facing(word, axis == 0 ? facing.x : (axis == 1 ? facing.y : facing.z), p);
        }
        steep = axis == 0 ? vec3(-1.0, steep.yz) : (axis == 1 ? vec3(steep.x, -1.0, steep.z) : vec3(steep.xy, -1.0));
    }
    return found < 0 && word != 0u ? int(word >> 12u) : found;
}
