#version 430 core
// What each pixel's surface has from the probes about it: how much of the sky it sees, as sky_visibility.frag.glsl
// says it, and light that has come back from surfaces. OWN: of one probe alone, and where it lies.
// SKY: and light straight from the sky. BAKED: pixels that have light on baked pages have that; LIVE: and from probes what is not baked.

#include "packing.glsl"
#include "probes.glsl"
uniform sampler2D g_normal;
uniform sampler2D g_depth;
// Eight half floats a probe: illuminance, pre-exposed; share of the sky that is seen; mean way to that, as often
// as it is seen; the number of the mirror image that it sees best, and 1.
uniform usampler2D probe_light;
uniform vec3 ends_below;          // of each axis: large where the level ends with the cells
uniform vec3 ends_above;
uniform vec3 eye;
uniform float probe_turn;         // another for each picture, 0 to 1

#ifdef OWN
uniform sampler2D probe_middles;
#endif
#ifdef SKY
#include "sky.glsl"
uniform sampler2D probe_sky;      // illuminance of each straight from the sky, pre-exposed
#endif
#ifdef BAKED
uniform sampler2D g_baked;        // see baked.frag.glsl
uniform float sky_is_baked;
#endif
#ifdef LIVE
uniform usampler2D beside_baked;  // as probe_light, without what is baked
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

void main() {
    ivec2 pixel = ivec2(gl_FragCoord.xy);
    float depth = texelFetch(g_depth, pixel, 0).r;
    vec3 n = oct_decode(texelFetch(g_normal, pixel, 0).rg);
    vec3 p = eye + v_ray * depth;
    vec3 within;
    float size;
    int own = probe_at(p, n, within, size);
    ivec3 beside = ivec3(within.x < 0.0 ? -1 : 1, within.y < 0.0 ? -1 : 1, within.z < 0.0 ? -1 : 1);
    vec3 f = min(abs(within), 1.0);
    vec4 sky = vec4(0.0);
    vec3 light = vec3(0.0);
    vec3 from_sky = vec3(0.0);
#ifdef BAKED
    vec3 not_baked = vec3(0.0);
#endif
    float total = 0.0;
    // Its own mirror image, and that of the probes about it which has most of the rest.
    float image = 0.0, beside_image = 0.0, most = 0.0, not_own = 0.0;
    if (own >= 0) {
        image = unpackHalf2x16(texelFetch(probe_light, probe_place(own), 0).w).y;
        ivec2 table = ivec2((own & (PROBE_ROW - 1)) * 27, own >> 6);
        for (int i = 0; i < 8; ++i) {
            ivec3 corner = ivec3(i & 1, (i >> 1) & 1, i >> 2);
            ivec3 offset = corner * beside + 1;
            int probe = texelFetch(probe_links, table + ivec2(offset.x + 3 * offset.y + 9 * offset.z, 0), 0).r;
            vec3 side = mix(1.0 - f, f, vec3(corner));
            float w = probe < 0 ? 0.0 : side.x * side.y * side.z;
            ivec2 place = probe_place(max(probe, 0));
            uvec4 halves = texelFetch(probe_light, place, 0);
            vec2 blue_share = unpackHalf2x16(halves.y);
            light += vec3(unpackHalf2x16(halves.x), blue_share.x) * w;
#ifdef LIVE
            uvec2 live = texelFetch(beside_baked, place, 0).xy;
            not_baked += vec3(unpackHalf2x16(live.x), unpackHalf2x16(live.y).x) * w;
#endif
#ifdef SKY
            from_sky += texelFetch(probe_sky, place, 0).rgb * w;
#endif
            vec2 up_image = unpackHalf2x16(halves.w);
            sky += vec4(unpackHalf2x16(halves.z), up_image.x, blue_share.y) * w;
            total += w;
            float foreign = up_image.y != image ? w : 0.0;
            beside_image = foreign > most ? up_image.y : beside_image;
            most = max(most, foreign);
            not_own += foreign;
        }
    }
    // Beyond all probes all is open; where one is missing, as its own alone says.
    float over = total > 0.0 ? 1.0 / total : 0.0;
    sky = own >= 0 ? sky * over : vec4(n * (2.0 / 3.0), 1.0);
    vec3 counts = vec3(textureSize(probe_cells, 0));
    vec3 at = (p - probe_low) / probe_step;
    vec3 inset = min(at + ends_below, counts - at + ends_above);
    float away = 1.0 - clamp(min(min(inset.x, inset.y), inset.z) / 4.0, 0.0, 1.0);
    away = own >= 0 ? away * away : 1.0;
    light *= over * (1.0 - away);
#ifdef BAKED
    vec4 baked = texelFetch(g_baked, pixel, 0);
    vec3 of_surfaces = light;
    light = baked.a > 0.5 ? baked.rgb + not_baked * (over * (1.0 - away)) : light;
#endif
    sky = mix(sky, vec4(n * (2.0 / 3.0), 1.0), away);
#ifdef SKY
    from_sky = mix(from_sky * over, sky_illuminance(n), away);
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
        uvec4 halves = texelFetch(probe_light, probe_place(own), 0);
        light = vec3(unpackHalf2x16(halves.x), unpackHalf2x16(halves.y).x);
        float apart = distance(p, texelFetch(probe_middles, probe_place(own), 0).xyz) / (probe_step * size);
        light *= apart < 0.2 ? 1.0 : 0.35;
    }
#endif
    // In steps that change over at other pixels and in other pictures. Source of the pattern: Jimenez 2014,
    // interleaved gradient noise.
    float chance = fract(52.9829189 * fract(dot(gl_FragCoord.xy, vec2(0.06711056, 0.00583715))) + probe_turn);
    float share = floor(not_own * over * IMAGE_STEPS + chance);
    out_light = vec4(min(light, 60000.0), image + 16.0 * (beside_image + 16.0 * min(share, IMAGE_STEPS)));
}
