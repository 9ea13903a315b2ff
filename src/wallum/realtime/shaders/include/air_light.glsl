// What the air itself shows: light of sun and sky that it sends toward the eye.

// Luminance of air too thick to see through, toward a unit direction.
vec3 air_source(vec3 d) {
    vec3 sum = vec3(0.0);
#ifdef SUN
    sum += sun_illuminance * air_phase(dot(d, sun_direction));
#endif
#ifdef SKY
    // Forward scattering sees the sky that lies behind; the rest sees the mean of all.
    sum += mix(sky_terms[0], sky_illuminance(d), air_lobe.w) * 0.318309886;
#endif
    return air_albedo * sum;
}
