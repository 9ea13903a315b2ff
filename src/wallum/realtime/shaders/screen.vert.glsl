#version 430 core
// One triangle over the whole picture, at the far end or with AT_DEPTH at one, with the view ray of each pixel.

uniform vec2 jitter;         // the picture's shift, in clip units
uniform vec2 tangents;       // of the half angles
uniform mat3 camera_axes;    // columns right, up, back
#ifdef AT_DEPTH
uniform float at_depth;      // in clip units
#endif

out vec2 v_uv;
out vec3 v_ray;              // reaches a depth of 1 m

void main() {
    carry();
    vec2 corner = vec2(gl_VertexID == 1 ? 3.0 : -1.0, gl_VertexID == 2 ? 3.0 : -1.0);
#ifdef AT_DEPTH
    gl_Position = vec4(corner, at_depth, 1.0);
#else
    gl_Position = vec4(corner, 1.0, 1.0);
#endif
    v_uv = corner * 0.5 + 0.5;
    v_ray = camera_axes * vec3((corner - jitter) * tangents, -1.0);
}
