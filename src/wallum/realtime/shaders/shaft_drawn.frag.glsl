#version 430 core
// What screen shafts add and leave at a place. Twin of physics/screen_shafts.py, where it is explained.

#include "pixel.glsl"
uniform sampler2D opened;      // see shaft_open.frag.glsl
uniform vec3 sun_place;        // in the picture, from its lower left, over its size; how much of them is left
uniform float shape;           // width over height
uniform vec2 shaft_length;     // over the picture's height; share of light that they take
uniform vec3 shaft_light;      // pre-exposed

out vec4 out_colour;

const int SAMPLES = 32;

void main() {
    vec2 at = here();
    vec2 way = sun_place.xy - at;
    float away = length(way * vec2(shape, 1.0));
    float share = min(shaft_length.x / max(away, 1e-6), 1.0);
    float seen = 0.0;
    float within = 0.0;
    for (int k = 0; k < SAMPLES; ++k) {
        vec2 p = at + way * (share * ((float(k) + 0.5) / float(SAMPLES)));
        vec2 inside = step(vec2(0.0), p) * step(p, vec2(1.0));
        float counts = inside.x * inside.y;
        seen += counts * textureLod(opened, p, 0.0).r;
        within += counts;
    }
    float open_share = seen / max(within, 1.0);
    float fall = clamp(1.0 - away / shaft_length.x, 0.0, 1.0);
    fall *= fall * sun_place.z;
    out_colour = vec4(shaft_light * (open_share * fall), 1.0 - shaft_length.y * (1.0 - open_share) * fall);
}
