#version 430 core
// Sums up, along each column of the air's volume, what comes to the eye: a texel holds what has come together
// up to where its slice begins, and what is left of light from there. Each slice in closed form, so that nothing
// is lost or won however thick it is (Hillaire 2015). Variants: POCKETS; MIST; TINTED, where it swallows more of one channel;
// WAS: places were lit in air of another thickness, by which what they scatter is multiplied.

layout(local_size_x = 8, local_size_y = 4) in;
layout(rgba16f, binding = 0) writeonly uniform image3D volume;
#ifdef POCKETS
layout(r16f, binding = 1) writeonly uniform image3D through_pockets;   // what they leave of light
#endif
uniform sampler2D slices;       // see air_lit.frag.glsl
uniform sampler2D farthest;     // see air_depth.frag.glsl
uniform vec3 eye;
uniform vec3 ray_first;
uniform vec3 ray_right;
uniform vec3 ray_up;
uniform ivec4 air_cells;
uniform vec2 air_steps;
uniform vec2 air_fakes;         // clear up to this distance [m]; most that it hides
#include "air.glsl"
#ifdef WAS
uniform vec4 was_layer[2];      // as air_layer
uniform vec3 was_scattered[2];  // what was scattered, over was_layer.x
#endif

uniform float air_spread;       // share that the columns beside have in each; none while a picture settles

// Light of a place, with what columns beside it have, as far as they reach so deep: few lookups make
// many soft shafts coarse.
vec4 spread(ivec2 low, ivec2 column, ivec4 beside, bvec4 deep) {
    vec4 own = texelFetch(slices, low + column, 0);
    vec4 sum = deep.x ? texelFetch(slices, low + ivec2(beside.x, column.y), 0) : own;
    sum += deep.y ? texelFetch(slices, low + ivec2(beside.y, column.y), 0) : own;
    sum += deep.z ? texelFetch(slices, low + ivec2(column.x, beside.z), 0) : own;
    sum += deep.w ? texelFetch(slices, low + ivec2(column.x, beside.w), 0) : own;
    return mix(own, 0.25 * sum, air_spread);
}

#ifdef WAS
vec3 scattered_now(float y) {
    vec3 sum = air_thick[0] * air_scatter[0] * air_density(air_layer[0], y);
#ifdef MIST
    sum += air_thick[1] * air_scatter[1] * air_density(air_layer[1], y);
#endif
    return sum;
}

vec3 scattered_then(float y) {
    vec3 sum = was_scattered[0] * air_density(was_layer[0], y);
#ifdef MIST
    sum += was_scattered[1] * air_density(was_layer[1], y);
#endif
    return sum;
}
#endif

void main() {
    ivec2 column = ivec2(gl_GlobalInvocationID.xy);
    if (column.x >= air_cells.x || column.y >= air_cells.y) {
        return;
    }
    vec3 ray = ray_first + (float(column.x) + 0.5) * ray_right + (float(column.y) + 0.5) * ray_up;
    float longer = length(ray);
    float over = air_steps.x / float((air_cells.z - 1) * (air_cells.z - 1));
    vec3 light = vec3(0.0);
    vec3 left = vec3(1.0);
    float through = 1.0;
    float start = 0.0;
    float far = texelFetch(farthest, column, 0).r;
    vec4 here = vec4(0.0);
    ivec4 beside = ivec4(max(column.x - 1, 0), min(column.x + 1, air_cells.x - 1),
                         max(column.y - 1, 0), min(column.y + 1, air_cells.y - 1));
    vec4 far_beside = vec4(texelFetch(farthest, ivec2(beside.x, column.y), 0).r,
                           texelFetch(farthest, ivec2(beside.y, column.y), 0).r,
                           texelFetch(farthest, ivec2(column.x, beside.z), 0).r,
                           texelFetch(farthest, ivec2(column.x, beside.w), 0).r);
    // Pixels between columns look into those beside: as far as any about it is seen into, and a slice more.
    float needed = max(far, max(max(far_beside.x, far_beside.y), max(far_beside.z, far_beside.w)));
    needed = max(needed, max(max(texelFetch(farthest, beside.xz, 0).r, texelFetch(farthest, beside.yz, 0).r),
                             max(texelFetch(farthest, beside.xw, 0).r, texelFetch(farthest, beside.yw, 0).r)));
    int last = int(ceil(sqrt(needed / over))) + 2;
    for (int slice = 0; slice < min(air_cells.z, last); ++slice) {
        imageStore(volume, ivec3(column, slice), vec4(light, left.g));
#ifdef POCKETS
        imageStore(through_pockets, ivec3(column, slice), vec4(through));
#endif
        float end = over * float((slice + 1) * (slice + 1));
        float way = max(end * longer - max(start * longer, air_fakes.x), 0.0);
        float y = eye.y + ray.y * 0.5 * (start + end);
        vec3 taken = air_thick[0] * air_density(air_layer[0], y);
#ifdef MIST
        taken += air_thick[1] * air_density(air_layer[1], y);
#endif
        ivec2 tile = ivec2(slice % air_cells.w, slice / air_cells.w);
        // Behind what is seen the air goes on as it was: columns beside may look past it.
        if (start < far && slice < air_cells.z - 1) {
            here = spread(tile * air_cells.xy, column, beside, lessThan(vec4(start), far_beside));
        }
#ifdef POCKETS
        taken += here.a;
        through *= exp(-here.a * way);
#endif
#ifdef TINTED
        vec3 kept = exp(-taken * way);
#else
        vec3 kept = vec3(exp(-taken.g * way));
#endif
        vec3 thin = vec3(lessThan(taken * way, vec3(1e-4)));
        vec3 lit = here.rgb;
#ifdef WAS
        lit *= (scattered_now(y) + here.a) / max(scattered_then(y) + here.a, vec3(1e-9));
#endif
        light += left * lit * mix((1.0 - kept) / max(taken, vec3(1e-12)), vec3(way), thin);
        left *= kept;
        start = end;
    }
    // A gap that no sample of the column met: the air ends there.
    for (int slice = min(air_cells.z, last); slice < air_cells.z; ++slice) {
        imageStore(volume, ivec3(column, slice), vec4(light, left.g));
#ifdef POCKETS
        imageStore(through_pockets, ivec3(column, slice), vec4(through));
#endif
    }
}
