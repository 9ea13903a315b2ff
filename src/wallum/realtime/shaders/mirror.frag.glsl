#version 430 core
// The sky as a square of all directions (an octahedron unfolded, the zenith in its middle), to
// be blurred by halving: what smooth and rough surfaces mirror.

#include "octahedron.glsl"
#ifdef CLOUD
#include "cloud.glsl"
#endif
uniform sampler2D dome;
uniform vec3 far_ground;       // cd/m2 over dome_scale
uniform float dome_scale;

in vec2 v_uv;
out vec4 out_colour;

void main() {
    vec3 d = octahedron_direction(v_uv);
    float across = atan(d.x, -d.z) * (0.5 / 3.14159265);
    float elevation = asin(clamp(d.y, 0.0, 1.0)) * (2.0 / 3.14159265);
    vec3 sky = textureLod(dome, vec2(across, sqrt(elevation)), 0.0).rgb * dome_scale;
#ifdef CLOUD
    sky = before_sky(d, sky);
#endif
    out_colour = vec4(mix(far_ground * dome_scale, sky, smoothstep(-0.05, 0.04, d.y)), 1.0);
}
