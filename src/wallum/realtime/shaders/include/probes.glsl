// Probes on the surfaces of the level. Twin of transport/field/probes.py `Probes.find`.

uniform usampler3D probe_cells;   // words: first probe above 12 bits, ways with two above 6, ways with any
uniform usampler2D probe_parts;   // of cells that are parted: theirs has no way with any, but how often it is halved
uniform sampler2D probe_planes;   // of two on one side: the second's part is where p . xyz > w of either
uniform isampler2D probe_links;   // neighbours that each sees, 27 a probe, x fastest
uniform vec3 probe_low;
uniform float probe_step;         // size of a cell [m]

const int PROBE_ROW = 64;         // probes in a row of their tables
const float PROBE_BEFORE_M = 0.02;

ivec2 probe_place(int probe) {
    return ivec2(probe & (PROBE_ROW - 1), probe >> 6);
}

// Whether a cell has a probe that faces some way.
bool probe_faces(uint word, int facing) {
    return (word >> uint(facing) & 1u) != 0u;
}

// The probe of one side of a cell that has one there.
int probe_facing(uint word, int facing, vec3 p) {
    uint below = (1u << uint(facing)) - 1u;
    int first = int(word >> 12u) + bitCount(word & below) + bitCount((word >> 6u) & below);
    // A loop that most pixels run through not once: a software driver skips that, and no branch.
    int found = first;
    for (int times = int(word >> uint(6 + facing) & 1u); times > 0; --times) {
        vec4 one = texelFetch(probe_planes, probe_place(first), 0);
        vec4 other = texelFetch(probe_planes, probe_place(first + 1), 0);
        found += int(dot(p, one.xyz) > one.w || dot(p, other.xyz) > other.w);
    }
    return found;
}

// The probe that stands for a surface, or whichever there is; -1: none. `within`: where in the cell that it was
// looked for, from its middle, in its sizes; `size`: that of those, in whole cells.
int probe_at(vec3 p, vec3 n, out vec3 within, out float size) {
    vec3 at = (p - probe_low) / probe_step;
    vec3 before = at + n * (PROBE_BEFORE_M / probe_step);
    ivec3 cell = ivec3(floor(before));
    within = at - vec3(cell) - 0.5;
    size = 1.0;
    ivec3 counts = textureSize(probe_cells, 0);
    if (any(lessThan(cell, ivec3(0))) || any(greaterThanEqual(cell, counts))) {
        return -1;
    }
    uint word = texelFetch(probe_cells, cell, 0).r;
    for (int times = word != 0u && (word & 63u) == 0u ? 1 : 0; times > 0; --times) {
        int along = 1 << int(word >> 6u & 63u);
        ivec3 part = clamp(ivec3((before - vec3(cell)) * float(along)), ivec3(0), ivec3(along - 1));
        int number = int(word >> 12u) + (part.z * along + part.y) * along + part.x;
        word = texelFetch(probe_parts, probe_place(number), 0).r;
        size = 1.0 / float(along);
        within = (at - vec3(cell)) * float(along) - vec3(part) - 0.5;
    }
    // The way that it faces most, or another that it faces at all.
    vec3 steep = abs(n);
    ivec3 facing = ivec3(0, 2, 4) + ivec3(lessThan(n, vec3(0.0)));
    vec3 there = vec3(probe_faces(word, facing.x), probe_faces(word, facing.y), probe_faces(word, facing.z));
    float most = max(steep.x, max(steep.y, steep.z));
    steep *= there * vec3(greaterThan(steep, vec3(min(0.1, most - 1e-4))));
    float best = max(steep.x, max(steep.y, steep.z));
    if (best <= 0.0) {
        return word != 0u ? int(word >> 12u) : -1;
    }
    return probe_facing(word, steep.x >= best ? facing.x : (steep.y >= best ? facing.y : facing.z), p);
}
