#version 430 core
// One star: a pixel of light; a bright one has a glare about it, so that it is told from fainter ones.
// Source of its shape: Moffat 1969, beta 2.5, 0.6 pixels wide, all of its light together 1.

#ifdef DECK
uniform sampler2D deck;        // what it leaves of what lies behind, last
uniform vec2 deck_uv;
#endif

in vec3 v_light;
in float v_size;
out vec4 out_colour;

void main() {
    vec3 light = v_light;
    if (v_size > 1.0) {
        vec2 off = (gl_PointCoord - 0.5) * v_size / 0.6;
        light *= min(1.326 * pow(1.0 + dot(off, off), -2.5), 1.0);
    }
#ifdef DECK
    light *= textureLod(deck, gl_FragCoord.xy * deck_uv, 0.0).a;
#endif
    out_colour = vec4(min(light, 60000.0), 1.0);
}
