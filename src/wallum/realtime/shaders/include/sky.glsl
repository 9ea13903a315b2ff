// Light of the sky by direction. Twin of physics/dome.py, where the source is given.

uniform vec3 sky_terms[9];   // pre-exposed

vec3 sky_illuminance(vec3 n) {
    vec3 sum = sky_terms[0] * 0.282095
        + 0.488603 * (sky_terms[1] * n.y + sky_terms[2] * n.z + sky_terms[3] * n.x)
        + 1.092548 * (sky_terms[4] * (n.x * n.y) + sky_terms[5] * (n.y * n.z)
                      + sky_terms[7] * (n.x * n.z))
        + sky_terms[6] * (0.315392 * (3.0 * n.z * n.z - 1.0))
        + sky_terms[8] * (0.546274 * (n.x * n.x - n.y * n.y));
    return max(sum, 0.0);
}
