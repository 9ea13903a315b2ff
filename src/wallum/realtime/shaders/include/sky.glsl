// Light of the sky by direction. Twin of physics/dome.py, where the source is given.

uniform vec3 sky_terms[9];   // pre-exposed, with the factors of the harmonics in them

vec3 sky_illuminance(vec3 n) {
    vec3 sum = sky_terms[0] + sky_terms[1] * n.y + sky_terms[2] * n.z + sky_terms[3] * n.x
        + sky_terms[4] * (n.x * n.y) + sky_terms[5] * (n.y * n.z) + sky_terms[7] * (n.x * n.z)
        + sky_terms[6] * (3.0 * n.z * n.z - 1.0) + sky_terms[8] * (n.x * n.x - n.y * n.y);
    return max(sum, 0.0);
}
