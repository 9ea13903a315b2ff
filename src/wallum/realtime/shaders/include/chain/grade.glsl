// White balance and grade of picture values. Twin of physics/grade.py, where the sources are given.

uniform mat3 white_balance;
uniform vec3 grade_slope;
uniform vec3 grade_offset;
uniform vec3 grade_power;
uniform vec3 grade_about;      // saturation, contrast, what the darkest are raised by, less 1
uniform float grade_pivot;     // picture value
#ifdef RANGES
uniform mat3 range_slope;      // of shadows, middles, lights
uniform mat3 range_offset;
#ifdef RANGE_LISTS
uniform mat3 range_power;
uniform vec3 range_saturation;
#endif
uniform vec3 range_borders;    // [stops about mid grey], and how many stops they are soft

#ifdef RANGE_LISTS
vec3 by_list(vec3 x, vec3 slope, vec3 offset, vec3 power, float saturation) {
    x = max(x * slope + offset, 0.0);
#ifdef RANGE_POWER
    x = pow(x, power);
#endif
    float grey = dot(x, vec3(0.2126, 0.7152, 0.0722));
    return max(grey + saturation * (x - grey), 0.0);
}
#endif

vec3 by_ranges(vec3 x) {
    float stops = log2(max(dot(x, vec3(0.2126, 0.7152, 0.0722)), 1e-9) / 0.18);
    vec2 t = clamp((stops - range_borders.xy) / range_borders.z + 0.5, 0.0, 1.0);
    vec2 over = t * t * (3.0 - 2.0 * t);
#ifdef RANGE_LISTS
    return (1.0 - over.x) * by_list(x, range_slope[0], range_offset[0], range_power[0], range_saturation.x)
         + (over.x - over.y) * by_list(x, range_slope[1], range_offset[1], range_power[1], range_saturation.y)
         + over.y * by_list(x, range_slope[2], range_offset[2], range_power[2], range_saturation.z);
#else
    // Lines add up: which of them holds, and how far, is one line.
    vec3 share = vec3(1.0 - over.x, over.x - over.y, over.y);
    return max(x * (range_slope * share) + range_offset * share, 0.0);
#endif
}
#endif

vec3 graded(vec3 x) {
    x = max(white_balance * x, 0.0);
#ifdef CONTRAST
    x = grade_pivot * pow(x / grade_pivot, vec3(grade_about.y));
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
    return max(grey + grade_about.x * (x - grey), 0.0);
}
