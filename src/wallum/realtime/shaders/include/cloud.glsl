// High cloud before the sky. Twin of physics/high_cloud.py, where the parts are explained.

uniform sampler2D cloud_noise;
uniform vec4 cloud_shape;      // cover, soft, opacity, height [m]
uniform vec3 cloud_place;      // 1 / tile [1/m]; drift, in tiles
uniform vec3 cloud_toward;
uniform vec3 cloud_sunlit;     // in the scale of the sky that is given
uniform vec3 cloud_even;

// Share of what lies behind that the layer hides toward a direction, from a place of the level.
float cloud_hidden_from(vec2 place, vec3 d) {
    const float EARTH_M = 6371000.0;
    float up = max(d.y, 0.0);
    float h = cloud_shape.w;
    // The same as sqrt((R up)^2 + 2 R h + h^2) - R up, without the loss of digits.
    float way = (2.0 * EARTH_M * h + h * h)
        / (sqrt(EARTH_M * EARTH_M * up * up + 2.0 * EARTH_M * h + h * h) + EARTH_M * up);
    vec2 at = (place + d.xz * way) * cloud_place.x - cloud_place.yz;
    float value = textureLod(cloud_noise, at, 0.0).r;
    float cover = cloud_shape.x;
    float x = clamp((value - (1.0 - cover)) / (0.04 + 0.9 * cloud_shape.y) + 0.5 * cover, 0.0, 1.0);
    float thick = x * x * (3.0 - 2.0 * x);
    thick = mix(cover * 0.6, thick, clamp(up / 0.09, 0.0, 1.0));
    float longer = min(1.0 / max(up, 1e-3), 5.0);
    return d.y > 0.0 ? 1.0 - pow(1.0 - 0.999 * cloud_shape.z * thick, longer) : 0.0;
}

float cloud_hidden(vec3 d) { return cloud_hidden_from(vec2(0.0), d); }

vec3 before_sky(vec3 d, vec3 sky) {
    float hidden = cloud_hidden(d);
    const float G = 0.72;
    float inverse = inversesqrt(1.0 + G * G - 2.0 * G * dot(d, cloud_toward));
    float lobe = 0.5 * (1.0 - G * G) * inverse * inverse * inverse + 0.5;
    return mix(sky, cloud_sunlit * lobe * 0.0795774715 + cloud_even, hidden);
}
