// Light of the sky by direction. Twin of physics/dome.py, where the source is given.

uniform vec3 sky_terms[9];   // pre-exposed, with the factors of the harmonics in them

vec3 sky_illuminance(vec3 n) {
    vec3 sum = sky_terms[0] + sky_terms[1] * n.y + sky_terms[2] * n.z + sky_terms[3] * n.x
        + sky_terms[4] * (n.x * n.y) + sky_terms[5] * (n.y * n.z) + sky_terms[7] * (n.x * n.z)
        + sky_terms[6] * (3.0 * n.z * n.z - 1.0) + sky_terms[8] * (n.x * n.x - n.y * n.y);
    return max(sum, 0.0);
}

// What air of a forwardness g scatters of it toward the eye: its phase function's part of each order is g to
// that power. Twin of physics/dome.py `scattered`.
vec3 sky_scattered(vec3 d, float g) {
    vec3 first = sky_terms[1] * d.y + sky_terms[2] * d.z + sky_terms[3] * d.x;
    vec3 second = sky_terms[4] * (d.x * d.y) + sky_terms[5] * (d.y * d.z) + sky_terms[7] * (d.x * d.z)
        + sky_terms[6] * (3.0 * d.z * d.z - 1.0) + sky_terms[8] * (d.x * d.x - d.y * d.y);
    return max(sky_terms[0] + first * (1.5 * g) + second * (4.0 * g * g), 0.0) * 0.318309886;
}
