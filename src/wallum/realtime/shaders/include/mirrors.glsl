// Mirror images of the level about places, as its light was there last: what smooth surfaces show of it.
// Source: Lagarde and Zanuttini 2012, see transport/field/rooms.py.

uniform sampler2DArray mirror_images;  // octahedra, as octahedron.glsl; in alpha how much of it is surfaces
uniform sampler2D mirror_places;       // of each: eye, and whether it has a roof; corners, what its light is times

uniform float mirrors_gain;            // of what an image shows: 0 where that is there already

const int IMAGE_SIZE = 128;
// What an image from afar, outside, says of how much of the sky is mirrored; the rest is the probes' say.
const float OUTSIDE = 0.5;

// Texels beyond the edge of an octahedron lie on its other half.
ivec2 over_edge(ivec2 at, int last) {
    at = at.x < 0 ? ivec2(-1 - at.x, last - at.y) : (at.x > last ? ivec2(2 * last + 1 - at.x, last - at.y) : at);
    return at.y < 0 ? ivec2(last - at.x, -1 - at.y) : (at.y > last ? ivec2(last - at.x, 2 * last + 1 - at.y) : at);
}

vec4 mirror_image(int place, vec3 d, float rough) {
    int lod = int(rough * (8.0 - 2.5 * rough) + 0.5);
    int last = (IMAGE_SIZE >> lod) - 1;
    vec2 at = octahedron_place(d) * float(last + 1) - 0.5;
    ivec2 low = ivec2(floor(at));
    vec2 f = at - vec2(low);
    vec4 sum = vec4(0.0);
    for (int i = 0; i < 4; ++i) {
        ivec2 corner = ivec2(i & 1, i >> 1);
        vec2 side = mix(1.0 - f, f, vec2(corner));
        sum += texelFetch(mirror_images, ivec3(over_edge(low + corner, last), place), lod) * (side.x * side.y);
    }
    return sum;
}

// What a surface mirrors of the level.
struct Mirrored {
    vec3 light;      // of surfaces, as far as they are what is mirrored
    float sky;       // share that is the sky
    float counts;    // of this; the rest is as probes have it
};

// The way that most of what a surface mirrors comes by: to a rough one what grazes it counts little. The form is that of
// Lagarde and de Rousiers 2014, "Moving Frostbite to Physically Based Rendering", 4.9.3; by the fourth power of roughness,
// with which images that are blurred as here are nearest to paths.
vec3 mirrored_way(Surface s) {
    float even = max(1.0 - s.a2, 0.0);
    return normalize(mix(s.normal, reflect(-s.to_eye, s.normal), even * (sqrt(even) + s.a2)));
}

// images: see which_images.glsl; `open`: of the sky toward what it mirrors, as probes have it; `light`: of surfaces
// about, as they have it.
Mirrored mirrored_level(Surface s, float images, float open, vec3 light) {
    Mirrored m = Mirrored(vec3(0.0), 0.0, 0.0);
    int code = int(images + 0.5);
    float beside = float(code >> 8) / 7.0;
    int times = beside > 0.0 ? 2 : 1;
    for (int i = 0; i < times; ++i) {
        int place = (i == 0 ? code : code >> 4) & 15;
        float counts = place == 0 ? 0.0 : (i == 0 ? 1.0 - beside : beside);
        int row = max(place - 1, 0);
        vec4 eye = texelFetch(mirror_places, ivec2(0, row), 0);
        vec4 below = texelFetch(mirror_places, ivec2(1, row), 0);
        vec3 above = texelFetch(mirror_places, ivec2(2, row), 0).xyz;
        vec3 d = mirrored_way(s);
        vec3 p = clamp(s.position, below.xyz, above);
        vec3 ahead = vec3(greaterThan(d, vec3(0.0)));
        vec3 ways = (mix(below.xyz, above, ahead) - p) / ((2.0 * ahead - 1.0) * max(abs(d), 1e-5));
        vec4 image = mirror_image(row, p + d * min(ways.x, min(ways.y, ways.z)) - eye.xyz, s.rough);
        counts *= step(1e-9, below.w);
        vec3 of_surfaces = image.rgb * (below.w * mirrors_gain / max(image.a, 1e-3));
        vec3 shown = mix(light, of_surfaces, smoothstep(0.0, 0.05, image.a));
        float sky = mix(open, 1.0 - image.a, eye.w > 0.5 ? 1.0 : OUTSIDE);
        m.sky += sky * counts;
        m.light += shown * ((1.0 - sky) * counts);
        m.counts += counts;
    }
    m.sky = m.counts > 0.0 ? m.sky / m.counts : open;
    m.light /= max(m.counts, 1e-6);
    m.counts *= image_share(code, s.rough);
    return m;
}
