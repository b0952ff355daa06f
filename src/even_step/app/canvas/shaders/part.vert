#version 330
in vec3 corner;
uniform mat4 stands;
uniform mat4 seen;
uniform float nearer;
out vec3 place;
void main() {
    vec4 stood = stands * vec4(corner, 1.0);
    place = stood.xyz;
    gl_Position = seen * stood;
    gl_Position.z -= nearer * gl_Position.w;
}
