#version 430 core
// Stars as points, at the far end.

uniform mat3 star_turn;        // equatorial directions to the level
uniform mat3 to_camera;        // rows right, up, back
uniform vec2 tangents;
uniform vec2 jitter;
uniform float star_exposure;   // illuminance [lx] to pre-exposed luminance of one pixel
uniform vec2 twinkle;          // strength; phase
uniform float white;           // pre-exposed luminance that the picture shows as white
#ifdef CLOUD
#include "cloud.glsl"
#endif

in vec3 in_place;
in vec3 in_light;              // lx
out vec3 v_light;
out float v_size;              // of the glare, in pixels; 1 for all that burn nothing

void main() {
    vec3 d = star_turn * in_place;
    vec3 local = to_camera * d;
    gl_Position = vec4(local.xy / tangents + jitter * -local.z, -local.z, -local.z);
    // Clear air takes a fifth of the light straight up; source as in physics/sky_air.py.
    float mass = 1.0 / (max(d.y, 0.0) + 0.025);
    v_light = in_light * star_exposure * exp(-0.2 * mass) * step(0.0, d.y);
    // Each star at a rate of its own; the more air, the more it flickers.
    float own = fract(float(gl_VertexID) * 0.6180339887);
    float wave = sin(6.2831853 * (own * 17.0 + twinkle.y * (0.7 + 0.6 * own)));
    v_light *= 1.0 + twinkle.x * wave * clamp(0.12 * mass, 0.1, 0.9);
#ifdef CLOUD
    v_light *= 1.0 - cloud_hidden(d);
#endif
    // Out to where the glare is a fiftieth of white: see stars.frag.glsl.
    float over = dot(v_light, vec3(0.2126, 0.7152, 0.0722)) / white;
    v_size = over < 4.0 ? 1.0 : clamp(1.0 + 1.2 * (pow(over * 66.0, 0.2) - 1.0), 1.0, 9.0);
    gl_PointSize = v_size;
}
