#version 430 core
// Nothing but depth; holes where the material has them.

#ifdef MASK
#include "material.glsl"
uniform sampler2D base_map;
in vec4 v_uv;
in float v_alpha;
#endif

void main() {
#ifdef MASK
    float alpha = material.base.a * v_alpha;
#ifdef BASE_MAP
    alpha *= texture(base_map, texture_place(0, v_uv)).a;
#endif
    if (alpha < material.glow_cutoff.w) discard;
#endif
}
