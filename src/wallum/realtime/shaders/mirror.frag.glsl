#version 430 core
// The sky as a square of all directions (an octahedron unfolded, the zenith in its middle), to
// be blurred by halving: what smooth and rough surfaces mirror.

#include "octahedron.glsl"
#ifdef CLOUD
#include "cloud.glsl"
#endif
#include "sky_behind.glsl"
uniform vec3 far_ground;       // in the scale of the mirror image

in vec2 v_uv;
out vec4 out_colour;

void main() {
    vec3 d = octahedron_direction(v_uv);
    vec3 sky = sky_behind(d);
#ifdef CLOUD
    sky = before_sky(d, sky);
#endif
    out_colour = vec4(mix(far_ground, sky, smoothstep(-0.05, 0.04, d.y)), 1.0);
}
