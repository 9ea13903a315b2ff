// What is left of the light toward the picture's corners. Twin of physics/vignette.py, where the
// source is given.

uniform vec2 vignette;   // how the lens falls off; 1 / half the diagonal [1/pixel]
uniform vec3 shade;      // by hand: stops; where it begins, over which share it comes up

float vignette_leaves(ivec2 pixel, ivec2 size) {
    vec2 away = (vec2(pixel) + 0.5 - 0.5 * vec2(size)) * vignette.y;
    float square = dot(away, away);
    float fall = 1.0 + vignette.x * square;
    float t = clamp((sqrt(square) - shade.y) / shade.z, 0.0, 1.0);
    return exp2(-shade.x * t * t * (3.0 - 2.0 * t)) / (fall * fall);
}
