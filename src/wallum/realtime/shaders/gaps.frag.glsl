#version 430 core
// What share of even light from all around gets to each surface past what lies within `reach` of it in the
// picture. By planes through the eye: in each, how high what lies to both sides stands, and what of the cosine
// that leaves (Jimenez et al. 2016). `behind`: what lies farther before a surface than that darkens it not.

#include "packing.glsl"
#include "pixel.glsl"
uniform sampler2D g_normal;
uniform sampler2D g_depth;
uniform vec3 right_axis;
uniform vec3 up_axis;
uniform float pixels_at_1;     // that 1 m takes at a depth of 1 m
uniform float reach;           // m
uniform float behind;          // m
uniform int planes;
uniform int part;              // one place of so many each way is looked at

in vec3 v_ray;
out float out_found;

const float PI = 3.14159265;
const int STEPS = 6;
// Surfaces that rise by less than this over a surface's own plane are it.
const float LEAST_RISE = 0.03;

float arc(float h, float gamma) {
    return 0.25 * (cos(gamma) + 2.0 * h * sin(gamma) - cos(2.0 * h - gamma));
}

// Cosine to the eye of the highest that stands to one side.
float horizon(vec2 own, vec2 along, float pixels, vec3 p, vec3 n, vec3 v, float least, float shift) {
    float best = least;
    for (int k = 0; k < STEPS; ++k) {
        float t = (float(k) + shift) / float(STEPS);
        vec2 place = floor(own + along * (pixels * t * t + 1.0)) + 0.5;
        vec2 other = place * pixel_size;
        if (any(lessThan(other, vec2(0.0))) || any(greaterThan(other, vec2(1.0)))) {
            break;
        }
        float depth = texture(g_depth, other).r;
        vec3 way = (ray_first + place.x * ray_right + place.y * ray_up) * depth - p;
        float far = length(way);
        float toward = dot(way, v);
        if (depth > 0.0 && far < reach && toward < behind && dot(way, n) > LEAST_RISE * far) {
            best = max(best, toward / far);
        }
    }
    return best;
}

void main() {
    vec2 place = floor(gl_FragCoord.xy) * float(part) + 0.5;
    vec2 at = place * pixel_size;
    float depth = texture(g_depth, at).r;
    vec3 n = oct_decode(texture(g_normal, at).rg);
    vec3 p = (ray_first + place.x * ray_right + place.y * ray_up) * depth;
    vec3 v = -normalize(p);
    float pixels = reach * pixels_at_1 / max(depth, 1e-4);
    if (depth <= 0.0 || pixels < 1.0) {
        out_found = 1.0;
        return;
    }
    // 16 places that lie beside each other look at other planes and at other distances.
    ivec2 own = ivec2(gl_FragCoord.xy) & 3;
    float turned = (float((own.x * 4 + own.y * 9) & 15) + 0.5) / 16.0;
    float shift = (float((own.x * 7 + own.y * 12) & 15) + 0.5) / 16.0;
    float open = 0.0;
    float whole = 0.0;
    for (int plane = 0; plane < planes; ++plane) {
        float phi = (float(plane) + turned) * PI / float(planes);
        vec2 along = vec2(cos(phi), sin(phi));
        vec3 across = along.x * right_axis + along.y * up_axis;
        across = normalize(across - v * dot(across, v));
        vec3 axis = cross(across, v);
        vec3 in_plane = n - axis * dot(n, axis);
        float size = length(in_plane);
        float gamma = sign(dot(in_plane, across)) * acos(clamp(dot(in_plane, v) / max(size, 1e-5), -1.0, 1.0));
        float low = max(gamma - 0.5 * PI, -PI);
        float high = min(gamma + 0.5 * PI, PI);
        float left = -acos(horizon(place, -along, pixels, p, n, v, cos(low), shift));
        float right = acos(horizon(place, along, pixels, p, n, v, cos(high), shift));
        open += size * (arc(max(left, low), gamma) + arc(min(right, high), gamma));
        whole += size * (arc(low, gamma) + arc(high, gamma));
    }
    out_found = clamp(open / max(whole, 1e-4), 0.0, 1.0);
}
