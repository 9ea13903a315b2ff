// All directions on a square, +Y in the middle. Source: Cigolle et al. 2014, "oct" encoding.

vec2 octahedron_place(vec3 d) {
    vec3 n = d / (abs(d.x) + abs(d.y) + abs(d.z));
    vec2 folded = (1.0 - abs(n.zx)) * vec2(n.x >= 0.0 ? 1.0 : -1.0, n.z >= 0.0 ? 1.0 : -1.0);
    return (n.y >= 0.0 ? n.xz : folded) * 0.5 + 0.5;
}

vec3 octahedron_direction(vec2 uv) {
    vec2 e = uv * 2.0 - 1.0;
    vec3 d = vec3(e.x, 1.0 - abs(e.x) - abs(e.y), e.y);
    float t = max(-d.y, 0.0);
    d.x += d.x >= 0.0 ? -t : t;
    d.z += d.z >= 0.0 ? -t : t;
    return normalize(d);
}
