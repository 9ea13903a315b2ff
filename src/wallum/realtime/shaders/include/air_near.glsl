// The volume of lit air: what is added on the way to a place and what is left of light from there.

uniform sampler3D air_volume;  // light added on the way to each place; what is left of light from there
uniform vec4 air_place;        // its own offset over the picture; 1 / depth it reaches to; slices

vec3 air_near_at(vec2 at, float depth) {
    float slice = sqrt(min(depth * air_place.z, 1.0)) * (air_place.w - 1.0) + 0.5;
    return vec3(at + air_place.xy, slice / air_place.w);
}

vec4 air_near(vec2 at, float depth) {
    return textureLod(air_volume, air_near_at(at, depth), 0.0);
}

// Light that has passed the air up to a depth; where that lies beyond the volume, as it is.
vec3 in_near_air(vec3 light, vec2 at, float depth) {
    vec4 near = air_near(at, depth);
    vec3 aired = light * (1.0 - air_fakes.y * (1.0 - near.a)) + near.rgb * air_fakes.y;
    return depth * air_place.z < 1.0 ? aired : light;
}

// The share of light that passes it.
float left_by_near_air(vec2 at, float depth) {
    float left = 1.0 - air_fakes.y * (1.0 - air_near(at, depth).a);
    return depth * air_place.z < 1.0 ? left : 1.0;
}
