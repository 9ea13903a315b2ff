// Light from all around in boxes of the artist's. Twin of moment/ambient_box_light.py.

uniform sampler2D room_lights;   // of each: centre, fade; half sizes, cosine of its turn; light, sine

vec3 room_light(vec3 p) {
    vec3 sum = vec3(0.0);
    int count = textureSize(room_lights, 0).y;
    for (int i = 0; i < count; ++i) {
        vec4 centre = texelFetch(room_lights, ivec2(0, i), 0);
        vec4 half_size = texelFetch(room_lights, ivec2(1, i), 0);
        vec4 light = texelFetch(room_lights, ivec2(2, i), 0);
        vec3 away = p - centre.xyz;
        vec3 local = vec3(
            half_size.w * away.x + light.w * away.z, away.y, half_size.w * away.z - light.w * away.x);
        vec3 inside = half_size.xyz - abs(local);
        sum += light.rgb * clamp(min(min(inside.x, inside.y), inside.z) / max(centre.w, 1e-3), 0.0, 1.0);
    }
    return sum;
}
