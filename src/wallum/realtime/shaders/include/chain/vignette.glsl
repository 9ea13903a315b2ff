// What a lens leaves of the light toward the picture's corners. Twin of physics/vignette.py, where the
// source is given.

uniform vec2 vignette;   // how it falls off; 1 / half the diagonal [1/pixel]

float vignette_leaves(ivec2 pixel, ivec2 size) {
    vec2 away = (vec2(pixel) + 0.5 - 0.5 * vec2(size)) * vignette.y;
    float fall = 1.0 + vignette.x * dot(away, away);
    return 1.0 / (fall * fall);
}
