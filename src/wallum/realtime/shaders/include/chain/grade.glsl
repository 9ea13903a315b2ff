// White balance and grade of picture values. Twin of physics/grade.py, where the sources are given.

uniform mat3 white_balance;
uniform vec3 grade_slope;
uniform vec3 grade_offset;
uniform vec3 grade_power;
uniform vec3 grade_about;      // saturation, contrast, what the darkest are raised by, less 1
#ifdef HUES
uniform vec3 grade_hues;       // saturation of red, green, blue
uniform vec3 grade_between;    // of yellow, cyan, magenta
#endif
uniform float grade_pivot;     // stops that keep the pivot where it is
#ifdef RANGES
uniform mat3 range_slope;      // of shadows, middles, lights
uniform mat3 range_offset;
#ifdef RANGE_LISTS
uniform mat3 range_power;
uniform vec3 range_saturation;
#endif
uniform vec3 range_borders;    // [stops about mid grey], and how many stops they are soft

#ifdef RANGE_LISTS
vec3 saturated(vec3 x, float saturation) {
    float grey = dot(x, vec3(0.2126, 0.7152, 0.0722));
    return max(grey + saturation * (x - grey), 0.0);
}
#endif

vec3 by_ranges(vec3 x) {
    float stops = log2(max(dot(x, vec3(0.2126, 0.7152, 0.0722)), 1e-9) / 0.18);
    vec2 t = clamp((stops - range_borders.xy) / range_borders.z + 0.5, 0.0, 1.0);
    vec2 over = t * t * (3.0 - 2.0 * t);
#ifdef RANGE_LISTS
    vec3 shadows = max(x * range_slope[0] + range_offset[0], 0.0);
    vec3 middles = max(x * range_slope[1] + range_offset[1], 0.0);
    vec3 lights = max(x * range_slope[2] + range_offset[2], 0.0);
    // A power is dear: only ranges that have one pay for it.
#ifdef SHADOWS_POWER
    shadows = pow(shadows, range_power[0]);
#endif
#ifdef MIDDLES_POWER
    middles = pow(middles, range_power[1]);
#endif
#ifdef LIGHTS_POWER
    lights = pow(lights, range_power[2]);
#endif
    return (1.0 - over.x) * saturated(shadows, range_saturation.x)
         + (over.x - over.y) * saturated(middles, range_saturation.y)
         + over.y * saturated(lights, range_saturation.z);
#else
    // Lines add up: which of them holds, and how far, is one line.
    vec3 share = vec3(1.0 - over.x, over.x - over.y, over.y);
    return max(x * (range_slope * share) + range_offset * share, 0.0);
#endif
}
#endif

#ifdef HUES
// A colour is grey, one of red, green, blue, and one of those between beside it: shares of these two.
float by_hue(vec3 x) {
    vec3 next = x.gbr, last = x.brg;
    vec3 pure = max(x - max(next, last), 0.0);
    vec3 between = max(min(x, next) - last, 0.0);
    float chroma = max(x.r, max(x.g, x.b)) - min(x.r, min(x.g, x.b));
    return (dot(pure, grade_hues) + dot(between, grade_between)) / max(chroma, 1e-9);
}
#endif

vec3 graded(vec3 x) {
    x = max(white_balance * x, 0.0);
#ifdef CONTRAST
    // The pivot to the power of 1 less contrast, in stops, is what a power of x is raised by.
    x = exp2(grade_about.y * log2(x) + grade_pivot);
#endif
    x *= 1.0 + grade_about.z * 0.01125 / (0.01125 + dot(x, vec3(0.2126, 0.7152, 0.0722)));
#ifdef RANGES
    x = by_ranges(x);
#endif
    x = max(x * grade_slope + grade_offset, 0.0);
#ifdef POWER
    x = pow(x, grade_power);
#endif
    float grey = dot(x, vec3(0.2126, 0.7152, 0.0722));
    x = max(grey + grade_about.x * (x - grey), 0.0);
#ifdef HUES
    grey = dot(x, vec3(0.2126, 0.7152, 0.0722));
    x = max(grey + by_hue(x) * (x - grey), 0.0);
#endif
    return x;
}
