// Numbers of one material, as realtime/level/bundling.py packs them.

layout(std140) uniform Material {
    vec4 base;          // linear
    vec4 glow_cutoff;   // scaled luminance by channel; alpha cutoff
    vec4 factors;       // metallic, roughness, normal scale, occlusion strength
    vec4 kind;          // unlit or reflectance; number of the lamp its glow follows / 255; casts; transmission
    vec4 tint;          // of what goes through; reflectance
    vec4 moved[10];     // five slots x two rows of the texture transform; w: which uv set
} material;

vec2 texture_place(int slot, vec4 uv) {
#ifdef UV_MOVED
    vec4 row_u = material.moved[slot * 2];
    vec4 row_v = material.moved[slot * 2 + 1];
    vec3 own = vec3(row_u.w > 0.5 ? uv.zw : uv.xy, 1.0);
    return vec2(dot(row_u.xyz, own), dot(row_v.xyz, own));
#else
    return uv.xy;
#endif
}
