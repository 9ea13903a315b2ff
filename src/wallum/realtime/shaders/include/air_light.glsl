// What the air shows and what it leaves of light on its way to the eye. With SHAFTS it is lit place by
// place up to a depth (air_sum.comp.glsl); beyond, and without, alike all along. More variants: MIST; CLEAR, where
// none is seen up to a distance; TINTED, where it swallows more of one channel; NEAR, where all
// that is seen lies in the volume; STRAIGHT, a fog
// that no air makes, instead of all that. Twin of transport/paths/air_between.py.

#ifdef SHAFTS
#ifdef POCKETS
uniform sampler3D air_pockets; // what pockets leave of light from there

float pockets_leave(vec2 at, float depth) {
    return textureLod(air_pockets, air_near_at(at, depth), 0.0).r;
}
#endif
#endif

// Luminance of air of a layer too thick to see through, toward a unit direction.
vec3 air_source(int layer, vec3 d) {
    vec3 sum = vec3(0.0);
#ifdef SUN
    sum += sun_illuminance * air_shares.x * air_phase(air_lobe[layer], dot(d, sun_direction));
#endif
#ifdef SKY
    sum += sky_scattered(d, air_eye[layer].w) * air_shares.y;
#endif
    return air_scatter[layer] * sum + air_own[layer];
}

// Optical depth of a layer to a distance, of what is not clear.
float air_seen_depth(int layer, float rise, float distance_m) {
    float depth = air_depth(air_layer[layer], air_eye[layer], rise * distance_m, distance_m);
#ifdef CLEAR
    float clear = min(air_fakes.x, distance_m);
    depth -= air_depth(air_layer[layer], air_eye[layer], rise * clear, clear);
#endif
    return depth;
}

// What is left of light at a distance; `source`: the luminance that air lit alike would have behind which
// nothing is seen, of the layers by their parts.
vec3 air_left(vec3 d, float distance_m, out vec3 source) {
    float depth = air_seen_depth(0, d.y, distance_m);
    source = air_source(0, d);
    vec3 all = air_thick[0] * depth;
#ifdef MIST
    vec3 more = air_thick[1] * air_seen_depth(1, d.y, distance_m);
    source = source * all + air_source(1, d) * more;
    all += more;
    source /= max(all, vec3(1e-20));
#endif
#ifdef TINTED
    return exp(-all);
#else
    return vec3(exp(-all.y));
#endif
}

#ifdef STRAIGHT
uniform vec4 straight_fog;     // start [m], 1 / (end - start), end [m], strength
uniform vec2 straight_top;     // height of its top [m], 1 / climb in which it ends
uniform vec3 straight_colour;
#endif

// The same of all air before a place of the picture, and what it adds: `depth` along the view, `distance_m`
// along the ray.
void air_before(vec2 at, vec3 d, float depth, float distance_m, out vec3 left, out vec3 light) {
#ifdef STRAIGHT
    float way = min(distance_m, straight_fog.z);
    float hidden = straight_fog.w * clamp((way - straight_fog.x) * straight_fog.y, 0.0, 1.0)
        * clamp(1.0 - (eye.y + d.y * way - straight_top.x) * straight_top.y, 0.0, 1.0);
    left = vec3(1.0 - hidden);
#ifdef SKY
    light = straight_colour * sky_scattered(normalize(vec3(d.x, 0.05, d.z)), 0.9) * hidden;
#else
    light = vec3(0.0);
#endif
#else
#ifdef NEAR
    // All of it lies in the volume, which knows what is left of light, pockets and all.
    vec4 near = air_near(at, depth);
    light = near.rgb;
    left = vec3(near.a);
#else
    vec3 source;
    left = air_left(d, distance_m, source);
#ifdef SHAFTS
    float share = depth * air_place.z;
    vec4 near = air_near(at, depth);
    light = near.rgb + source * (max(near.a - left, 0.0) * step(1.0, share));
#ifdef POCKETS
    left *= pockets_leave(at, depth);
#endif
#else
    light = source * (1.0 - left);
#endif
#endif
    left = 1.0 - air_fakes.y * (1.0 - left);
    light *= air_fakes.y;
#endif
}
