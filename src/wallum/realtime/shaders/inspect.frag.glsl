#version 430 core
// What surfaces are, without any light. Variants: SURFACE (base colour), NORMALS, CASTERS (what
// stands in the way of light), SHADOW_GRAIN (texels of a shadow map a metre) of the sun or, with
// LAMP_GRAIN, of a lamp.

#include "packing.glsl"
uniform sampler2D g_base;
uniform sampler2D g_normal;
#ifdef SHADOW_GRAIN
#include "sun_shadow.glsl"
uniform sampler2D g_depth;
uniform sampler2D ramp;        // display values from fine to coarse
uniform vec3 eye;
uniform vec3 grain_place;      // of the lamp
uniform float grain_angle;     // width of its texels at 1 m
uniform float pixel_angle;     // width of the picture's pixels at 1 m
#endif

in vec3 v_ray;
out vec4 out_colour;

// A plain light from the eye, so that shapes are read.
float shape(vec3 n) {
    return 0.25 + 0.75 * max(dot(n, normalize(-v_ray)), 0.0);
}

#ifdef SHADOW_GRAIN
// Width of the shadow's texels here [m]; 0 where none is.
float texel_width(vec3 position, float depth) {
#ifdef LAMP_GRAIN
    return distance(position, grain_place) * grain_angle;
#else
    bool second = depth > cascade_end.x;
    bool third = depth > cascade_end.y;
    float width = third ? cascade_place[2].w : (second ? cascade_place[1].w : cascade_place[0].w);
    width = depth > cascade_end.z ? cascade_place[3].w : width;
    return depth > cascade_end.z && cascade_end.w < 0.5 ? 0.0 : width;
#endif
}

// The texels themselves, as a board of two tones.
float board(vec3 position, float width) {
#ifdef LAMP_GRAIN
    ivec3 cell = ivec3(floor(position / width));
#else
    ivec3 cell = ivec3(floor(on_sun_axes(position).xy / width), 0);
#endif
    return ((cell.x + cell.y + cell.z) & 1) == 0 ? 1.0 : 0.86;
}
#endif

void main() {
    ivec2 pixel = ivec2(gl_FragCoord.xy);
    vec3 n = oct_decode(texelFetch(g_normal, pixel, 0).rg);
    vec3 root = texelFetch(g_base, pixel, 0).rgb;
    vec3 shown = root * root;
#ifdef NORMALS
    shown = n * 0.5 + 0.5;
    shown *= shown;
#endif
#ifdef CASTERS
    bool stripe = ((pixel.x + pixel.y) & 15) < 5;
    vec3 lets = stripe ? vec3(0.19, 0.48, 0.55) : vec3(0.08, 0.2, 0.24);
    shown = mix(vec3(0.3), lets, step(0.5, root.r)) * shape(n);
#endif
#ifdef SHADOW_GRAIN
    float depth = texelFetch(g_depth, pixel, 0).r;
    vec3 position = eye + v_ray * depth;
    float width = texel_width(position, depth);
    // A step a stop: 1 to 512 texels a metre.
    int last = textureSize(ramp, 0).x - 1;
    int step_number = clamp(last - int(floor(log2(1.0 / max(width, 1e-6)) + 0.5)), 0, last);
    vec3 tone = texelFetch(ramp, ivec2(step_number, 0), 0).rgb;
    shown = tone * tone * shape(n) * board(position, max(width, 1e-6));
    bool blocky = width > 3.0 * pixel_angle * depth;
    if (blocky && ((pixel.x + pixel.y) & 7) < 2) shown *= 0.25;
    if (width == 0.0) shown = vec3(0.03) * shape(n);
#endif
    out_colour = vec4(shown, 1.0);
}
