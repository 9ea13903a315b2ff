// Base colour and alpha of a material: its factor, the colours of corners, its picture.

uniform sampler2D base_map;
in vec4 v_uv;
in vec4 v_colour;

vec4 base_colour() {
    vec4 base = material.base;
#ifdef VERTEX_COLOUR
    base *= v_colour;
#endif
#ifdef BASE_MAP
    base *= texture(base_map, texture_place(0, v_uv));
#endif
    return base;
}
