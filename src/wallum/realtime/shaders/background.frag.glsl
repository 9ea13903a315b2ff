#version 430 core
// What lies behind everything: the sky, sun and moon themselves, and far ground. Added to what is
// there. Variants: PICTURE, CLOUD, DECK.

uniform vec3 eye;
uniform float floor_y;             // height of the far ground
#include "sky_behind.glsl"
uniform vec3 far_ground;           // pre-exposed
uniform float pixel_rad;
uniform vec3 veil;                 // extinction of the air before far ground [1/m]
uniform vec4 disc_place[2];        // unit direction; radius, 0 for none
uniform vec3 disc_light[2];        // pre-exposed
uniform vec4 disc_lit_from[2];     // unit direction; 1 where it only reflects
#ifdef CLOUD
#include "cloud.glsl"
#endif
#ifdef DECK
#include "deck.glsl"
uniform sampler2D deck;            // its light; what it leaves of what lies behind
uniform vec2 deck_uv;              // 1 / size of the picture
#endif

in vec3 v_ray;
out vec4 out_colour;

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

void main() {
    vec3 d = normalize(v_ray);
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
    vec3 light = mix(ground, sky, above);
#ifdef DECK
    vec4 before = textureLod(deck, gl_FragCoord.xy * deck_uv, 0.0);
    light = light * before.a + before.rgb;
#endif
    out_colour = vec4(min(light, 60000.0), 1.0);
}
