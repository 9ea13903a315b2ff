#version 430 core
// What each pixel's surface has from the probes about it: how much of the sky it sees, as sky_visibility.frag.glsl
// says it, and light that has come back from surfaces. OWN: of one probe alone, and where it lies.
// SKY: and light straight from the sky. BAKED: pixels that have light on baked pages have that; LIVE: and from probes what is not baked.

#include "packing.glsl"
#include "probes.glsl"
uniform sampler2D g_normal;
uniform sampler2D g_depth;
uniform usampler2D probe_light;   // four words a probe: see realtime/level/packed_probes.py
uniform vec3 ends_below;          // of each axis: large where the level ends with the cells
uniform vec3 ends_above;
uniform vec3 eye;
uniform float probe_turn;         // another for each picture, 0 to 1

#ifdef SKY
#include "sky.glsl"
#endif
#ifdef BAKED
uniform sampler2D g_baked;        // see baked.frag.glsl
uniform float sky_is_baked;
#endif
#ifdef LIVE
uniform usampler2D beside_baked;  // as probe_light, without what is baked
#endif
#ifdef OWN
uniform sampler2D probe_middles;
#endif

const float IMAGE_STEPS = 7.0;    // all that a half float has room for

in vec3 v_ray;
layout(location = 0) out vec4 out_open;
layout(location = 1) out vec4 out_light;
layout(location = 2) out vec4 out_sky;

// How much sky lies toward a direction, from its mean way and its share over the half space about a normal:
// the even function a + b . d that has both. Under the cosine, d along the normal is 2/3 in the mean and its
// square 1/2; across it the square is 1/4.
float sky_toward(vec3 d, vec3 n, vec4 sky) {
    float along = dot(sky.xyz, n);
    float rise = clamp(18.0 * (along - sky.w * (2.0 / 3.0)), -1.0, 1.0);
    float across = 4.0 * (dot(sky.xyz, d) - along * dot(n, d));
    return clamp(sky.w + rise * (dot(n, d) - 2.0 / 3.0) + across, 0.0, 1.0);
}

vec3 shared_exponent(uint word) {
    float scale = uintBitsToFloat(((word >> 27u) + 103u) << 23u);
    return vec3(word & 511u, word >> 9u & 511u, word >> 18u & 511u) * scale;
}

// What the probes about a surface have, each as often as it counts.
struct Sum {
    vec3 light;
    vec3 from_sky;
    vec4 sky;       // in steps, see `whole`
    vec3 not_baked;
    float total;
    float most;     // that one image other than its own counts
    float not_own;  // that all of those do
    uint beside;    // that image
};

void add(inout Sum sum, ivec2 place, uvec4 words, uint image, float w) {
    sum.light += shared_exponent(words.x) * w;
#ifdef SKY
    sum.from_sky += shared_exponent(words.y) * w;
#endif
#ifdef LIVE
    sum.not_baked += shared_exponent(texelFetch(beside_baked, place, 0).x) * w;
#endif
    sum.sky += vec4(words.z & 4095u, words.z >> 12u & 4095u, words.w & 4095u, words.w >> 12u & 16383u) * w;
    sum.total += w;
    uint its = words.z >> 24u & 15u;
    float foreign = its != image ? w : 0.0;
    sum.beside = foreign > sum.most ? its : sum.beside;
    sum.most = max(sum.most, foreign);
    sum.not_own += foreign;
}

// Mean way to the sky, as often as it is seen, and its share, from the steps that words have them in.
vec4 whole(vec4 steps) {
    return vec4(steps.xyz * (2.0 / 4094.0) - 1.0, steps.w * (1.0 / 16383.0));
}

void main() {
    ivec2 pixel = ivec2(gl_FragCoord.xy);
    float depth = texelFetch(g_depth, pixel, 0).r;
    vec3 n = oct_decode(texelFetch(g_normal, pixel, 0).rg);
    vec3 p = eye + v_ray * depth;
    vec3 within;
    float size;
    int own = probe_at(p, n, within, size);
    ivec3 after = ivec3(greaterThanEqual(within, vec3(0.0)));
    vec3 f = min(abs(within), 1.0);
    ivec2 own_place = probe_place(max(own, 0));
    uvec4 own_words = texelFetch(probe_light, own_place, 0);
    uint image = own_words.z >> 24u & 15u;
    Sum sum = Sum(vec3(0.0), vec3(0.0), vec4(0.0), vec3(0.0), 0.0, 0.0, 0.0, image);
    add(sum, own_place, own_words, image, max((1.0 - f.x) * (1.0 - f.y) * (1.0 - f.z), 1e-6));
    // Only where there are others beside it: of a plain floor or wall three.
    ivec3 has = ivec3(uvec3(own_words.w) >> (uvec3(26, 28, 30) + uvec3(after))) & 1;
    int axes = own >= 0 ? has.x | has.y << 1 | has.z << 2 : 0;
    ivec2 table = ivec2((own & (PROBE_ROW - 1)) * 27 + 13, own >> 6);
    ivec3 strides = (2 * after - 1) * ivec3(1, 3, 9);
    for (int corner = -axes & axes; corner != 0; corner = corner - axes & axes) {
        ivec3 which = ivec3(corner, corner >> 1, corner >> 2) & 1;
        int step = which.x * strides.x + which.y * strides.y + which.z * strides.z;
        int probe = texelFetch(probe_links, table + ivec2(step, 0), 0).r;
        vec3 side = mix(1.0 - f, f, vec3(which));
        float w = probe < 0 ? 0.0 : side.x * side.y * side.z;
        ivec2 place = probe_place(max(probe, 0));
        add(sum, place, texelFetch(probe_light, place, 0), image, w);
    }
    // Beyond all probes all is open; where one is missing, as its own alone says.
    float over = own >= 0 ? 1.0 / sum.total : 0.0;
    vec4 sky = own >= 0 ? whole(sum.sky * over) : vec4(n * (2.0 / 3.0), 1.0);
    vec3 counts = vec3(textureSize(probe_cells, 0));
    vec3 at = (p - probe_low) / probe_step;
    vec3 inset = min(at + ends_below, counts - at + ends_above);
    float away = 1.0 - clamp(min(min(inset.x, inset.y), inset.z) / 4.0, 0.0, 1.0);
    away = own >= 0 ? away * away : 1.0;
    vec3 light = sum.light * (over * (1.0 - away));
#ifdef BAKED
    vec4 baked = texelFetch(g_baked, pixel, 0);
    vec3 of_surfaces = light;
    light = baked.a > 0.5 ? baked.rgb + sum.not_baked * (over * (1.0 - away)) : light;
#endif
    sky = mix(sky, vec4(n * (2.0 / 3.0), 1.0), away);
#ifdef SKY
    vec3 from_sky = sum.from_sky * over;
    for (int times = away > 0.0 ? 1 : 0; times > 0; --times) {
        from_sky = mix(from_sky, sky_illuminance(n), away);
    }
#else
    vec3 from_sky = vec3(0.0);
#endif
    vec3 mirrored = reflect(normalize(v_ray), n);
#ifdef BAKED
    float sky_share = clamp(sky.w, 0.0, 1.0);
    if (baked.a > 0.5 && sky_is_baked > 0.5) {
        // Below 0 it tells what gloss takes of the light of what is no sky: see bounce_light in lighting.frag.glsl.
        const vec3 weights = vec3(0.2126, 0.7152, 0.0722);
        float part = dot(of_surfaces, weights) / max(dot(light, weights), 1e-6);
        part = min(part / max(1.0 - sky_share, 0.1), 1.0);
        sky_share = 1.0 - 1.0 / max(part, 0.01);
        from_sky = vec3(0.0);
    }
#else
    float sky_share = clamp(sky.w, 0.0, 1.0);
#endif
    out_open = vec4(sky_share, sky_toward(mirrored, n, sky), 0.0, 0.0);
    out_sky = vec4(min(from_sky, 60000.0), 1.0);
#ifdef OWN
    // Each probe by itself: what it has, on a ball about its place, and darker about that, so far as it stands
    // for what is there.
    if (own >= 0) {
        light = shared_exponent(own_words.x);
        float apart = distance(p, texelFetch(probe_middles, own_place, 0).xyz) / (probe_step * size);
        light *= apart < 0.2 ? 1.0 : 0.35;
    }
#endif
    // In steps that change over at other pixels and in other pictures. Source of the pattern: Jimenez 2014,
    // interleaved gradient noise.
    float chance = fract(52.9829189 * fract(dot(gl_FragCoord.xy, vec2(0.06711056, 0.00583715))) + probe_turn);
    float share = min(floor(sum.not_own * over * IMAGE_STEPS + chance), IMAGE_STEPS);
    float images = own >= 0 ? float(image) + 16.0 * (float(sum.beside) + 16.0 * share) : 0.0;
    out_light = vec4(min(light, 60000.0), images);
}
