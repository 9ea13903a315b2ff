// Which surfaces show mirror images of the level: by a pixel's code, the number of its image from 1 on, of
// another, sevenths of that, in 4, 4 and 3 bits.

uniform int roofed_images;     // bits, from 1 on: those under a roof

// Between these roughnesses it gives way to what probes have. Under a roof light comes by doors and windows: seen
// against it what is dull gleams too.
const float SMOOTH = 0.36, ROUGH = 0.5;

// How much a surface shows of them.
float image_share(int code, float rough) {
    bool roofed = (roofed_images >> (code & 15) & 1) == 1;
    return roofed ? 1.0 : clamp((ROUGH - rough) / (ROUGH - SMOOTH), 0.0, 1.0);
}
