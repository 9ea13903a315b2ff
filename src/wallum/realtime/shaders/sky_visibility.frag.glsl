#version 430 core
// How much of the sky each surface sees, from the grid of probes around it: the share of an
// even sky's light that falls on it, the share of its mirror image, and where on the whole the
// light comes from. Twin of transport/sky_grid.py `SkyGrid.at` and `SkyGrid.seen`.

#include "packing.glsl"
uniform sampler2D g_normal;
uniform sampler2D g_depth;
uniform sampler3D probes;      // shares seen toward +x, -x, +y, -y; below 0: no probe
uniform sampler3D probes_z;    // toward +z, -z
uniform vec3 grid_low;         // place of the first probe
uniform vec3 grid_step;        // m
uniform vec3 eye;

in vec3 v_ray;
out vec4 out_open;

// What a direction sees of six shares: three of them, by its squares.
float seen(vec3 d, vec3 plus, vec3 minus) {
    vec3 facing = mix(minus, plus, vec3(greaterThan(d, vec3(0.0))));
    return clamp(dot(facing, d * d), 0.0, 1.0);
}

void main() {
    ivec2 pixel = ivec2(gl_FragCoord.xy);
    float depth = texelFetch(g_depth, pixel, 0).r;
    vec3 n = oct_decode(texelFetch(g_normal, pixel, 0).rg);
    vec3 p = eye + v_ray * depth;
    ivec3 last = textureSize(probes, 0) - 1;
    vec3 at = clamp((p + n * (0.3 * grid_step) - grid_low) / grid_step, vec3(0.0), vec3(last));
    ivec3 first = min(ivec3(at), last - 1);
    vec3 f = at - vec3(first);
    vec4 xy = vec4(0.0);
    vec2 z = vec2(0.0);
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
        xy += probe * w;
        z += texelFetch(probes_z, cell, 0).rg * w;
        total += w;
    }
    float over = total > 0.0 ? 1.0 / total : 0.0;
    // Away from the grid all is open.
    vec3 beyond = max(grid_low - p, p - (grid_low + vec3(last) * grid_step)) / grid_step;
    float away = clamp(max(max(beyond.x, beyond.y), beyond.z), 0.0, 1.0);
    vec3 plus = mix(vec3(xy.x, xy.z, z.x) * over, vec3(1.0), away);
    vec3 minus = mix(vec3(xy.y, xy.w, z.y) * over, vec3(1.0), away);
    vec3 mirrored = reflect(normalize(v_ray), n);
    float mean = dot(plus + minus, vec3(1.0 / 6.0));
    vec3 toward = normalize(n * (mean + 0.02) + 0.5 * (plus - minus));
    out_open = vec4(seen(n, plus, minus), seen(mirrored, plus, minus), oct_encode(toward));
}
