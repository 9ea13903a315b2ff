// The air that fills the level: one layer, thinning out upward. Twin of physics/medium.py,
// where the source is given.

uniform vec4 air;          // extinction [1/m], scale height, base height [m], forwardness
uniform vec3 air_albedo;

const float AIR_END_M = 2e5;

// Density summed from the base height up to y, both over the base.
float air_column(float y) {
    return y < 0.0 ? y : air.y * (1.0 - exp(-y / air.y));
}

// Optical depth from the eye along a unit direction.
float air_depth(float eye_y, float rise, float distance_m) {
    float y0 = eye_y - air.z;
    float climb = rise * distance_m;
    float middle = exp(-max(y0 + 0.5 * climb, 0.0) / air.y);
    bool flat_way = abs(climb) < 0.1;
    float mean = flat_way ? middle : (air_column(y0 + climb) - air_column(y0)) / climb;
    return air.x * distance_m * mean;
}

// Henyey-Greenstein phase function [1/sr].
float air_phase(float cosine) {
    float g = air.w;
    float below = max(1.0 + g * g - 2.0 * g * cosine, 1e-4);
    return (1.0 - g * g) / (12.5663706 * below * sqrt(below));
}
