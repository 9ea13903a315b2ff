// The deck of cloud. Twin of physics/deck.py, where the parts and their sources are explained.

uniform sampler2D deck_noise;
uniform vec4 deck_layer;       // base, thickness [m]; extinction [1/m]; detail
uniform vec4 deck_place;       // coverage; 1 / tile [1/m]; drift, in tiles
uniform vec4 deck_eye;         // eye: x, height over the level, z [m]; offset of the samples
uniform vec3 deck_toward;
uniform vec3 deck_sunlit;      // pre-exposed, as all light here
uniform vec3 deck_above;
uniform vec3 deck_below;
uniform vec3 deck_veil;

const float DECK_EARTH_M = 6371000.0;
const float DECK_FARTHEST_M = 90000.0;
const int DECK_STEPS = 20;

float deck_density(vec2 at, float share, bool fine) {
    float lean = 0.5 * share * deck_layer.y;
    vec2 uv = (at + vec2(-lean, 0.6 * lean)) * deck_place.y - deck_place.zw;
    float over = textureLod(deck_noise, uv, 0.0).r - (1.0 - deck_place.x) + 0.16 * pow(deck_place.x, 6.0);
    float bulge = clamp(share - 0.35, 0.0, 1.0);
    over -= (1.0 - 0.75 * deck_place.x) * bulge * bulge * 1.2;
    if (fine) {
        float height = share * deck_layer.y * deck_place.y * 9.0;
        float across = textureLod(deck_noise, vec2((uv.x + uv.y) * 5.0, height + uv.x - uv.y), 0.0).r;
        over -= deck_layer.w * 0.5 * clamp(across - 0.4, 0.0, 1.0);
    }
    float d = clamp(over / 0.16, 0.0, 1.0) * clamp(share / 0.12, 0.0, 1.0) * clamp((1.0 - share) / 0.2, 0.0, 1.0);
    if (fine) {
        float eaten = textureLod(deck_noise, uv * 6.0 + vec2(0.43, -0.31) * share, 0.0).r;
        d = clamp(d - deck_layer.w * (1.0 - d) * eaten * 1.3, 0.0, 1.0);
    }
    return d;
}

// Distance to a height; FAR where it is not reached.
float deck_way(float height, float sine, bool second) {
    const float FAR = 1e9;
    float bend = (1.0 - sine * sine) / (2.0 * DECK_EARTH_M);
    float rise = height - deck_eye.y;
    float inside = sine * sine + 4.0 * bend * rise;
    float root = sqrt(max(inside, 0.0));
    float way = rise >= 0.0 ? 2.0 * rise / max(sine + root, 1e-12)
        : (sine < 0.0 ? -2.0 * rise / max(-sine + root, 1e-12) : FAR);
    way = second ? (-sine + root) / max(2.0 * bend, 1e-12) : way;
    return inside >= 0.0 && way >= 0.0 ? min(way, FAR) : FAR;
}

float two_stream(float depth) { return 1.0 / (1.0 + 0.105 * depth); }

// Where a way enters the deck and leaves it; equal where it misses it.
vec2 deck_ends(vec3 d) {
    float base = deck_layer.x, thick = deck_layer.y, y0 = deck_eye.y;
    float to_base = deck_way(base, d.y, false), to_top = deck_way(base + thick, d.y, false);
    float start, end;
    if (y0 < base) {
        start = d.y > 0.0 ? to_base : 1e9;
        end = to_top;
    } else if (y0 <= base + thick) {
        start = 0.0;
        end = d.y < 0.0 ? min(to_base, to_top) : to_top;
    } else {
        start = d.y < 0.0 ? to_top : 1e9;
        end = min(to_base, deck_way(base + thick, d.y, true));
    }
    start = min(start, DECK_FARTHEST_M);
    return vec2(start, max(min(end, min(start + 40.0 * thick, DECK_FARTHEST_M)), start));
}

// Light of the deck, and what it leaves of what lies behind.
vec4 deck_along(vec3 d) {
    float base = deck_layer.x, thick = deck_layer.y, extinction = deck_layer.z, y0 = deck_eye.y;
    vec2 ends = deck_ends(d);
    float start = ends.x, end = ends.y;
    // Neighbouring pixels begin at other offsets. Source: Jimenez 2014, interleaved gradient noise.
    float own = fract(52.9829189 * fract(dot(gl_FragCoord.xy, vec2(0.06711056, 0.00583715))));
    float offset = fract(deck_eye.w + own);
    // Within the deck samples lie closer where they are near.
    bool inside = base < y0 && y0 < base + thick;
    float span = end - start;
    const float G = 0.8;
    float inverse = inversesqrt(1.0 + G * G - 2.0 * G * dot(d, deck_toward));
    float lobe = (1.0 - G * G) * 0.0795774715 * inverse * inverse * inverse;
    float up = max(deck_toward.y, 0.05);
    float bend = (1.0 - d.y * d.y) / (2.0 * DECK_EARTH_M);
    // See _leaving in physics/deck.py.
    float below = clamp((base - y0) / (0.1 * thick), 0.0, 1.0);
    float leaving = 1.0 + below * ((1.0 + 3.0 * clamp(d.y, 0.0, 1.0)) / 3.0 - 1.0);
    vec3 light = vec3(0.0);
    float kept = 1.0;
    for (int i = 0; i < DECK_STEPS; ++i) {
        vec2 edge = (vec2(i, i + 1)) / float(DECK_STEPS);
        edge = inside ? edge * edge : edge;
        float part = span * (edge.y - edge.x);
        float way = start + span * edge.x + offset * part;
        vec2 at = deck_eye.xz + d.xz * way;
        float share = (y0 + way * d.y + way * way * bend - base) / thick;
        float density = deck_density(at, share, true);
        float shaded = deck_density(at + deck_toward.xz * (0.3 * thick), clamp(share + 0.2, 0.0, 0.95), false);
        float over = extinction * thick * clamp(1.0 - share, 0.0, 1.0);
        float under = extinction * thick * clamp(share, 0.0, 1.0);
        float whole = max(density, shaded * (1.0 - clamp(0.5 * share / 0.12, 0.0, 1.0)));
        float to_sun = over * (0.35 * whole + 0.65 * shaded) / up;
        float mean = 0.5 * (whole + shaded);
        float facing = up + (1.0 - up) * clamp(whole - shaded, 0.0, 1.0);
        float down = 1.0 + (leaving - 1.0) * mean;
        float through = down * facing * two_stream(to_sun) * 0.318309886;
        vec3 source = deck_sunlit * (lobe * exp(-min(to_sun, 60.0)) + through)
            + deck_above * (0.5 * down * two_stream(over * mean)) + deck_below * (0.5 * two_stream(under * mean));
        float passed = exp(-extinction * density * part);
        light += kept * (1.0 - passed) * source;
        kept *= passed;
    }
    float hazy = 1.0 - exp(-start * (deck_veil.x + deck_veil.y + deck_veil.z) / 3.0);
    return vec4(light * exp(-start * deck_veil), kept + (1.0 - kept) * hazy);
}
