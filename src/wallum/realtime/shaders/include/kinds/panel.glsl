// Panels: even discs that face one way. Twin of moment/kinds/panel.py and physics/disc.py, where the
// derivation and its sources are given.

// Integral of (k.x + k.y cos t + k.z sin t) / (p + q cos t).
float panel_primitive(float t, vec3 k, float p, float q, float s) {
    float sine = sin(t);
    float cosine = cos(t);
    float part = sine / (p + s + q * cosine);
    float turned = atan(q * part) / q;
    float plain = (t - 2.0 * q * turned) / s;
    float by_cosine = -t * q / (s * (s + p)) + 2.0 * p * turned / s;
    return k.x * plain + k.y * by_cosine - k.z * log(1.0 + q * cosine / p) / q;
}

// Illuminance by luminance 1 of a surface with a normal, from a disc at `c` from it that faces `w`.
float panel_illuminance(vec3 c, vec3 w, float a, vec3 n) {
    float h = max(-dot(c, w), 1e-5);
    vec3 aside = c + w * h;
    // Next to the axis the terms have a limit that single precision cannot reach: a hair beside it.
    float rho = max(length(aside), 2e-3 * (h + a));
    vec3 helper = abs(w.y) < 0.9 ? vec3(0.0, 1.0, 0.0) : vec3(1.0, 0.0, 0.0);
    vec3 any_side = normalize(cross(helper, w));
    vec3 u = dot(aside, aside) > 1e-10 ? normalize(aside) : any_side;
    vec3 v = cross(w, u);
    vec3 m = vec3(dot(n, u), dot(n, v), dot(n, w));
    float level = rho * m.x - h * m.z;
    float most = a * length(m.xy);
    float middle = atan(m.y, m.x);
    float half_arc = level >= most ? PI : (level <= -most ? 0.0 : acos(clamp(-level / most, -1.0, 1.0)));
    vec3 k = vec3(a * a * m.z, a * (rho * m.z + h * m.x), a * h * m.y);
    float p = rho * rho + h * h + a * a;
    float q = 2.0 * a * rho;
    float s = sqrt(max(p * p - q * q, 1e-12));
    float last = middle + half_arc;
    float first = middle - half_arc;
    float around = panel_primitive(last, k, p, q, s) - panel_primitive(first, k, p, q, s);
    vec3 flat_c = u * rho - w * h;
    vec3 end = flat_c + a * (u * cos(last) + v * sin(last));
    vec3 start = flat_c + a * (u * cos(first) + v * sin(first));
    vec3 crossing = cross(end, start);
    float chord = sign(dot(crossing, n)) * atan(length(crossing), dot(end, start));
    bool cut = half_arc > 0.0 && half_arc < PI;
    float whole = max(-0.5 * (around + (cut ? chord : 0.0)), 0.0);
    return dot(c, w) < 0.0 && half_arc > 0.0 ? whole : 0.0;
}

// A point of the disc for the gloss: while a picture settles any, another for each pixel; before, the one
// next to the mirrored ray, with a lobe as much wider as the disc is. Source: Karis 2013.
vec3 panel_gloss(uint index, Surface s, float window) {
    vec3 w = lamp_row(index, LAMP_DIRECTION_OFFSET).xyz;
    vec3 c = lamp_row(index, LAMP_POSITION_RADIUS2).xyz - s.position;
    float a2 = lamp_row(index, LAMP_POSITION_RADIUS2).w;
    vec3 offset = lamp_row(index, LAMP_POINT).xyz - lamp_row(index, LAMP_POSITION_RADIUS2).xyz;
    float distance2 = max(dot(c, c), 1e-6);
    float rough2 = s.a2;
    float kept = 1.0;
    if (dot(offset, offset) > 1e-10) {
        float turn = 6.2831853 * fract(52.9829189 * fract(dot(gl_FragCoord.xy, vec2(0.06711056, 0.00583715))));
        offset = offset * cos(turn) + cross(w, offset) * sin(turn);
    } else {
        vec3 mirrored = reflect(-s.to_eye, s.normal);
        float along = dot(mirrored, w);
        vec3 met = mirrored * (dot(c, w) / (abs(along) > 1e-4 ? along : -1e-4)) - c;
        float away = length(met);
        offset = along < 0.0 ? met * min(1.0, sqrt(a2) / max(away, 1e-6)) : vec3(0.0);
        float rough = sqrt(s.a2);
        float wider = clamp(rough + 0.5 * sqrt(a2 / distance2), 0.0, 1.0);
        rough2 = wider * wider;
        kept = s.a2 / rough2;
    }
    vec3 way = c + offset;
    float d2 = max(dot(way, way), 1e-6);
    vec3 toward = way * inversesqrt(d2);
    float strength = PI * a2 * max(-dot(toward, w), 0.0) / d2 * window * kept;
    float n_l = clamp(dot(s.normal, toward), 0.0, 1.0);
    return gloss_response(s, toward, n_l, rough2) * (n_l * strength);
}

// `seen` : share of the light's point that is seen.
vec3 panel_seen(uint index, Surface s, vec3 seen) {
    vec4 place = lamp_row(index, LAMP_POSITION_RADIUS2);
    vec3 w = lamp_row(index, LAMP_DIRECTION_OFFSET).xyz;
    vec3 c = place.xyz - s.position;
    float ratio2 = dot(c, c) * lamp_row(index, LAMP_EMISSION_RANGE).w;
    float window = clamp(1.0 - ratio2 * ratio2, 0.0, 1.0);
    float whole = panel_illuminance(c, w, sqrt(place.w), s.normal);
    vec3 way = lamp_row(index, LAMP_POINT).xyz - s.position;
    float d2 = max(dot(way, way), 1e-6);
    vec3 toward = way * inversesqrt(d2);
    float n_l = max(dot(s.normal, toward), 0.0);
    // The whole is known: a point only says what is kept away of it. Of one picture no more than there is.
    float point = PI * place.w * max(-dot(toward, w), 0.0) / d2 * n_l;
    bool settling = any(greaterThan(abs(lamp_row(index, LAMP_POINT).xyz - place.xyz), vec3(1e-5)));
    point = settling ? point : min(point, whole);
    vec3 diffuse = under_response(s, max(n_l, 0.05)) * max(vec3(whole) - point * (1.0 - seen), vec3(settling ? -1e4 : 0.0));
    return lamp_row(index, LAMP_EMISSION_RANGE).rgb * (diffuse * window + panel_gloss(index, s, window) * seen);
}

vec3 panel_light(uint lamp, Surface s) {
    return panel_seen(lamp, s, vec3(1.0));
}

#ifdef LAMP_SHADOWS
vec3 panel_shadowed(uint lamp, Surface s) {
    vec3 way = lamp_row(lamp, LAMP_POINT).xyz - s.position;
    float far = sqrt(max(dot(way, way), 1e-6));
    return panel_seen(lamp, s, lamp_visibility(lamp, way / far, far, s.normal));
}
#endif

// Where the light that reaches a place leaves the body.
vec3 panel_origin(uint lamp, vec3 place) {
    return lamp_row(lamp, LAMP_POSITION_RADIUS2).xyz;
}
