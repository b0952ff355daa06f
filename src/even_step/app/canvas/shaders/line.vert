#version 330
// A laid line as its top and the flank that faces the eye: width and height are the line's own.
in vec3 start;
in float width;
in float high;
in float role;
in float shade;
in vec3 end;
uniform mat4 seen;
uniform int hidden;
uniform vec2 hidden_heights[SPANS];
uniform int spans;
uniform sampler2D palette;
uniform vec2 span;
uniform vec3 travelling;
uniform bool is_flat;
uniform int corners;
uniform vec3 eye;
flat out vec3 ink;
out float across;
flat out vec3 side;
const float ACROSS[3] = float[3](-1.0, 0.72, 1.0);
void main() {
    // With two of the three corners it is one slanted face.
    int corner = corners == 2 ? gl_VertexID & 2 : gl_VertexID >> 1;
    vec2 way = end.xy - start.xy;
    float far = length(way);
    // From the last point of a path a travel leads on: its width is below 0.
    int number = width < 0.0 ? TRAVEL : int(role + 0.5);
    float wide = abs(width);
    bool gone = wide == 0.0 || ((hidden >> number) & 1) == 1;
    for (int k = 0; k < spans && number != TRAVEL; k++)
        gone = gone || (high >= hidden_heights[k].x && high < hidden_heights[k].y);
    way = far > 0.0 ? way / far : vec2(1.0, 0.0);
    vec2 beside = vec2(-way.y, way.x);
    float facing = is_flat || dot(beside, eye.xy - start.xy) > 0.0 ? 1.0 : -1.0;
    float over = is_flat && corner == 1 ? 1.0 : facing * ACROSS[corner];
    bool first = (gl_VertexID & 1) == 0;
    vec3 place = first ? start : end;
    // Ends reach on by a part of the width, so that corners close.
    place.xy += (first ? -0.35 : 0.35) * wide * way + beside * over * wide * 0.5;
    float top = number == TRAVEL || first ? start.z : end.z;
    place.z = is_flat || corner != 2 ? top : max(top - high, 0.0);
    gl_Position = gone ? vec4(2.0, 2.0, 2.0, 1.0) : seen * vec4(place, 1.0);
    ink = number == TRAVEL ? travelling : textureLod(palette, vec2(span.x + span.y * shade, 0.5), 0.0).rgb;
    across = over;
    side = vec3(beside, 0.0);
}
