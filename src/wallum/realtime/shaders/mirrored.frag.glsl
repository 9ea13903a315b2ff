#version 430 core
// The pixels that show a mirror image of the level, as a depth: those lie before what is drawn at the far end, all
// others do not, so that a driver need not begin with them.

#include "pixel.glsl"
#include "which_images.glsl"
uniform sampler2D g_images;    // in alpha which, see which_images.glsl
uniform sampler2D g_surface;
uniform sampler2D g_depth;

const int NUMBERS = 255;

void main() {
    vec2 at = here();
    int code = int(texture(g_images, at).a + 0.5);
    bool shown = (code & NUMBERS) != 0 && image_share(code, texture(g_surface, at).r) > 0.0;
    gl_FragDepth = shown && texture(g_depth, at).r > 0.0 ? 0.0 : 1.0;
}
