// The air that fills the level: one layer, or with MIST two that add up, each thinning out upward.
// Twin of physics/medium.py, where the source is given.

uniform vec4 air_layer[2];   // extinction [1/m], 1 / scale height, base height [m], scale height
uniform vec4 air_eye[2];     // at the eye: height over base, column up to it, density; forwardness
uniform vec3 air_lobe[2];    // of the phase function: 1 + g^2, 2 g, (1 - g^2) / 4 pi
uniform vec3 air_thick[2];   // extinction by channel, over air_layer.x
uniform vec3 air_scatter[2]; // share of what is taken that is scattered, by channel
uniform vec3 air_own[2];     // luminance of its own light where it is too thick to see through, pre-exposed
uniform vec2 air_shares;     // how strongly the air shows sun and sky; 1 is true
uniform float air_mass;      // way of far light through all air, over that straight up

const float AIR_END_M = 2e5;

// Optical depth of a layer from the eye along a way that rises by `climb` over `distance_m`.
float air_depth(vec4 layer, vec4 at_eye, float climb, float distance_m) {
    float y = at_eye.x + climb;
    // Density summed from the base height up to the end, over the base's.
    float column = y < 0.0 ? y : layer.w - layer.w * exp(-y * layer.y);
    float mean = abs(climb) < 0.1 ? at_eye.z : (column - at_eye.y) / climb;
    return layer.x * distance_m * mean;
}

// Henyey-Greenstein phase function [1/sr].
float air_phase(vec3 lobe, float cosine) {
    float inverse = inversesqrt(max(lobe.x - lobe.y * cosine, 1e-4));
    return lobe.z * inverse * inverse * inverse;
}

// Extinction of a layer at a height [1/m].
float air_density(vec4 layer, float y) {
    return layer.x * exp(-max(y - layer.z, 0.0) * layer.y);
}

// Density of a layer summed from its base height up to a height, over the base's [m].
float air_column(vec4 layer, float y) {
    float over = y - layer.z;
    return over < 0.0 ? over : layer.w - layer.w * exp(-over * layer.y);
}

// Share of a far light that comes down to a height, over that which comes to base height.
vec3 air_from_far(float y) {
    vec3 depth = air_thick[0] * (air_layer[0].x * air_column(air_layer[0], y));
#ifdef MIST
    depth += air_thick[1] * (air_layer[1].x * air_column(air_layer[1], y));
#endif
    return exp(min(depth * air_mass, 20.0));
}

// What is left of light between two places.
vec3 air_between(vec3 from, vec3 to) {
    float climb = to.y - from.y;
    float distance_m = length(to - from);
    bool flat_way = abs(climb) < 0.1;
    float over = 1.0 / (flat_way ? 1.0 : climb);
    float mean = (air_column(air_layer[0], to.y) - air_column(air_layer[0], from.y)) * over * air_layer[0].x;
    vec3 depth = air_thick[0] * (flat_way ? air_density(air_layer[0], to.y) : mean);
#ifdef MIST
    mean = (air_column(air_layer[1], to.y) - air_column(air_layer[1], from.y)) * over * air_layer[1].x;
    depth += air_thick[1] * (flat_way ? air_density(air_layer[1], to.y) : mean);
#endif
    return exp(-depth * distance_m);
}
