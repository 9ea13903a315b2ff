// A table of colours. Twin of physics/colour_table.py, where what it takes is said.

#ifdef TABLE_CUBE
uniform sampler3D table;
#else
uniform sampler2D table;       // a curve for each channel
#endif
uniform vec3 table_low;
uniform vec3 table_over;       // 1 over what lies between its ends
uniform float table_last;      // number of the last entry of a side
uniform float table_strength;

vec3 in_table(vec3 x) {
    vec3 at = clamp((x - table_low) * table_over, 0.0, 1.0) * table_last;
    ivec3 first = min(ivec3(at), ivec3(int(table_last) - 1));
    vec3 share = at - vec3(first);
#ifdef TABLE_CUBE
    // By the tetrahedron of the cell that holds it.
    ivec3 high = ivec3(share.r >= share.g && share.r >= share.b, share.g > share.r && share.g >= share.b,
                       share.b > share.r && share.b > share.g);
    ivec3 low = ivec3(share.r < share.g && share.r < share.b, share.g <= share.r && share.g < share.b,
                      share.b <= share.r && share.b <= share.g);
    float most = max(share.r, max(share.g, share.b));
    float least = min(share.r, min(share.g, share.b));
    float middle = share.r + share.g + share.b - most - least;
    return texelFetch(table, first, 0).rgb * (1.0 - most)
         + texelFetch(table, first + high, 0).rgb * (most - middle)
         + texelFetch(table, first + 1 - low, 0).rgb * (middle - least)
         + texelFetch(table, first + 1, 0).rgb * least;
#else
    vec3 a, b;
    for (int k = 0; k < 3; ++k) {
        a[k] = texelFetch(table, ivec2(first[k] & 1023, first[k] >> 10), 0)[k];
        b[k] = texelFetch(table, ivec2((first[k] + 1) & 1023, (first[k] + 1) >> 10), 0)[k];
    }
    return mix(a, b, share);
#endif
}
