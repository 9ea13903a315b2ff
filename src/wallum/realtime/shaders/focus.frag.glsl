#version 430 core
// Depth of field. Twin of physics/focus.py, where it is said how, and by what.
// Variants: HALVED (light and radius at half the size), TILES (how far near things reach), GATHERED, and over the
// sharp picture where none of these.

#ifdef TILES
uniform sampler2D halved;
uniform int tile;
#else
#ifdef GATHERED
uniform sampler2D halved;
uniform sampler2D tiles;
uniform int tile;
const int POINTS = 36;
uniform vec2 spiral[36];
#else
uniform sampler2D picture;
uniform sampler2D depths;
uniform float strength;        // radius of what is endlessly far [pixels of the height]
uniform float focus_at;        // [m]
uniform vec2 sides;            // lowest and highest radius [pixels of the height]
#ifndef HALVED
uniform sampler2D behind;
uniform sampler2D before;      // of what is near, times how much of a pixel it covers
#endif

float radius_at(float depth) {
    float share = depth > 0.0 ? 1.0 - focus_at / max(depth, 1e-6) : 1.0;
    float radius = clamp(strength * share, sides.x, sides.y);
    // A disc no larger than its pixel is sharp.
    return sign(radius) * max(abs(radius) - 0.5, 0.0);
}
#endif
#endif

layout(location = 0) out vec4 out_light;
#ifdef GATHERED
layout(location = 1) out vec4 out_near;
#endif

#ifdef HALVED
void main() {
    ivec2 last = textureSize(picture, 0) - 1;
    ivec2 low = 2 * ivec2(gl_FragCoord.xy);
    vec3 sum = vec3(0.0);
    float nearest = 1e30, radius = radius_at(0.0);
    for (int k = 0; k < 4; ++k) {
        ivec2 at = min(low + ivec2(k & 1, k >> 1), last);
        sum += texelFetch(picture, at, 0).rgb;
        float depth = texelFetch(depths, at, 0).r;
        if (depth > 0.0 && depth < nearest) {
            nearest = depth;
            radius = radius_at(depth);
        }
    }
    out_light = vec4(0.25 * sum, 0.5 * radius);
}
#else
#ifdef TILES
void main() {
    ivec2 low = tile * ivec2(gl_FragCoord.xy), end = min(low + tile, textureSize(halved, 0));
    float most = 0.0;
    for (int y = low.y; y < end.y; ++y)
        for (int x = low.x; x < end.x; ++x) most = max(most, -texelFetch(halved, ivec2(x, y), 0).a);
    out_light = vec4(most);
}
#else
#ifdef GATHERED
void main() {
    ivec2 here = ivec2(gl_FragCoord.xy), last = textureSize(halved, 0) - 1, ends = textureSize(tiles, 0) - 1;
    vec4 own = texelFetch(halved, here, 0);
    float near = 0.0;
    for (int j = -1; j <= 1; ++j)
        for (int i = -1; i <= 1; ++i) {
            ivec2 at = here / tile + ivec2(i, j);
            if (all(greaterThanEqual(at, ivec2(0))) && all(lessThanEqual(at, ends)))
                near = max(near, texelFetch(tiles, at, 0).r);
        }
    float reach = max(max(own.a, 0.0), near);
    float weight = own.a < 0.0 ? 0.0 : 1.0 / max(own.a * own.a, 1.0);
    vec3 behind = own.rgb * weight, front = vec3(0.0);
    float near_weight = 0.0, cover = 0.0;
    for (int k = 0; k < POINTS; ++k) {
        ivec2 at = clamp(ivec2(floor(vec2(here) + spiral[k] * reach + 0.5)), ivec2(0), last);
        vec4 other = texelFetch(halved, at, 0);
        // Beyond what is itself near all that is behind it counts; else what is no sharper than it.
        float radius = other.a < 0.0 ? -other.a : min(other.a, max(own.a, 0.0));
        float there = clamp(radius - reach * length(spiral[k]) + 1.0, 0.0, 1.0);
        if (other.a >= 0.0 && own.a < 0.0) there = 1.0;
        float share = there / max(radius * radius, 1.0);
        if (other.a < 0.0) {
            front += other.rgb * share;
            near_weight += share;
            cover += there;
        } else {
            behind += other.rgb * share;
            weight += share;
        }
    }
    cover = near > 0.0 ? cover / float(POINTS) : 0.0;
    front = near_weight > 0.0 ? front / near_weight : own.rgb;
    if (weight <= 0.0) cover = 1.0;
    out_light = vec4(weight <= 0.0 ? front : behind / weight, 1.0);
    out_near = vec4(front * cover, cover);
}
#else
void main() {
    ivec2 here = ivec2(gl_FragCoord.xy);
    vec3 sharp = texelFetch(picture, here, 0).rgb;
    vec2 at = (vec2(here) + 0.5) / vec2(textureSize(picture, 0));
    float radius = radius_at(texelFetch(depths, here, 0).r);
    float t = clamp(radius, 0.0, 1.0);
    vec3 light = mix(sharp, texture(behind, at).rgb, radius < 0.0 ? 1.0 : t * t * (3.0 - 2.0 * t));
    vec4 near = texture(before, at);
    out_light = vec4(light * (1.0 - near.a) + near.rgb, 1.0);
}
#endif
#endif
#endif
