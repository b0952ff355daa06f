#version 330
// An edge between two facets is drawn where it is sharp, or where one facet faces the eye and the other does not.
in vec3 corner;
in vec3 one;
in vec3 other;
uniform mat4 stands;
uniform mat4 seen;
uniform vec3 eye;
uniform vec2 shift;
uniform mat3 turn;
out float high;
void main() {
    vec4 stood = stands * vec4(corner, 1.0);
    high = stood.z;
    vec3 toward = eye - stood.xyz;
    float a = dot(turn * one, toward), b = dot(turn * other, toward);
    bool sharp = dot(one, other) < 0.80 && (a > 0.0 || b > 0.0);
    bool outline = a * b <= 0.0;
    gl_Position = seen * stood;
    gl_Position.z -= 0.00035 * gl_Position.w;
    gl_Position.xy += shift * gl_Position.w;
    if (!sharp && !outline) gl_Position = vec4(2.0, 2.0, 2.0, 1.0);
}
