#version 430 core
// What clouds leave of a far light, over places of height 0: high cloud, and the whole deck. Twin of physics/cloud_shadow.py. Variants: CLOUD, DECK.

#ifdef CLOUD
#include "cloud.glsl"
#endif
#ifdef DECK
#include "deck.glsl"
#endif

uniform vec3 toward;           // to the light
uniform vec4 over;             // of the map's first corner: x, z; its width, its depth [m]
uniform float cells;
uniform vec2 slope;            // how far a way to the light goes for each metre that it rises
out vec2 out_shadow;

const int SHADOW_STEPS = 10;

void main() {
    vec2 at = over.xy + gl_FragCoord.xy / cells * over.zw;
    out_shadow = vec2(1.0);
#ifdef CLOUD
    out_shadow.x = 1.0 - 0.85 * cloud_hidden_from(at, toward);
#endif
#ifdef DECK
    float low = deck_eye.y;    // under all of the deck
    at += slope * low;
    vec2 ends = deck_ends(toward);
    float bend = (1.0 - toward.y * toward.y) / (2.0 * DECK_EARTH_M);
    float sum = 0.0;
    for (int i = 0; i < SHADOW_STEPS; ++i) {
        float way = mix(ends.x, ends.y, (float(i) + 0.5) / float(SHADOW_STEPS));
        float share = (low + way * toward.y + way * way * bend - deck_layer.x) / deck_layer.y;
        sum += deck_density(at + toward.xz * way, share, true);
    }
    out_shadow.y = exp(-min(deck_layer.z * sum / float(SHADOW_STEPS) * (ends.y - ends.x), 80.0));
#endif
}
