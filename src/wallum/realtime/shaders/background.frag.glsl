#version 430 core
// What lies behind everything: the sky, sun and moon themselves, far ground, and air before
// it. Added to what is there. Variants: SKY, PICTURE, CLOUD and DECK (with SKY), SUN (with AIR), AIR.

uniform vec3 eye;
uniform float floor_y;             // height of the far ground
uniform vec3 sun_direction;
uniform vec3 sun_illuminance;      // pre-exposed
#ifdef SKY
#include "sky.glsl"
#include "sky_behind.glsl"
uniform vec3 far_ground;           // pre-exposed
uniform float pixel_rad;
uniform vec3 veil;                 // extinction of the air before far ground [1/m]
uniform vec4 disc_place[2];        // unit direction; radius, 0 for none
uniform vec3 disc_light[2];        // pre-exposed
uniform vec4 disc_lit_from[2];     // unit direction; 1 where it only reflects
#endif
#ifdef CLOUD
#include "cloud.glsl"
#endif
#ifdef DECK
#include "deck.glsl"
uniform sampler2D deck;            // its light; what it leaves of what lies behind
uniform vec2 deck_uv;              // 1 / size of the picture
#endif
#ifdef AIR
#include "air.glsl"
#include "air_light.glsl"
#endif

in vec3 v_ray;
out vec4 out_colour;

#ifdef SKY
// Source of the limb's darkening: linear law, u = 0.6 (Allen, "Astrophysical Quantities").
vec3 disc(vec3 d, vec4 place, vec3 light, vec4 lit_from) {
    float radius = max(place.w, 1e-6);
    vec3 off = (d - place.xyz) / radius;
    float r2 = dot(off, off);
    float edge = pixel_rad / radius;
    float inside = smoothstep(1.0 + 0.5 * edge, 1.0 - 0.5 * edge, sqrt(r2)) * step(1e-5, place.w);
    float toward = sqrt(max(1.0 - r2, 0.0));
    float limb = (0.4 + 0.6 * toward) * 1.25;
    float lit = smoothstep(-0.02, 0.08, dot(off - place.xyz * toward, lit_from.xyz));
    return light * inside * mix(limb, lit, lit_from.w);
}
#endif

void main() {
    vec3 d = normalize(v_ray);
    vec3 light = vec3(0.0);
#ifdef SKY
    float above = smoothstep(-0.5 * pixel_rad, 0.5 * pixel_rad, d.y);
    vec3 sky = sky_behind(d);
    sky += disc(d, disc_place[0], disc_light[0], disc_lit_from[0]);
    sky += disc(d, disc_place[1], disc_light[1], disc_lit_from[1]);
#ifdef CLOUD
    sky = before_sky(d, sky);
#endif
    float way = max(eye.y - floor_y, 0.0) / max(-d.y, 1e-6);
    vec3 kept = exp(-min(way, 1e7) * veil);
    vec3 ground = far_ground * kept + sky_behind(normalize(vec3(d.x, 0.02, d.z))) * (1.0 - kept);
    light += mix(ground, sky, above);
#ifdef DECK
    vec4 before = textureLod(deck, gl_FragCoord.xy * deck_uv, 0.0);
#ifndef AIR
    light = light * before.a + before.rgb;
#endif
#endif
#endif
#ifdef AIR
    float distance_m = d.y < 0.0 ? min(max(eye.y - floor_y, 0.0) / -d.y + 1.0, AIR_END_M) : AIR_END_M;
    float clear = exp(-air_depth(d.y * distance_m, distance_m));
    vec3 source = air_source(d);
    light = light * clear + source * (1.0 - clear);
#ifdef DECK
    // What the deck shows has only the air before it.
    float start = min(deck_ends(d).x, distance_m);
    float near = exp(-air_depth(d.y * start, start));
    light = light * before.a + before.rgb * near + source * ((1.0 - near) * (1.0 - before.a));
#endif
#endif
    out_colour = vec4(min(light, 60000.0), 1.0);
}
