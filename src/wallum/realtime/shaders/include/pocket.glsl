// Pockets of other air. Twin of physics/pocket.py, where they are explained.

// Of each of 64, POCKET_ROWS of these; see lamps.glsl.
const uint POCKET_ACROSS = 0u;    // rows from the level's axes to the pocket's, in half sizes; what is added
const uint POCKET_UP = 1u;
const uint POCKET_ALONG = 2u;
const uint POCKET_KIND = 3u;      // extinction in its midst [1/m]; 1 / its edge; contrast of its noise; whether it is a box
const uint POCKET_SCATTER = 4u;   // share of what it takes that it scatters, by channel
const uint POCKET_OWN = 5u;       // its own light where it is too thick to see through, pre-exposed
const uint POCKET_GRAIN = 6u;     // noise: by which it has moved on [m]; cells for a metre
const uint POCKET_ROWS = 7u;

layout(std140) uniform Pockets { vec4 pocket_rows[7 * 64]; };
uniform sampler3D pocket_noise;
uniform usampler2D pocket_cells;   // by coarse places of the volume: which pockets reach it, a bit each

vec4 pocket_row(uint pocket, uint row) {
    return pocket_rows[pocket * POCKET_ROWS + row];
}

float pocket_density(uint index, vec3 p) {
    vec4 whole = vec4(p, 1.0);
    vec3 local = vec3(dot(pocket_row(index, POCKET_ACROSS), whole), dot(pocket_row(index, POCKET_UP), whole),
                      dot(pocket_row(index, POCKET_ALONG), whole));
    vec3 sides = abs(local);
    vec4 kind = pocket_row(index, POCKET_KIND);
    float away = kind.w > 0.5 ? max(max(sides.x, sides.y), sides.z) : length(local);
    float inside = clamp((1.0 - away) * kind.y, 0.0, 1.0);
    inside = inside * inside * (3.0 - 2.0 * inside);
    vec4 grain = pocket_row(index, POCKET_GRAIN);
    float noise = textureLod(pocket_noise, (p - grain.xyz) * (grain.w * (1.0 / 64.0)), 0.0).r;
    return kind.x * inside * max(1.0 + kind.z * 3.0 * (noise - 0.5), 0.0);
}

// A pocket about a place: the level's axes, and the place, in half sizes of it.
struct PocketAbout {
    vec3 across;
    vec3 up;
    vec3 along;
    vec3 at;
    float box;        // 1 where it is one
    float thickness;  // extinction, as of its soft edge only the mean counts [1/m]; 0: no pocket
};

// The first of those that reach a place.
PocketAbout pocket_about(uvec2 near_by, vec3 p) {
    bool first = near_by.x != 0u;
    uint index = first ? uint(findLSB(near_by.x)) : uint(max(findLSB(near_by.y), 0)) + 32u;
    vec4 across = pocket_row(index, POCKET_ACROSS);
    vec4 up = pocket_row(index, POCKET_UP);
    vec4 along = pocket_row(index, POCKET_ALONG);
    vec4 kind = pocket_row(index, POCKET_KIND);
    vec4 whole = vec4(p, 1.0);
    PocketAbout about = PocketAbout(across.xyz, up.xyz, along.xyz, vec3(0.0), kind.w, 0.0);
    about.at = vec3(dot(across, whole), dot(up, whole), dot(along, whole));
    about.thickness = first || near_by.y != 0u ? kind.x * (1.0 - 0.5 / kind.y) : 0.0;
    return about;
}

// What it leaves of light that comes to the place in it from `toward`, `far` away, by how far it goes through.
float pocket_leaves(PocketAbout about, vec3 toward, float far) {
    vec3 o = about.at;
    vec3 d = vec3(dot(about.across, toward), dot(about.up, toward), dot(about.along, toward));
    vec3 safe = mix(d, vec3(1e-6), lessThan(abs(d), vec3(1e-6)));
    vec3 sides = (sign(safe) - o) / safe;
    float a = dot(d, d);
    float b = dot(o, d);
    float round_out = (-b + sqrt(max(b * b - a * (dot(o, o) - 1.0), 0.0))) / max(a, 1e-9);
    float way = about.box > 0.5 ? min(min(sides.x, sides.y), sides.z) : round_out;
    return exp(-about.thickness * clamp(way, 0.0, far));
}
