#version 430 core
// One picture onto another: bilinear where the sizes differ, added where blending says so.

uniform sampler2D picture;

in vec2 v_uv;
out vec4 out_colour;

void main() {
    out_colour = texture(picture, v_uv);
}
