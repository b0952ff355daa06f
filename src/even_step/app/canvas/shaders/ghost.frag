#version 330
// A part as a veil, thicker toward its outline.
in vec3 place;
uniform vec3 eye;
uniform vec3 tint;
uniform vec3 plane;
out vec4 colour;
void main() {
    if (dot(plane.xy, place.xy) > plane.z) discard;
    vec3 normal = normalize(cross(dFdx(place), dFdy(place)));
    float edgewise = 1.0 - abs(dot(normal, normalize(eye - place)));
    colour = vec4(tint, 0.05 + 0.30 * edgewise * edgewise);
}
