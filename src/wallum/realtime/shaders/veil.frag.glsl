#version 430 core
// A layer of what is seen through, laid over what lies behind it. Variants: KEEP (what it leaves of
// that, to be multiplied with it), else its own light, to be added; AIR, SUN and SKY as in lighting.frag.glsl.

#include "pixel.glsl"
uniform sampler2D through;       // what goes through by channel; how much is covered
uniform sampler2D lit;           // light of the layer, air before it included
#ifdef AIR
uniform sampler2D g_depth;
uniform vec3 eye;
uniform vec3 sun_direction;
uniform vec3 sun_illuminance;    // pre-exposed
#ifdef SKY
#include "sky.glsl"
#endif
#include "air.glsl"
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
    // Air before the layer counts whole, whatever share of the layer and of what lies behind it is seen.
    vec3 ray = view_ray();
    float depth = texture(g_depth, at).r;
    float inverse = inversesqrt(dot(ray, ray));
    float clear = exp(-air_depth(ray.y * depth, depth / inverse));
    light += air_source(ray * inverse) * (1.0 - clear) * (1.0 - kept.a - kept.rgb);
#endif
    out_colour = vec4(light, 1.0);
#endif
}
