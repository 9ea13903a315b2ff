// Where a pixel lies in the G-buffer, and which way it looks.

uniform vec2 pixel_size;     // over the picture's
uniform vec3 ray_first;      // of the picture's lower left corner; reaches a depth of 1 m
uniform vec3 ray_right;      // what a pixel to the right adds to it
uniform vec3 ray_up;

// To read textures of the picture's own size and of one level. A software driver looks up the
// level of each pixel for texelFetch, which takes longer than the reading.
vec2 here() {
    return gl_FragCoord.xy * pixel_size;
}

vec3 view_ray() {
    return ray_first + gl_FragCoord.x * ray_right + gl_FragCoord.y * ray_up;
}
