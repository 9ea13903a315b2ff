#version 430 core
// Triangles that have texels of baked light, as the camera sees them.

uniform mat4 to_clip;

in vec3 in_position;
in vec3 in_texel;

out vec3 v_texel;
out float v_depth;

void main() {
    gl_Position = to_clip * vec4(in_position, 1.0);
    v_texel = in_texel;
    v_depth = gl_Position.w;
}
