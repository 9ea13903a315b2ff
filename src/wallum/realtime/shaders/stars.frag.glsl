#version 430 core
// One star: a pixel of light.

in vec3 v_light;
out vec4 out_colour;

void main() {
    out_colour = vec4(min(v_light, 60000.0), 1.0);
}
