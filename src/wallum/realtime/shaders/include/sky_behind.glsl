// The sky behind all cloud: a dome, or with PICTURE a panorama. Twin of Dome.seen in moment/scene.py
// and of physics/panorama.py.

uniform sampler2D dome;        // rows from the horizon up, columns clockwise from north; of a panorama
                               // from the zenith down, north in the middle
uniform float dome_exposure;
#ifdef PICTURE
uniform vec4 picture_place;    // turn [turns]; its horizon [quarter turns]; contrast - 1; luminance of 1 over its middle
uniform vec4 picture_light;    // what lies over it, in its own unit; which blurred copy is read
#endif

vec3 sky_behind(vec3 d) {
    float across = atan(d.x, -d.z) * (0.5 / 3.14159265);
    float elevation = asin(clamp(d.y, 0.0, 1.0)) * (2.0 / 3.14159265);
#ifdef PICTURE
    float there = mix(picture_place.y, 1.0, elevation);
    vec2 at = vec2(across - picture_place.x + 0.5, 0.5 - 0.5 * there);
    vec3 light = textureLod(dome, at, picture_light.w).rgb;
    float grey = max(dot(light, vec3(0.2126, 0.7152, 0.0722)), 1e-6) * picture_place.w;
    light = picture_place.z == 0.0 ? light : light * pow(grey, picture_place.z);
    return (light + picture_light.rgb) * dome_exposure;
#else
    return textureLod(dome, vec2(across, sqrt(elevation)), 0.0).rgb * dome_exposure;
#endif
}
