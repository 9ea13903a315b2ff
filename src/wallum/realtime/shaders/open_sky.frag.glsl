#version 430 core
// How much of the sky each surface sees, by direction, from the grid of probes around it.
// Twin of transport/sky_grid.py `SkyGrid.at`.

#include "packing.glsl"
uniform sampler2D g_normal;
uniform sampler2D g_depth;
uniform sampler3D probes;      // mean, and order 1 by x, y, z; a mean below 0 is no probe
uniform vec3 grid_low;         // place of the first probe
uniform vec3 grid_step;        // m
uniform vec3 eye;

in vec3 v_ray;
out vec4 out_open;

void main() {
    ivec2 pixel = ivec2(gl_FragCoord.xy);
    float depth = texelFetch(g_depth, pixel, 0).r;
    vec3 n = oct_decode(texelFetch(g_normal, pixel, 0).rg);
    vec3 p = eye + v_ray * depth;
    ivec3 last = textureSize(probes, 0) - 1;
    vec3 at = clamp((p + n * (0.3 * grid_step) - grid_low) / grid_step, vec3(0.0), vec3(last));
    ivec3 first = min(ivec3(at), last - 1);
    vec3 f = at - vec3(first);
    vec4 sum = vec4(0.0);
    float total = 0.0;
    for (int i = 0; i < 8; ++i) {
        ivec3 corner = ivec3(i & 1, (i >> 1) & 1, i >> 2);
        ivec3 cell = first + corner;
        vec4 probe = texelFetch(probes, cell, 0);
        vec3 side = mix(1.0 - f, f, vec3(corner));
        // A probe behind the surface is on the wrong side of a wall.
        vec3 way = grid_low + vec3(cell) * grid_step - p;
        float facing = max(dot(way, n) * inversesqrt(dot(way, way) + 1e-6) * 0.5 + 0.5, 0.0);
        float w = (side.x * side.y * side.z + 1e-4) * (facing * facing + 1e-3) * step(0.0, probe.x);
        sum += probe * w;
        total += w;
    }
    vec4 open = total > 0.0 ? sum / total : vec4(0.0);
    // Away from the grid all is open.
    vec3 beyond = max(grid_low - p, p - (grid_low + vec3(last) * grid_step)) / grid_step;
    float away = clamp(max(max(beyond.x, beyond.y), beyond.z), 0.0, 1.0);
    out_open = mix(open, vec4(1.0, 0.0, 0.0, 0.0), away);
}
