#version 430 core
// A layer of what is seen through, laid over what lies behind it. Variants: KEEP (what it leaves of
// that, to be multiplied with it), else its own light, to be added; AIR, and with it SUN, SKY, MIST and
// SHAFTS as in include/air_light.glsl.

#include "pixel.glsl"
uniform sampler2D through;       // what goes through by channel; how much is covered
uniform sampler2D lit;           // light of the layer
#ifdef AIR
uniform sampler2D g_depth;
uniform vec3 eye;
uniform vec3 sun_direction;
uniform vec3 sun_illuminance;    // pre-exposed
#ifdef SKY
#include "sky.glsl"
#endif
uniform vec2 air_fakes;          // clear up to this distance [m]; most that it hides
#include "air.glsl"
#ifdef SHAFTS
#include "air_near.glsl"
#endif
#include "air_light.glsl"
#endif

out vec4 out_colour;

void main() {
    vec2 at = here();
    vec4 kept = texture(through, at);
#ifdef KEEP
    out_colour = vec4(kept.rgb, 1.0);
#else
    vec3 light = texture(lit, at).rgb * kept.a;
#ifdef AIR
    // Air before the layer counts whole; what lies behind brings its own, the same air in it.
    vec3 ray = view_ray();
    float depth = texture(g_depth, at).r;
    float inverse = inversesqrt(dot(ray, ray));
    vec3 left;
    vec3 added;
    air_before(at, ray * inverse, depth, depth / inverse, left, added);
    light = light * left + added * (1.0 - kept.rgb);
#endif
    out_colour = vec4(light, 1.0);
#endif
}
