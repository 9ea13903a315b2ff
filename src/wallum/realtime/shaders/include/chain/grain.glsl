// Grain of film, as a factor of the light. Twin of physics/grain.py, where the sources are given.

uniform float grain_strength;
uniform int grain_seed;

uint grain_hash(uint value) {
    uint state = value * 747796405u + 2891336453u;
    uint word = ((state >> ((state >> 28u) + 4u)) ^ state) * 277803737u;
    return (word >> 22u) ^ word;
}

float grain(ivec2 pixel) {
    uint word = grain_hash(uint(pixel.x) ^ grain_hash(uint(pixel.y) + uint(grain_seed) * 65537u));
    uint total = (word & 255u) + ((word >> 8u) & 255u) + ((word >> 16u) & 255u) + (word >> 24u);
    float drawn = (float(total) - 510.0) * 0.00676580;
    return exp(grain_strength * (drawn - 0.5 * grain_strength));
}
