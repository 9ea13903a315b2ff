#version 430 core
// Smooth the edges of a finished picture, after Reshetov 2009. NumPy twin: tests/twins/edge_smoothing.py.
// The picture is blue, green, red.

uniform sampler2D shown;
uniform ivec2 size;

out vec4 out_colour;

const float LEAST = 0.06;
const int REACH = 10;

float luma(ivec2 at) {
    return dot(texelFetch(shown, clamp(at, ivec2(0), size - 1), 0).rgb, vec3(0.0722, 0.7152, 0.2126));
}

// How far the edge goes on one way, and whether it ends toward this pixel.
vec2 followed(ivec2 here, ivec2 along, ivec2 side, float own, float other) {
    float jump = other - own;
    for (int k = 1; k <= REACH; ++k) {
        float a = luma(here + k * along), b = luma(here + k * along + side);
        if ((b - a) * sign(jump) < 0.5 * abs(jump)) {
            float middle = 0.5 * (a + b);
            return vec2(float(k), abs(middle - other) < abs(middle - own) ? 1.0 : 0.0);
        }
    }
    return vec2(float(REACH), 0.0);
}

void main() {
    ivec2 here = ivec2(gl_FragCoord.xy);
    vec4 colour = texelFetch(shown, here, 0);
    float own = luma(here);
    float north = luma(here - ivec2(0, 1)), south = luma(here + ivec2(0, 1));
    float west = luma(here - ivec2(1, 0)), east = luma(here + ivec2(1, 0));
    float across = max(abs(north - own), abs(south - own));
    float along = max(abs(west - own), abs(east - own));
    if (max(across, along) < LEAST) {
        out_colour = colour;
        return;
    }
    // Along the rows where it bends more across them, with the lines beside.
    float nw = luma(here - 1), ne = luma(here + ivec2(1, -1)), sw = luma(here + ivec2(-1, 1)), se = luma(here + 1);
    float over = abs(north + south - 2.0 * own) + 0.5 * (abs(nw + sw - 2.0 * west) + abs(ne + se - 2.0 * east));
    float beyond = abs(west + east - 2.0 * own) + 0.5 * (abs(nw + ne - 2.0 * north) + abs(sw + se - 2.0 * south));
    bool level = over >= beyond;
    float before = level ? north : west, after = level ? south : east;
    bool later = abs(after - own) >= abs(before - own);
    ivec2 side = (level ? ivec2(0, 1) : ivec2(1, 0)) * (later ? 1 : -1);
    ivec2 line = level ? ivec2(1, 0) : ivec2(0, 1);
    float other = later ? after : before;
    vec2 one = followed(here, -line, side, own, other), two = followed(here, line, side, own, other);
    float invaded = one.x <= two.x ? one.y : two.y;
    float covered = max(0.5 - (min(one.x, two.x) - 0.5) / max(one.x + two.x - 1.0, 1.0), 0.0) * invaded;
    vec4 beside = texelFetch(shown, clamp(here + side, ivec2(0), size - 1), 0);
    out_colour = vec4(mix(colour.rgb, beside.rgb, covered), 1.0);
}
