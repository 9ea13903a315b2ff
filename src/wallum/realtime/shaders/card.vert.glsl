#version 430 core
// One sheet of a card or a veil: four corners.

uniform mat4 to_clip;

in vec4 in_start;      // middle of its near side; half its width there
in vec4 in_along;      // way to the middle of its far side; half its width there
in vec4 in_across;     // unit, to the side; kind: 0 beam, 1 opening, 2 veil
in vec4 in_light;      // pre-exposed, see physics/card.py; what it hides
in vec4 in_even;       // of a veil, pre-exposed; of an opening, normal of its slabs that lie the other way; share over which it fades to its sides
in vec4 in_toward;     // way that its light travels; forwardness
in vec4 in_shown;      // thickness of a slab, or what a beam is multiplied with; from its source; 1 / range; contrast
in vec4 in_fades;      // 1 / before surfaces; 1 / near the eye; noise: by which it has moved on
in float in_grain;     // cells of noise for a metre

out vec3 v_place;
flat out vec4 v_start;
flat out vec4 v_along;
flat out vec4 v_across;
flat out vec4 v_light;
flat out vec4 v_even;
flat out vec4 v_toward;
flat out vec4 v_shown;
flat out vec4 v_fades;
flat out float v_grain;

void main() {
    float side = (gl_VertexID & 1) == 0 ? -1.0 : 1.0;
    float far = (gl_VertexID & 2) == 0 ? 0.0 : 1.0;
    vec3 p = in_start.xyz + far * in_along.xyz + side * mix(in_start.w, in_along.w, far) * in_across.xyz;
    v_place = p;
    v_start = in_start;
    v_along = in_along;
    v_across = in_across;
    v_light = in_light;
    v_even = in_even;
    v_toward = in_toward;
    v_shown = in_shown;
    v_fades = in_fades;
    v_grain = in_grain;
    gl_Position = to_clip * vec4(p, 1.0);
}
