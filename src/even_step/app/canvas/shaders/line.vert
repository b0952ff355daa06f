#version 330
// A segment as it stands in memory; where it goes and how it looks is worked out once for all its corners.
in vec3 start;
in float width;
in float high;
in float role;
in float shade;
in vec3 end;
out Segment {
    vec3 start;
    vec3 end;
    float width;
    float high;
    float role;
    float shade;
} segment;
void main() {
    segment.start = start;
    segment.end = end;
    segment.width = width;
    segment.high = high;
    segment.role = role;
    segment.shade = shade;
}
