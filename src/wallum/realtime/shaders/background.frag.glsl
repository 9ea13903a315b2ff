#version 430 core
// The sky behind everything.

uniform sampler2D dome;        // rows from the nadir up, columns clockwise from north
uniform float dome_exposure;

in vec3 v_ray;
out vec4 out_colour;

void main() {
    vec3 d = normalize(v_ray);
    float across = atan(d.x, -d.z) * (0.5 / 3.14159265);
    float upward = 0.5 + asin(clamp(d.y, -1.0, 1.0)) * (1.0 / 3.14159265);
    out_colour = vec4(min(textureLod(dome, vec2(across, upward), 0.0).rgb * dome_exposure, 60000.0), 1.0);
}
