#version 430 core
// Squares of the picture, at the far end: one large point each.

in vec2 in_middle;           // in clip units

void main() {
    carry();
    gl_Position = vec4(in_middle, 1.0, 1.0);
}
