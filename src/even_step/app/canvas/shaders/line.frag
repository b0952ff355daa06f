#version 330
flat in vec3 ink;
flat in vec3 side;
in float across;
in float beyond;  // the plane of the cut, mm
uniform vec3 light;
uniform bool is_flat;
out vec4 colour;
void main() {
    if (beyond > 0.0) discard;
    if (is_flat) {
        // In a section lines are told apart by their edges.
        colour = vec4(mix(ink, vec3(1.0), 0.30 * smoothstep(0.80, 1.0, abs(across))), 1.0);
        return;
    }
    // Shaded as a round bead: flat on top, falling off at its flanks.
    float bend = across * abs(across);
    vec3 normal = normalize(side * bend + vec3(0.0, 0.0, 1.0 - 0.6 * abs(bend)));
    float soft = 0.5 + 0.5 * dot(normal, light);
    colour = vec4(ink * (0.50 + 0.66 * soft), 1.0);
}
