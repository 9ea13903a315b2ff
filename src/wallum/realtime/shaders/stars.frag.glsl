#version 430 core
// One star: a pixel of light.

#ifdef DECK
uniform sampler2D deck;        // what it leaves of what lies behind, last
uniform vec2 deck_uv;
#endif

in vec3 v_light;
out vec4 out_colour;

void main() {
    vec3 light = v_light;
#ifdef DECK
    light *= textureLod(deck, gl_FragCoord.xy * deck_uv, 0.0).a;
#endif
    out_colour = vec4(min(light, 60000.0), 1.0);
}
