#version 330
// Graph paper: squares of 10 mm, heavier at 50, within the outline of the bed.
in vec2 place;
uniform vec4 bounds;
uniform bool is_round;
uniform vec3 paper;
uniform vec3 bed;
uniform vec3 rule;
uniform vec3 faint;
uniform bool glass;
out vec4 colour;

float ruled(float step, float wide) {
    vec2 near = abs(fract((place - bounds.xy) / step - 0.5) - 0.5) * step / fwidth(place);
    float line = min(near.x, near.y);
    return 1.0 - clamp(line - wide + 0.5, 0.0, 1.0);
}

void main() {
    vec2 middle = (bounds.xy + bounds.zw) * 0.5;
    vec2 half_size = (bounds.zw - bounds.xy) * 0.5;
    vec2 off = abs(place - middle) - half_size;
    float beyond = is_round ? length(place - middle) - half_size.x : max(off.x, off.y);
    float soft = max(fwidth(beyond), 1e-4);
    if (beyond > soft) discard;
    // Rules closer than a few points of the screen would only be noise.
    float fine = clamp(3.2 - 1.45 * length(fwidth(place)), 0.0, 1.0);
    vec3 ink = mix(bed, rule, 0.55 * fine * ruled(10.0, 0.5));
    ink = mix(ink, rule, ruled(50.0, 0.9));
    ink = mix(ink, faint, 1.0 - clamp(abs(beyond) / soft - 0.6, 0.0, 1.0));
    // From below the bed is glass: only its rules are there.
    float rules = max(max(0.55 * fine * ruled(10.0, 0.3), ruled(50.0, 0.6)), 1.0 - clamp(abs(beyond) / soft - 0.6, 0.0, 1.0));
    if (glass && rules < 0.4) discard;
    colour = vec4(mix(ink, paper, clamp(beyond / soft, 0.0, 1.0)), 1.0);
}
