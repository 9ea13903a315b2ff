// What clouds leave of the sun, place by place. Twin of physics/cloud_shadow.py.

uniform sampler2D cloud_map;      // see cloud_shadow.frag.glsl
uniform vec4 cloud_map_place;     // of its first corner: x, z [m]; 1 / its width, 1 / its depth
uniform vec4 cloud_map_way;       // how far light leans east and south by height; the deck's top [m]; 1 / its thickness
uniform vec3 sun_over;            // illuminance over the clouds, pre-exposed

float clouds_leave(vec3 p) {
    vec2 crossing = p.xz - cloud_map_way.xy * p.y;
    vec2 both = textureLod(cloud_map, (crossing - cloud_map_place.xy) * cloud_map_place.zw, 0.0).rg;
    return both.x * pow(both.y, clamp((cloud_map_way.z - p.y) * cloud_map_way.w, 0.0, 1.0));
}
