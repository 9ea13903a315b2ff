#version 430 core
// What a sheet of a card or a veil shows, and what it leaves of what lies behind. Twin of physics/card.py,
// where it is explained.

#include "pixel.glsl"
uniform vec3 eye;
uniform sampler2D g_depth;
uniform sampler3D pocket_noise;

in vec3 v_place;
flat in vec4 v_start;
flat in vec4 v_along;
flat in vec4 v_across;
flat in vec4 v_light;
flat in vec4 v_even;
flat in vec4 v_toward;
flat in vec4 v_shown;
flat in vec4 v_fades;
flat in float v_grain;

out vec4 out_colour;

const float LONGEST = 4.0;
const vec2 ALONG = vec2(0.05, 0.25);
const float ENDS_OVER = 0.3;
const float STARTS_OVER = 0.12;

float smooth_to(float x) {
    float t = clamp(x, 0.0, 1.0);
    return t * t * (3.0 - 2.0 * t);
}

float of_beam(vec3 d, vec3 normal, float u, float v, float width) {
    float length_m = length(v_along.xyz);
    float c = dot(d, v_along.xyz) / length_m;
    float sine = sqrt(max(1.0 - c * c, 1e-12));
    float turned = min(abs(dot(d, normal)) / sine, 1.0);
    float shown = turned * turned * min(1.0 / sine, LONGEST) * smooth_to((sine - ALONG.x) / (ALONG.y - ALONG.x));
    float away = v_shown.y + v * length_m;
    float ratio = away * v_shown.z;
    float window = clamp(1.0 - ratio * ratio * ratio * ratio, 0.0, 1.0);
    float sides = max(1.0 - u * u, 0.0);
    return shown * v_shown.x * width / max(away * away, 1e-6) * window * window * sides * sqrt(sides);
}

float of_opening(vec3 d, vec3 normal, float u) {
    float facing = abs(dot(d, normal));
    float other = dot(d, v_even.xyz);
    float counts = facing * facing / max(facing * facing + other * other, 1e-12);
    return v_shown.x * min(1.0 / max(facing, 1e-6), LONGEST) * counts * smooth_to(facing / ALONG.y)
        * smooth_to((1.0 - abs(u)) / v_even.w);
}

void main() {
    vec3 way = v_place - eye;
    vec3 d = normalize(way);
    vec3 normal = normalize(cross(v_along.xyz, v_across.xyz));
    vec3 q = v_place - v_start.xyz;
    float aslant = dot(v_along.xyz, v_across.xyz);
    float v = dot(q, v_along.xyz - v_across.xyz * aslant) / (dot(v_along.xyz, v_along.xyz) - aslant * aslant);
    float width = mix(v_start.w, v_along.w, v);
    float u = (dot(q, v_across.xyz) - v * aslant) / max(width, 1e-6);
    float depth = 1.0 / gl_FragCoord.w;
    float surface = texture(g_depth, here()).r;
    float much = clamp(depth * v_fades.y, 0.0, 1.0);
    much *= surface > 0.0 ? clamp((surface - depth) * v_fades.x, 0.0, 1.0) : 1.0;
    if (much <= 0.0) {
        discard;
    }
    if (v_shown.w > 0.0) {
        vec3 at = v_place - vec3(v_fades.z, 0.0, v_fades.w);
        float noise = textureLod(pocket_noise, at * (v_grain * (1.0 / 64.0)), 0.0).r;
        much *= max(1.0 + v_shown.w * 3.0 * (noise - 0.5), 0.0);
    }
    float g = v_toward.w;
    float inverse = inversesqrt(max(1.0 + g * g + 2.0 * g * dot(d, v_toward.xyz), 1e-4));
    float phase = (1.0 - g * g) * (0.25 / 3.14159265) * inverse * inverse * inverse;
    if (v_across.w > 1.5) {
        much *= smooth_to((1.0 - abs(u)) / v_even.w) * smooth_to(min(v, 1.0 - v) * 2.0 / v_even.w);
        much = min(much * v_light.w, 1.0);
        out_colour = vec4((v_light.rgb * phase + v_even.rgb) * much, much);
        return;
    }
    much *= smooth_to((1.0 - v) / ENDS_OVER);
    much *= v_across.w > 0.5 ? of_opening(d, normal, u) * smooth_to(v / STARTS_OVER) : of_beam(d, normal, u, v, width);
    out_colour = vec4(min(v_light.rgb * (phase * much), 60000.0), 0.0);
}
