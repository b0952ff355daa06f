#version 330
// Facets in bone with soft light; what hangs past the machine's limit is hatched, denser the steeper.
in vec3 place;
uniform vec3 eye;
uniform vec3 light;
uniform vec3 bone;
uniform vec3 ink;
uniform vec3 clay;
uniform vec3 mark;
uniform float marked;
uniform vec4 limits;
uniform float first_layer;
uniform bool hatched;
uniform float points;
uniform bool ghost;
uniform float cut;
uniform vec3 zone;
uniform bool in_zone;
uniform int zones;
uniform int kind[MOST_ZONES];
uniform mat4 about[MOST_ZONES];
uniform sampler3D filled;
uniform float slots;
uniform bool banded;
uniform float tall;
uniform vec3 band;
uniform float bands[MOST_BANDS];
uniform float pointed_z;
out vec4 colour;

float limit_toward(vec2 way) {
    float turn = mod(atan(way.y, way.x) / 1.5707963 + 4.0, 4.0);
    int at = int(turn) % 4;
    return mix(limits[at], limits[(at + 1) % 4], fract(turn));
}

bool lies_in_mesh(vec3 at, float slot) {
    if (slot >= slots || max(max(abs(at.x), abs(at.y)), abs(at.z)) > 0.5005) return false;
    // Within its own grid of those that stand one over the other, no nearer to the next than the middle of a cell.
    float half_cell = 0.5 / float(textureSize(filled, 0).x);
    vec3 into = vec3(at.xy + 0.5, (slot + clamp(at.z + 0.5, half_cell, 1.0 - half_cell)) / slots);
    return texture(filled, into).r > 0.5;
}

bool lies_in_zone() {
    // Each zone's own frame makes of it a box, a cylinder, a ball or a mesh of size 1.
    for (int k = 0; k < zones; k++) {
        vec3 at = (about[k] * vec4(place, 1.0)).xyz;
        if (kind[k] >= 3) {
            if (lies_in_mesh(at, float(kind[k] - 3))) return true;
            continue;
        }
        float off = kind[k] == 2 ? length(at) : max(kind[k] == 1 ? length(at.xy) : max(abs(at.x), abs(at.y)), abs(at.z));
        if (off <= 0.5005) return true;
    }
    return false;
}

void main() {
    if (place.z > cut) discard;
    vec3 normal = normalize(cross(dFdx(place), dFdy(place)));
    if (ghost) {
        // Hidden undersides face away from the viewer; seen through the part, they are dashes.
        if (gl_FrontFacing) discard;
        if (dot(normal, normalize(eye - place)) > 0.0) normal = -normal;
        float hidden = degrees(atan(-normal.z, length(normal.xy)));
        float dash = fract((gl_FragCoord.x - gl_FragCoord.y) / (14.0 * points));
        float row = abs(fract((gl_FragCoord.x + gl_FragCoord.y) / (12.0 * points)) - 0.5) * 12.0;
        bool past = normal.z < 0.0 && place.z > first_layer && hidden > limit_toward(normal.xy);
        if (!hatched || !past || dash > 0.5 || row > 0.6) discard;
        colour = vec4(clay, 1.0);
        return;
    }
    vec3 toward = normalize(eye - place);
    if (dot(normal, toward) < 0.0) normal = -normal;
    float soft = 0.5 + 0.5 * dot(normal, light);
    float sky = 0.5 + 0.5 * normal.z;
    vec3 base = mix(bone, mark, marked);
    if (in_zone || lies_in_zone()) base = mix(base, zone, 0.34);
    // The finer the layers will be, the deeper the tint.
    if (banded) base = mix(base, band, 0.5 * bands[clamp(int(place.z / tall * MOST_BANDS), 0, MOST_BANDS - 1)]);
    vec3 lit = base * (0.58 + 0.29 * soft + 0.12 * sky);
    float rim = 1.0 - dot(normal, toward);
    lit = mix(lit, ink, 0.30 * pow(rim, 5.0));
    if (hatched && normal.z < 0.0 && place.z > first_layer) {
        float hangs = degrees(atan(-normal.z, length(normal.xy)));
        float past = hangs - limit_toward(normal.xy);
        if (past > 0.0) {
            float steep = clamp(past / 45.0, 0.0, 1.0);
            float apart = mix(9.0, 5.0, steep) * points;
            float near = abs(fract((gl_FragCoord.x + gl_FragCoord.y) / apart) - 0.5) * apart;
            float line = 1.0 - clamp(near - 0.75 * points, 0.0, 1.0);
            // Undersides lie in the dark: lighter bone between the lines keeps the hatch legible.
            lit = mix(mix(lit, base * 0.90, 0.6), clay * 0.86, 0.92 * line);
        }
    }
    // As wide on the screen whatever the slope.
    float off = abs(place.z - pointed_z) / max(fwidth(place.z), 1e-6);
    if (banded && pointed_z >= 0.0 && off < 1.2 * points) lit = band;
    colour = vec4(lit, 1.0);
}
