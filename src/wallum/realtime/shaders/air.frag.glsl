#version 430 core
// The air before surfaces and sky. Variants: MIST, SUN, SKY, SHAFTS as in include/air_light.glsl; DECK, whose
// clouds have only the air before them; ALONE: nothing but what the air adds; IN_PLACE, which is blended over
// the light itself: what is added to it, and in alpha what is left of it.

#include "pixel.glsl"
#ifndef IN_PLACE
uniform sampler2D picture;         // light without air
#endif
uniform sampler2D g_depth;
uniform vec3 eye;
uniform float floor_y;             // height of the far ground
uniform vec3 sun_direction;
uniform vec3 sun_illuminance;      // pre-exposed
#ifdef SKY
#include "sky.glsl"
#endif
uniform vec2 air_fakes;            // clear up to this distance [m]; most that it hides
#include "air.glsl"
#ifdef SHAFTS
#include "air_near.glsl"
#endif
#include "air_light.glsl"
#ifdef DECK
#include "deck.glsl"
uniform sampler2D deck;            // its light; what it leaves of what lies behind
#endif

out vec4 out_colour;

void main() {
    vec2 at = here();
    vec3 ray = view_ray();
    float inverse = inversesqrt(dot(ray, ray));
    vec3 d = ray * inverse;
    float depth = texture(g_depth, at).r;
    bool sky = depth <= 0.0;
    float to_sky = d.y < 0.0 ? min(max(eye.y - floor_y, 0.0) / -d.y + 1.0, AIR_END_M) : AIR_END_M;
    float distance_m = sky ? to_sky : depth / inverse;
    vec3 left;
    vec3 added;
    air_before(at, d, distance_m * inverse, distance_m, left, added);
#ifdef IN_PLACE
    vec3 light = vec3(0.0);
#else
    vec3 light = texture(picture, at).rgb;
#endif
#ifdef ALONE
    light = vec3(0.0);
#endif
#ifdef DECK
    // What the deck shows has only the air before it.
    vec4 before = sky ? textureLod(deck, at, 0.0) : vec4(0.0, 0.0, 0.0, 1.0);
    float start = min(deck_ends(d).x, distance_m);
    vec3 source;
    vec3 left_near = air_left(d, start, source);
    vec3 added_near = source * (1.0 - left_near);
#ifdef ALONE
    before.rgb = vec3(0.0);
#endif
    light = (light - before.rgb) * left + before.rgb * left_near
        + added * before.a + added_near * (1.0 - before.a);
#else
    light = light * left + added;
#endif
#ifdef IN_PLACE
    out_colour = vec4(clamp(light, -60000.0, 60000.0), left.y);
#else
    out_colour = vec4(clamp(light, 0.0, 60000.0), 1.0);
#endif
}
