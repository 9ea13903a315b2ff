// The picture as the lens draws it: its bloom, and colour fringes. Twin of physics/bloom.py and fringe.py,
// where the sources are given. Coordinates are the texture's, its lowest row first.

#ifdef BLOOM
uniform sampler2D bloom;       // all light, spread
uniform float bloom_gain;      // to picture values
uniform vec3 bloom_share;
#ifdef BLOOM_FROM
uniform float bloom_from;      // threshold
#endif

vec3 spread_at(ivec2 pixel) {
#ifdef BLOOM_EVEN
    return texture(bloom, (vec2(pixel) + 0.5) / vec2(4 * textureSize(bloom, 0))).rgb;
#else
    return texture(bloom, place_of(pixel)).rgb;
#endif
}
#endif

#ifdef FRINGE
uniform float fringe;          // how much larger red is drawn

vec3 drawn_at(ivec2 pixel) {
    vec2 over = 1.0 / vec2(textureSize(picture, 0));
    vec2 away = (vec2(pixel) + 0.5) * over - 0.5;
    return vec3(texture(picture, away / (1.0 + fringe) + 0.5).r, texelFetch(picture, pixel, 0).g,
                texture(picture, away / (1.0 - fringe) + 0.5).b);
}
#else
vec3 drawn_at(ivec2 pixel) {
    return texelFetch(picture, pixel, 0).rgb;
}
#endif

vec3 seen_at(ivec2 pixel) {
    vec3 light = max(drawn_at(pixel) * scale, 0.0);
#ifdef BLOOM
    vec3 part = light;
#ifdef BLOOM_FROM
    float bright = dot(light, vec3(0.2126, 0.7152, 0.0722));
    part *= clamp((bright - bloom_from) / (0.5 * bloom_from), 0.0, 1.0);
#endif
    light += bloom_share * (bloom_gain * spread_at(pixel) - part);
#endif
    return max(light, 0.0);
}
