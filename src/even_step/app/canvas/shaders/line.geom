#version 330
// A laid line as its top and the flank that faces the eye: width and height are the line's own.
layout(points) in;
layout(triangle_strip, max_vertices = 6) out;
in Segment {
    vec3 start;
    vec3 end;
    float width;
    float high;
    float role;
    float shade;
} segments[];
uniform mat4 seen;
uniform int hidden;
uniform vec2 hidden_heights[SPANS];
uniform int spans;
uniform sampler2D palette;
uniform vec2 span;
uniform vec3 travelling;
uniform bool is_flat;
uniform int corners;
uniform int slanted;  // roles of which a line is always one slanted face
uniform vec3 eye;
uniform vec3 plane;
uniform float least;  // mm, as narrow as a line may be drawn
flat out vec3 ink;
out float across;
flat out vec3 side;
out float beyond;
const float ACROSS[3] = float[3](-1.0, 0.72, 1.0);
void main() {
    vec3 start = segments[0].start, end = segments[0].end;
    float width = segments[0].width, high = segments[0].high;
    // From the last point of a path a travel leads on: its width is below 0.
    int number = width < 0.0 ? TRAVEL : int(segments[0].role + 0.5);
    bool gone = width == 0.0 || ((hidden >> number) & 1) == 1;
    for (int k = 0; k < spans && number != TRAVEL; k++)
        gone = gone || (high >= hidden_heights[k].x && high < hidden_heights[k].y);
    if (gone) return;
    float wide = number == TRAVEL ? abs(width) : max(width, least);
    vec2 way = end.xy - start.xy;
    float far = length(way);
    way = far > 0.0 ? way / far : vec2(1.0, 0.0);
    vec2 beside = vec2(-way.y, way.x);
    float facing = is_flat || dot(beside, eye.xy - start.xy) > 0.0 ? 1.0 : -1.0;
    if (number == TRAVEL) end.z = start.z;
    // Ends reach on by a part of the width, so that corners close.
    start.xy -= 0.35 * wide * way;
    end.xy += 0.35 * wide * way;
    vec3 colour = number == TRAVEL ? travelling
        : textureLod(palette, vec2(span.x + span.y * segments[0].shade, 0.5), 0.0).rgb;
    // With two of the three corners it is one slanted face.
    int by = ((slanted >> number) & 1) == 1 ? 2 : 4 - corners;
    for (int corner = 0; corner < 3; corner += by) {
        float over = facing * ACROSS[corner];
        vec2 off = beside * over * wide * 0.5;
        float down = is_flat || corner != 2 ? 0.0 : high;
        ink = colour;
        across = over;
        side = vec3(beside, 0.0);
        beyond = dot(plane.xy, start.xy + off) - plane.z;
        gl_Position = seen * vec4(start.xy + off, max(start.z - down, 0.0), 1.0);
        EmitVertex();
        ink = colour;
        across = over;
        side = vec3(beside, 0.0);
        beyond = dot(plane.xy, end.xy + off) - plane.z;
        gl_Position = seen * vec4(end.xy + off, max(end.z - down, 0.0), 1.0);
        EmitVertex();
    }
}
