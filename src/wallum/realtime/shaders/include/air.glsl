// The air that fills the level: one layer, thinning out upward. Twin of physics/medium.py,
// where the source is given.

uniform vec4 air;          // extinction [1/m], 1 / scale height, base height [m], scale height
uniform vec4 air_eye;      // at the eye: height over base, column up to it, density; forwardness
uniform vec4 air_lobe;     // of the phase function: 1 + g^2, 2 g, (1 - g^2) / 4 pi; g, at least 0
uniform vec3 air_albedo;

const float AIR_END_M = 2e5;

// Optical depth from the eye along a way that rises by `climb` over `distance_m`.
float air_depth(float climb, float distance_m) {
    float y = air_eye.x + climb;
    // Density summed from the base height up to the end, over the base's.
    float column = y < 0.0 ? y : air.w - air.w * exp(-y * air.y);
    float mean = abs(climb) < 0.1 ? air_eye.z : (column - air_eye.y) / climb;
    return air.x * distance_m * mean;
}

// Henyey-Greenstein phase function [1/sr].
float air_phase(float cosine) {
    float inverse = inversesqrt(max(air_lobe.x - air_lobe.y * cosine, 1e-4));
    return air_lobe.z * inverse * inverse * inverse;
}
