#version 330
in vec2 corner;
uniform mat4 seen;
out vec2 place;
void main() {
    place = corner;
    gl_Position = seen * vec4(corner, -0.03, 1.0);
}
