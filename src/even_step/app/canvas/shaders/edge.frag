#version 330
in float high;
uniform vec4 tint;
uniform float cut;
out vec4 colour;
void main() {
    if (high > cut) discard;
    colour = tint;
}
