#version 430 core
// What air scatters toward the eye, place by place: slices of a volume before the camera, side by side in one
// picture. Variants: MIST, SUN, SUN_SHADOW, CLOUD_SHADOW, SKY, LAMPS, LAMP_SHADOWS, VEILED as in lighting.frag.glsl.
// AIR: it takes a noticeable part of light on the way from lamps. POCKETS: there are any. Light by channel for a metre of way, pre-exposed; extinction of pockets there.

uniform vec3 eye;
uniform vec3 ray_first;         // of the lower left column; reaches a depth of 1 m
uniform vec3 ray_right;         // what a column to the right adds
uniform vec3 ray_up;
uniform ivec4 air_cells;        // columns, rows, slices; slices side by side
uniform vec2 air_steps;         // depth that the volume reaches to [m]; turn of the places within slices
uniform vec3 sun_direction;
uniform vec3 sun_illuminance;   // pre-exposed
uniform sampler2D farthest;     // see air_depth.frag.glsl
uniform vec2 air_shadows;       // 1 where shadows of the sun count in the air; what is seen of the sky
#ifdef SKY
#include "sky.glsl"
uniform vec3 far_ground;        // its luminance, pre-exposed
uniform sampler3D openness;     // share of the upper half that is open, times how bright that is over the mean of
                                // all of it, by channel; share of all ways that end on far ground
#endif
#ifdef AROUND
uniform sampler3D air_surfaces; // mean luminance of what surfaces are seen, over all ways, pre-exposed; share of
                                // the upper half that is open
uniform sampler3D air_ways;     // luminance of what is seen times the directions to it, the mean over all ways
#endif
#if defined(SKY) || defined(AROUND)
uniform vec3 open_low;          // place of the first
uniform vec3 open_over;         // 1 / what the grid spans
uniform vec3 open_inset;        // half a cell, as a share
#endif
#include "air.glsl"
#ifdef POCKETS
#include "pocket.glsl"
uniform vec3 pocket_lobe;       // of the phase function of all pockets, as air_lobe
uniform float pocket_forward;
#endif
#ifdef SUN_SHADOW
#include "sun_shadow.glsl"
#endif
#ifdef CLOUD_SHADOW
#include "cloud_shadow.glsl"
#endif
#ifdef LAMPS
#include "lamps.glsl"
#ifdef GOBOS
#include "gobo.glsl"
#endif
#include "lamp_lists.glsl"
#ifdef LAMP_SHADOWS
#include "lamp_shadow.glsl"
#endif
#each KIND
#include "kinds/KIND_air.glsl"
#end
#endif

out vec4 out_light;

#if defined(SKY) || defined(AROUND)
// How much more than if it came from all around air of a forwardness g scatters of even light from below.
float from_below(vec3 d, float g) {
    return 1.0 - 1.5 * g * d.y;
}
#endif

#ifdef AROUND
// Light from a door and light from all around differ by how long their mean way is over how bright they are.
const float NARROWEST = 0.95;

float bright(vec3 light) {
    return dot(light, vec3(0.2126, 0.7152, 0.0722));
}

// That ratio, and the cosine of the mean way to the direction looked in.
vec2 leaning(vec3 way, float whole, vec3 d) {
    float along = length(way);
    return vec2(min(along / max(whole, 1e-6), NARROWEST), dot(way, d) / max(along, 1e-9));
}

// How much more than of light from all around air of a forwardness g scatters of light that leans. The mean cosine
// of what comes of both is their product: with light from one point it is spread as by the air itself (Henyey and
// Greenstein 1941); with light from a wide side it has no such tails, and is spread as by von Mises and Fisher
// (their concentration by Banerjee et al. 2005).
float from_a_side(vec2 lean, float g) {
    float mean = lean.x * abs(g);
    float cosine = g < 0.0 ? -lean.y : lean.y;
    float inverse = inversesqrt(1.0 + mean * mean - 2.0 * mean * cosine);
    float narrow = (1.0 - mean * mean) * inverse * inverse * inverse;
    float k = max(mean * (3.0 - mean * mean) / (1.0 - mean * mean), 1e-2);
    float wide = 2.0 * k * exp(k * (cosine - 1.0)) / (1.0 - exp(-2.0 * k));
    float squared = lean.x * lean.x;
    return mix(wide, narrow, squared * squared);
}
#endif

// Places in a slice that the sun is looked up at.
const int SUN_PLACES = 2;

#ifdef POCKETS
PocketAbout own_pocket;         // the first that reaches the place
#endif

#ifdef LAMPS
// Light of a lamp on its way to the eye: by the first layer, by the second, by pockets.
void add_lamp(
    uint lamp, vec3 light, vec3 origin, vec3 d, vec3 p, vec3 to_lamp, float far, inout vec3 first, inout vec3 second, inout vec3 third
) {
    vec3 arriving = light * abs(lamp_row(lamp, LAMP_POINT).w);
#ifdef AIR
    arriving *= air_between(origin, p);
#endif
    float cosine = dot(d, to_lamp);
    first += arriving * air_phase(air_lobe[0], cosine);
#ifdef MIST
    second += arriving * air_phase(air_lobe[1], cosine);
#endif
#ifdef POCKETS
    third += arriving * (air_phase(pocket_lobe, cosine) * pocket_leaves(own_pocket, to_lamp, far));
#endif
}
#endif

void main() {
    ivec2 pixel = ivec2(gl_FragCoord.xy);
    ivec2 tile = pixel / air_cells.xy;
    ivec2 column = pixel - tile * air_cells.xy;
    int slice = tile.y * air_cells.w + tile.x;
    vec3 ray = ray_first + (float(column.x) + 0.5) * ray_right + (float(column.y) + 0.5) * ray_up;
    float longer = length(ray);
    vec3 d = ray / longer;
    float over = 1.0 / float(air_cells.z - 1);
    float near = air_steps.x * float(slice * slice) * over * over;
    float end = air_steps.x * float((slice + 1) * (slice + 1)) * over * over;
    // Air behind what is seen in a column is taken as that just before it: nothing leaks through walls.
    float most = texelFetch(farthest, column, 0).r * 0.995 - 0.02;
    near = min(near, most * 0.98);
    end = min(end, most);
    float turn = fract(52.9829189 * fract(dot(vec2(pixel), vec2(0.06711056, 0.00583715))) + air_steps.y);
    vec3 first = vec3(0.0);
    vec3 second = vec3(0.0);
    vec3 third = vec3(0.0);
#ifdef POCKETS
    int rows_of_cells = (air_cells.y + 3) / 4;
    uvec2 near_by = texelFetch(pocket_cells, ivec2(column.x / 4, column.y / 4 + slice / 4 * rows_of_cells), 0).rg;
#endif
    float middle = mix(near, end, 0.5);
    vec3 p = eye + ray * middle;
#ifdef POCKETS
    own_pocket = pocket_about(near_by, p);
#endif
#ifdef SUN
    vec3 from_sun = sun_illuminance * air_shares.x;
#ifdef CLOUD_SHADOW
    from_sun = sun_over * (clouds_leave(p) * air_shares.x);
#endif
    from_sun *= air_from_far(p.y);
#ifdef SUN_SHADOW
    vec3 lit = vec3(0.0);
    for (int i = 0; i < SUN_PLACES; ++i) {
        float z = mix(near, end, (float(i) + turn) / float(SUN_PLACES));
        lit += sun_visibility(eye + ray * z, vec3(0.0), z);
    }
    from_sun *= mix(vec3(1.0), lit / float(SUN_PLACES), air_shadows.x);
#endif
    first += from_sun * air_phase(air_lobe[0], dot(d, sun_direction));
#ifdef MIST
    second += from_sun * air_phase(air_lobe[1], dot(d, sun_direction));
#endif
#ifdef POCKETS
    third += from_sun * (air_phase(pocket_lobe, dot(d, sun_direction)) * pocket_leaves(own_pocket, sun_direction, 1e4));
#endif
#endif
#if defined(SKY) || defined(AROUND)
    vec3 within = (p - open_low) * open_over;
    vec3 place = clamp(within, open_inset, 1.0 - open_inset);
    vec3 past = max(-within, within - 1.0);
    float beyond = clamp(8.0 * max(max(past.x, past.y), past.z), 0.0, 1.0);
    vec4 open = vec4(0.0);
    vec3 below = vec3(0.0);
    vec3 about = vec3(0.0);
#endif
#ifdef SKY
    const vec4 all_open = vec4(1.0, 1.0, 1.0, 0.5);
    open = mix(all_open, texture(openness, place), air_shadows.y * (1.0 - beyond)) * air_shares.y;
    below = far_ground * open.a;
    first += sky_scattered(d, air_eye[0].w) * open.rgb;
#ifdef MIST
    second += sky_scattered(d, air_eye[1].w) * open.rgb;
#endif
#ifdef POCKETS
    third += sky_scattered(d, pocket_forward) * open.rgb;
#endif
#endif
#ifdef AROUND
    // Where the upper half is open, surfaces lie below.
    vec4 seen = texture(air_surfaces, place);
    about = seen.rgb * (1.0 - beyond);
    below += about * seen.a;
    // Even light from below comes from half a way down in the mean.
    vec3 way = texture(air_ways, place).xyz + vec3(0.0, 0.5 * seen.a * bright(seen.rgb), 0.0);
    vec2 lean = leaning(way, bright(seen.rgb) * (1.0 - seen.a), d);
    about *= 1.0 - seen.a;
    first += about * from_a_side(lean, air_eye[0].w);
#ifdef MIST
    second += about * from_a_side(lean, air_eye[1].w);
#endif
#ifdef POCKETS
    third += about * from_a_side(lean, pocket_forward);
#endif
#endif
#if defined(SKY) || defined(AROUND)
    first += below * from_below(d, air_eye[0].w);
#ifdef MIST
    second += below * from_below(d, air_eye[1].w);
#endif
#ifdef POCKETS
    third += below * from_below(d, pocket_forward);
#endif
#endif
#ifdef LAMPS
    float start = near * longer;
    float last = end * longer;
    float width = middle * length(ray_right);
#each PAGE
    uvec4 cell_PAGE = cell_at(column * cell_grid.xy / air_cells.xy, middle, PAGE);
#end
    uint number_end = cell_0.x;
#each KIND
    {
        uint number = number_end;
        uint plain = number + (cell[NUMBER] & 0xffffu);
        for (uint i = number; i < plain; ++i) {
            uint lamp = listed(i);
            vec3 to_lamp;
            float far;
            vec3 light = KIND_in_air(lamp, d, start, last, width, to_lamp, far);
            add_lamp(lamp, light, KIND_origin(lamp, p), d, p, to_lamp, far, first, second, third);
        }
        number_end = plain + (cell[NUMBER] >> 16);
#ifdef LAMP_SHADOWS
        for (uint i = plain; i < number_end; ++i) {
            uint lamp = listed(i);
            vec3 to_lamp;
            float far;
            vec3 light = KIND_in_air(lamp, d, start, last, width, to_lamp, far);
            light *= lamp_row(lamp, LAMP_POINT).w < 0.0 ? vec3(1.0) : KIND_air_seen(lamp, to_lamp, far, eye + d * (0.5 * (start + last)));
            add_lamp(lamp, light, KIND_origin(lamp, p), d, p, to_lamp, far, first, second, third);
        }
#endif
    }
#end
#endif
    vec3 sum = air_thick[0] * (air_density(air_layer[0], p.y) * (air_scatter[0] * first + air_own[0]));
#ifdef MIST
    sum += air_thick[1] * (air_density(air_layer[1], p.y) * (air_scatter[1] * second + air_own[1]));
#endif
    float thicker = 0.0;
#ifdef POCKETS
    vec3 inside = eye + ray * mix(near, end, turn);
    for (int word = 0; word < 2; ++word) {
        uint left = word == 0 ? near_by.x : near_by.y;
        while (left != 0u) {
            uint index = uint(findLSB(left));
            left &= left - 1u;
            index += uint(word) * 32u;
            float density = pocket_density(index, inside);
            sum += density * (pocket_row(index, POCKET_SCATTER).rgb * third + pocket_row(index, POCKET_OWN).rgb);
            thicker += density;
        }
    }
#endif
    out_light = vec4(min(sum, 60000.0), thicker);
}
