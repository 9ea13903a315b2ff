// Gobos: patterns before a lamp. Twin of physics/gobo.py, where they are explained.

const float GOBO_PI = 3.14159265;
const float GOBO_SHARPEST = 0.01;
const float GOBO_FLATTEST = 0.05;   // as in moment/kinds/punctual.py

float gobo_bars(float x, float open_share, float soft) {
    vec2 at = x + vec2(0.5, -0.5) * soft;
    vec2 whole = floor(at);
    vec2 opened = whole * open_share + min(at - whole, vec2(open_share));
    return (opened.x - opened.y) / soft;
}

#ifdef LEAVES
vec3 gobo_hashed(ivec2 cell, uint layer) {
    uvec2 at = uvec2(cell) & 63u;
    uint h = (at.x * 1597334677u) ^ (at.y * 3812015801u) ^ (layer * 2654435769u);
    h = (h ^ (h >> 15u)) * 2246822519u;
    h = (h ^ (h >> 13u)) * 3266489917u;
    h = h ^ (h >> 16u);
    return vec3(uvec3(h, h >> 10u, h >> 20u) & 1023u) / 1023.0;
}

float gobo_leaves(vec2 place, float drifted, float open_share, float soft) {
    // Cosine and sine of each layer's turn, times its cells for a repeat.
    const float cells[3] = float[3](1.0, 0.75, 1.25);
    const vec2 layers[3] = vec2[3](
        vec2(0.908965750, -0.416870802), vec2(0.745466752, 0.0823337237), vec2(0.979777082, 0.776232484)
    );
    float hidden = 1.0 - pow(open_share, 1.0 / 3.0);
    float size = sqrt(hidden / GOBO_PI);
    float wanted = soft / max(size, 1e-4);
    float edge = min(wanted, clamp(0.25 * GOBO_PI / max(hidden, 1e-4) - 1.0, 0.02, 1.0));
    float along = max(min(size * 1.41421356, 0.5 * inversesqrt(1.0 + edge)), 1e-4);
    float across = max(hidden / (GOBO_PI * along), 1e-4);
    float free = max(0.5 - max(along, across) * sqrt(1.0 + edge), 0.0);
    float left = 1.0;
    for (int layer = 0; layer < 3; ++layer) {
        vec2 turned = layers[layer];
        vec2 at = vec2(turned.x * place.x - turned.y * place.y, turned.y * place.x + turned.x * place.y + cells[layer] * drifted);
        vec2 cell = floor(at);
        vec3 chance = gobo_hashed(ivec2(cell), uint(layer));
        vec2 d = at - cell - 0.5 - free * (2.0 * chance.xy - 1.0);
        float c = cos(GOBO_PI * chance.z);
        float s = sin(GOBO_PI * chance.z);
        vec2 away = vec2(c * d.x + s * d.y, c * d.y - s * d.x) / vec2(along, across);
        float there = clamp((1.0 + edge - dot(away, away)) / (2.0 * edge), 0.0, 1.0);
        left *= 1.0 - hidden - (there - hidden) * (edge / wanted);
    }
    return left;
}

#endif

// So many steps where a lamp has a gobo and any light is left to go through it.
int gobo_steps(uint lamp, float share, int steps) {
    return lamp_row(lamp, LAMP_GOBO).x > 0.5 && share > 0.0 ? steps : 0;
}

// Place in a lamp's gobo of a unit direction back to it, in repeats.
vec2 gobo_place(uint lamp, vec3 to_lamp) {
    vec3 d = lamp_row(lamp, LAMP_DIRECTION_OFFSET).xyz;
    vec3 across = lamp_row(lamp, LAMP_GOBO_ACROSS).xyz;
    float ahead = max(-dot(to_lamp, d), GOBO_FLATTEST);
    return -vec2(dot(to_lamp, across), dot(to_lamp, cross(across, d))) / ahead;
}

// Share of a lamp's light that its gobo leaves at a place, averaged over widths [repeats] beside its own.
float gobo_left(uint lamp, vec2 place, vec2 widths) {
    vec4 gobo = lamp_row(lamp, LAMP_GOBO);
    float drifted = lamp_row(lamp, LAMP_GOBO_ACROSS).w;
    vec2 soft = max(sqrt(gobo.z * gobo.z + widths * widths), GOBO_SHARPEST);
    float side = gobo.x < 1.5 ? gobo.y : sqrt(gobo.y);
    float left = gobo_bars(place.y + drifted, side, soft.y);
    left *= gobo.x < 1.5 ? 1.0 : gobo_bars(place.x, side, soft.x);
#ifdef LEAVES
    for (int leafy = gobo.x > 2.5 ? 1 : 0; leafy > 0; --leafy) {
        left = gobo_leaves(place, drifted, gobo.y, max(soft.x, soft.y));
    }
#endif
    return left;
}
