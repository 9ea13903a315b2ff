#version 430 core
// What each pixel's surface is: colour, normal, roughness, metal, glow, distance.

#include "material.glsl"
#include "base.glsl"
#include "packing.glsl"

uniform sampler2D metal_rough_map;
uniform sampler2D normal_map;
uniform sampler2D occlusion_map;
uniform sampler2D emissive_map;

in vec3 v_normal;
in vec4 v_tangent;
in float v_depth;

layout(location = 0) out vec4 out_base;     // square root of the base colour; occlusion
layout(location = 1) out vec4 out_normal;    // in two numbers; variance of bumps too small to be seen
layout(location = 2) out vec4 out_surface;  // roughness, metal, unlit, what its glow follows
layout(location = 3) out vec3 out_glow;
layout(location = 4) out float out_depth;

#ifdef VEIL
// What is seen through lies in layers, from the nearest on. Source: Everitt 2001, "Interactive
// Order-Independent Transparency".
#include "pixel.glsl"
#include "through.glsl"
uniform sampler2D solid_depth;   // distance of what is not seen through; 0 where nothing is
uniform sampler2D layer_before;  // of the layer before this one
uniform int layer;
layout(location = 5) out vec4 out_through;  // what goes through by channel; how much is covered

bool not_of_this_layer() {
    ivec2 pixel = ivec2(gl_FragCoord.xy);
    float solid = texelFetch(solid_depth, pixel, 0).r;
    float before = layer > 0 ? texelFetch(layer_before, pixel, 0).r : 0.0;
    bool hidden = solid > 0.0 && v_depth >= solid;
    return hidden || (layer > 0 && (before <= 0.0 || v_depth <= before * 1.000001));
}
#endif

void main() {
    vec4 base = base_colour();
#ifdef MASK
    if (base.a < material.glow_cutoff.w) discard;
#endif
#ifdef VEIL
    if (not_of_this_layer()) discard;
#endif
    vec3 n = normalize(v_normal);
    float bumps = 0.0;
#ifdef NORMAL_MAP
    vec3 bump = texture(normal_map, texture_place(2, v_uv)).xyz * 2.0 - 1.0;
    bumps = 0.5 * max(1.0 - dot(bump, bump), 0.0) * material.factors.z * material.factors.z;
    bump.xy *= material.factors.z;
    vec3 t = normalize(v_tangent.xyz);
    vec3 b = cross(n, t) * v_tangent.w;
    n = normalize(t * bump.x + b * bump.y + n * bump.z);
#endif
#ifdef DOUBLE_SIDED
    n = gl_FrontFacing ? n : -n;
#endif
    float rough = material.factors.y;
    float metal = material.factors.x;
#ifdef METAL_ROUGH_MAP
    vec4 mr = texture(metal_rough_map, texture_place(1, v_uv));
    rough *= mr.g;
    metal *= mr.b;
#endif
    float occlusion = 1.0;
#ifdef OCCLUSION_MAP
    float ao = texture(occlusion_map, texture_place(3, v_uv)).r;
    occlusion = 1.0 + material.factors.w * (ao - 1.0);
#endif
    vec3 glow = material.glow_cutoff.rgb;
#ifdef EMISSIVE_MAP
    glow *= texture(emissive_map, texture_place(4, v_uv)).rgb;
#endif
#ifdef CASTERS
    base.rgb = vec3(material.kind.z > 0.5 ? 0.0 : 1.0);
#endif
#ifdef VEIL
    float n_v = abs(dot(n, normalize(view_ray())));
    out_through = vec4(goes_through(base, n_v), covered(base));
    base.rgb *= 1.0 - material.kind.w;
#endif
    out_base = vec4(sqrt(base.rgb), occlusion);
    out_normal = vec4(oct_encode(n), min(bumps, 0.25), 0.0);
    out_surface = vec4(rough, metal, material.kind.x, material.kind.y);
    out_glow = glow;
    out_depth = v_depth;
}
