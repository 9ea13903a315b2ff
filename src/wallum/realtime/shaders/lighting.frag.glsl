#version 430 core
// Light on the surfaces of the G-buffer. Variants: GLOW, BOUNCE (light from surfaces), MIRRORS (what smooth ones show of the level more than probes say: to be added; MIRRORED, mirror images alone), FLAT (light alike from all around), ROOMS (the same in boxes), PROBES (that alone, as probes have it), FOLLOW (glow by lamps), SKY, BY_PROBES (the sky as they see it), SUN, SUN_SHADOW, CLOUD_SHADOW, LAMPS, LAMP_SHADOWS, VEILED (shadows
// of what is seen through), UNUSUAL (surfaces that reflect otherwise than most), AIR (so thick that it dims light before it arrives) and MIST;
// ONE_LAMP is a single lamp to be added to what is there; IN_AIR lays the volume of lit air over what is near.

#include "packing.glsl"
#include "pixel.glsl"
#include "surface.glsl"
#ifdef SKY
#include "sky.glsl"
#endif
#if defined(SKY) || defined(MIRRORS)
#include "octahedron.glsl"
#endif
#ifdef SUN_SHADOW
#include "sun_shadow.glsl"
#endif
#ifdef CLOUD_SHADOW
#include "cloud_shadow.glsl"
#endif
#if defined(LAMPS) || defined(ONE_LAMP)
#include "lamps.glsl"
#ifdef GOBOS
#include "gobo.glsl"
#endif
#endif
#ifdef LAMP_SHADOWS
#include "lamp_shadow.glsl"
#endif
#each KIND
#include "kinds/KIND.glsl"
#end

uniform sampler2D g_base;
uniform sampler2D g_normal;
uniform sampler2D g_surface;
uniform sampler2D g_glow;
uniform sampler2D g_depth;
uniform vec3 eye;
uniform float glow_exposure;   // G-buffer glow to pre-exposed luminance
uniform float unlit_exposure;  // unlit colour to pre-exposed luminance
uniform float all_grey;        // 1: every surface is 18 % grey
uniform float gaps_direct;     // share of a gap's darkness that dims light straight from sources
uniform vec3 sun_direction;
uniform vec3 sun_illuminance;  // pre-exposed
#if defined(SKY) || defined(BOUNCE)
uniform sampler2D g_open;      // see sky_visibility.frag.glsl
#endif
#ifdef BOUNCE
uniform sampler2D g_bounce;    // illuminance by light from surfaces, pre-exposed
uniform vec3 bounce_gain;
uniform float open_floor;      // 0 where none of it was baked with the sky: see probe_light.frag.glsl
#endif
#ifdef MIRRORS
uniform sampler2D g_images;    // in alpha which are mirrored
#include "which_images.glsl"
#include "mirrors.glsl"
// Of what probes say of a mirror image so much is taken away at most: what is rounded on the way leaves light.
const float TAKEN = 0.998;
#endif
#ifdef SKY
uniform sampler2D mirror;      // the sky in all directions, see mirror.frag.glsl
const int MIRROR_SIZE = 128;
uniform float mirror_exposure;
#ifdef BY_PROBES
uniform sampler2D g_sky;       // illuminance straight from it, pre-exposed
uniform vec3 sky_gain;         // by which it is stronger than when that was found
#endif
#endif
#ifdef FOLLOW
uniform sampler2D follow;      // by number of the lamp that glow follows
#endif
#ifdef AIR
#include "air.glsl"
#endif
#ifdef IN_AIR
uniform vec2 air_fakes;        // clear up to this distance [m]; most that it hides
#include "air_near.glsl"
#endif

#if defined(LAMPS) || defined(ONE_LAMP)
// Transmittance of the air from where the light of a lamp begins to a place.
vec3 lamp_air(vec3 origin, vec3 place) {
#ifdef AIR
    return air_between(origin, place);
#else
    return vec3(1.0);
#endif
}
#endif

#ifdef LAMPS
#include "lamp_lists.glsl"
const int CELL_BITS = 5;       // a cell is 32 pixels wide
#endif
#ifdef ONE_LAMP
uniform int one_lamp;
#endif

out vec4 out_colour;

Surface surface_at(vec2 at, vec3 ray, float depth) {
    vec4 base = texture(g_base, at);
    vec4 kind = texture(g_surface, at);
    vec3 colour = base.rgb * base.rgb;
    colour = mix(colour, vec3(0.18), all_grey);
    kind.g *= 1.0 - all_grey;
    float rough = max(kind.r, 0.045);
    Surface s;
    s.position = eye + ray * depth;
    vec3 normal = texture(g_normal, at).rgb;
    s.normal = oct_decode(normal.rg);
    s.bumps = bumps_of(normal.b);
    s.to_eye = -normalize(ray);
    s.rough = rough;
    s.a2 = rough * rough * rough * rough;
    s.n_v = clamp(dot(s.normal, s.to_eye), 1e-3, 1.0);
    s.occlusion = base.a;
    vec4 shares = gloss_shares(rough, s.n_v);
    float regained = 1.0 / (shares.x + shares.y) - 1.0;
    float lit = 1.0 - unlit_share(kind.b);
    const vec2 usual = vec2(0.04, 1.0);
    vec2 f = usual;
    float kept = shares.z;
#ifdef UNUSUAL
    f = reflectance_of(kind.b);
    kept *= under_gloss(f, shares.xy, regained) / under_gloss(usual, shares.xy, regained);
#endif
    vec3 metal = (1.0 + colour * regained) * (kind.g * lit);
    float other = (1.0 + f.x * regained) * (1.0 - kind.g) * lit;
    s.gloss = metal * colour + other * f.x;
    s.gloss_rise = metal * (1.0 - colour) + other * (f.y - f.x);
    s.diffuse = colour * ((1.0 - kind.g) * lit * kept * (1.0 / PI));
    float third = clamp(3.0 * rough - 0.15, 0.0, 1.0);
    s.steep = shares.w * vec2(third, 1.0 - third);
    s.share = shares.xy;
    return s;
}

#ifdef SKY
// Mirror image of the sky, blurred for a roughness. By hand: a software driver takes twice as
// long to filter as to fetch.
vec3 mirror_light(vec3 d, float rough) {
    // The copy as wide as the lobe, about 2 log2(rough) + 5.5.
    int lod = int(rough * (8.0 - 2.5 * rough) + 0.5);
    int last = (MIRROR_SIZE >> lod) - 1;
    vec2 at = octahedron_place(d) * float(last + 1) - 0.5;
    vec2 low = floor(at);
    vec2 f = at - low;
    ivec2 a = clamp(ivec2(low), 0, last);
    ivec2 b = clamp(ivec2(low) + 1, 0, last);
    vec3 lower = mix(texelFetch(mirror, a, lod).rgb, texelFetch(mirror, ivec2(b.x, a.y), lod).rgb, f.x);
    vec3 upper = mix(texelFetch(mirror, ivec2(a.x, b.y), lod).rgb, texelFetch(mirror, b, lod).rgb, f.x);
    return mix(lower, upper, f.y);
}

// Light of the sky: what falls on a surface straight from it, and the share of its mirror image.
vec3 sky_light(Surface s, vec3 illuminance, float shown) {
    vec3 mirrored = reflect(-s.to_eye, s.normal);
    vec3 gloss = (s.gloss * (s.share.x + s.share.y) + s.gloss_rise * s.share.y) * mirror_exposure;
    vec3 image = mirror_light(mirrored, s.rough);
    vec3 diffuse = s.diffuse * illuminance;
    image *= shown;
    float left = 1.0 - dot(s.steep, vec2(1.0 / 10.0, 1.0 / 21.0));
#ifdef MIRRORED
    diffuse = vec3(0.0);
#endif
    return (diffuse * left + gloss * image) * s.occlusion;
}
#endif

#ifdef FLAT
uniform vec3 flat_light;       // illuminance that all surfaces have, pre-exposed
#endif
#ifdef ROOMS
#include "rooms.glsl"
#endif
#if defined(BOUNCE) || defined(FLAT) || defined(ROOMS)
// Light from surfaces, alike from all of them: where a mirror image shows none of the sky, it shows them.
// counts: of that, less what an image of the level says.
vec3 bounce_light(Surface s, vec4 open, vec3 illuminance, float counts) {
    float left = 1.0 - dot(s.steep, vec2(1.0 / 10.0, 1.0 / 21.0));
    vec3 gloss = s.gloss * (s.share.x + s.share.y) + s.gloss_rise * s.share.y;
    float shown = min((1.0 - open.y) / max(1.0 - open.x, 0.1), 2.0) * (1.0 / PI) * counts;
    vec3 diffuse = s.diffuse * left;
#ifdef MIRRORED
    diffuse = vec3(0.0);
#endif
    return (diffuse + gloss * shown) * illuminance * s.occlusion;
}
#endif

#ifdef LAMPS
vec3 lamp_light(Surface s, float depth) {
#each PAGE
    uvec4 cell_PAGE = cell_at(ivec2(gl_FragCoord.xy) >> CELL_BITS, depth, PAGE);
#end
    uint end = cell_0.x;
    vec3 sum = vec3(0.0);
#each KIND
    {
        uint first = end;
        uint plain = first + (cell[NUMBER] & 0xffffu);
        for (uint i = first; i < plain; ++i) {
            uint lamp = listed(i);
            sum += KIND_light(lamp, s) * lamp_air(KIND_origin(lamp, s.position), s.position);
        }
        end = plain + (cell[NUMBER] >> 16);
#ifdef LAMP_SHADOWS
        for (uint i = plain; i < end; ++i) {
            uint lamp = listed(i);
            sum += KIND_shadowed(lamp, s) * lamp_air(KIND_origin(lamp, s.position), s.position);
        }
#endif
    }
#end
    return sum;
}
#endif

void main() {
    vec2 at = here();
    vec3 ray = view_ray();
    float depth = texture(g_depth, at).r;
    Surface s = surface_at(at, ray, depth);
    vec3 light = vec3(0.0);
#ifdef GLOW
    float unlit = unlit_share(texture(g_surface, at).b);
    vec3 plain = texture(g_base, at).rgb;
    vec3 glow = texture(g_glow, at).rgb * glow_exposure;
#ifdef FOLLOW
    glow *= texture(follow, vec2((texture(g_surface, at).a * 255.0 + 0.5) / 256.0, 0.5)).r;
#endif
    light += glow;
    light += plain * plain * unlit * unlit_exposure;
#endif
#if defined(SKY) || defined(BOUNCE)
    vec4 open = texture(g_open, at);
    float of_sky = open.y;
#endif
#ifdef BOUNCE
    vec3 from_surfaces = texture(g_bounce, at).rgb * bounce_gain;
    open.x = max(open.x, open_floor);
#endif
    float by_probes = 1.0;
#ifdef MIRRORS
    // In the place of what probes say of it, as far as an image shows it; what is not mirrored has no say.
    s.diffuse = vec3(0.0);
    float images = texture(g_images, at).a;
#ifdef BOUNCE
    Mirrored level = mirrored_level(s, images, open.y, from_surfaces * (1.0 / PI));
    vec3 as_gloss = s.gloss * (s.share.x + s.share.y) + s.gloss_rise * s.share.y;
    light += as_gloss * level.light * (level.counts * s.occlusion);
#else
    Mirrored level = mirrored_level(s, images, open.y, vec3(0.0));
#endif
    of_sky = (level.sky - of_sky) * level.counts;
    by_probes = -level.counts;
#endif
#ifdef SKY
#ifdef MIRRORS
    light += sky_light(s, vec3(0.0), of_sky);
#else
#ifdef BY_PROBES
    light += sky_light(s, texture(g_sky, at).rgb * sky_gain, of_sky);
#else
    light += sky_light(s, sky_illuminance(oct_decode(open.zw)) * max(open.x, 0.0), of_sky);
#endif
#endif
#endif
#ifdef BOUNCE
#ifdef PROBES
    // As it falls on white paper: what the probes say, whatever the surface is.
    light += from_surfaces * (1.0 / PI);
#else
    light += bounce_light(s, open, from_surfaces, by_probes);
#endif
#endif
#ifdef FLAT
    light += bounce_light(s, vec4(0.0), flat_light, 1.0);
#endif
#ifdef ROOMS
    light += bounce_light(s, vec4(0.0), room_light(s.position), 1.0);
#endif
    float straight = mix(1.0, s.occlusion, gaps_direct);
#ifdef SUN
#ifdef CLOUD_SHADOW
    vec3 from_sun = sun_over * clouds_leave(s.position) * response(s, sun_direction);
#else
    vec3 from_sun = sun_illuminance * response(s, sun_direction);
#endif
#ifdef AIR
    from_sun *= air_from_far(s.position.y);
#endif
#ifdef SUN_SHADOW
    from_sun *= sun_visibility(s.position, s.normal, depth);
#endif
    light += from_sun * straight;
#endif
#ifdef LAMPS
    light += lamp_light(s, depth) * straight;
#endif
#ifdef ONE_LAMP
#each KIND
#ifdef LAMP_SHADOWS
    light += KIND_shadowed(uint(one_lamp), s) * lamp_air(KIND_origin(uint(one_lamp), s.position), s.position) * straight;
#else
    light += KIND_light(uint(one_lamp), s) * lamp_air(KIND_origin(uint(one_lamp), s.position), s.position) * straight;
#endif
#end
#endif
#ifdef MIRRORS
#ifdef IN_AIR
    light *= left_by_near_air(at, depth);
#endif
    // Less than what light may be at most lacks of what its numbers hold.
    out_colour = vec4(min(light * mix(vec3(1.0), vec3(TAKEN), vec3(lessThan(light, vec3(0.0)))), 5000.0), 0.0);
#else
#ifdef IN_AIR
    light = in_near_air(light, at, depth);
#endif
    out_colour = vec4(min(light, 60000.0), 1.0);
#endif
}
