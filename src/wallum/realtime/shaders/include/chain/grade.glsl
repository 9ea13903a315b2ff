// White balance and grade of picture values. Twin of physics/grade.py, where the sources are given.

uniform mat3 white_balance;
uniform vec3 grade_slope;
uniform vec3 grade_offset;
uniform vec3 grade_power;
uniform vec2 grade_about;      // saturation, contrast

vec3 graded(vec3 x) {
    x = max(white_balance * x, 0.0);
    x = 0.18 * pow(x / 0.18, vec3(grade_about.y));
    x = pow(max(x * grade_slope + grade_offset, 0.0), grade_power);
    float grey = dot(x, vec3(0.2126, 0.7152, 0.0722));
    return max(grey + grade_about.x * (x - grey), 0.0);
}
