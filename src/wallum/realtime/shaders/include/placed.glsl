// Where a vertex lies: in the level, or, with PLACED, at one of the places that its mesh stands at.

in vec3 in_position;
#ifdef PLACED
in vec4 in_place_x;            // rows of the way from the mesh's space to the level's
in vec4 in_place_y;
in vec4 in_place_z;
#endif

vec3 placed_position() {
#ifdef PLACED
    vec4 own = vec4(in_position, 1.0);
    return vec3(dot(in_place_x, own), dot(in_place_y, own), dot(in_place_z, own));
#else
    return in_position;
#endif
}

vec3 placed_direction(vec3 own) {
#ifdef PLACED
    return vec3(dot(in_place_x.xyz, own), dot(in_place_y.xyz, own), dot(in_place_z.xyz, own));
#else
    return own;
#endif
}

vec3 placed_normal(vec3 own) {
#ifdef PLACED
    // Rows of the cofactors, which are right where places stretch unevenly.
    vec3 x = in_place_x.xyz, y = in_place_y.xyz, z = in_place_z.xyz;
    return normalize(vec3(dot(cross(y, z), own), dot(cross(z, x), own), dot(cross(x, y), own)));
#else
    return own;
#endif
}
