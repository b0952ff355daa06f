#version 330
uniform vec4 tint;
out vec4 colour;
void main() { colour = tint; }
