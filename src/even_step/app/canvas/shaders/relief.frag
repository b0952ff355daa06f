#version 330
// The skin of a texture as light and shade, multiplied into what is drawn: noise in space, no finer than is to be seen.
in vec3 place;
uniform vec3 light;
uniform vec3 eye;
uniform float depth;
uniform float spacing;
uniform float cut;
out vec4 colour;

float mixed(ivec3 cell) {
    uint x = uint(cell.x) * 0x9E3779B9u ^ uint(cell.y) * 0x85EBCA6Bu ^ uint(cell.z) * 0xC2B2AE35u;
    x = (x ^ (x >> 16)) * 0x7FEB352Du;
    x = (x ^ (x >> 15)) * 0x846CA68Bu;
    return float(x ^ (x >> 16)) / 4294967295.0;
}

float noise(vec3 at) {
    ivec3 cell = ivec3(floor(at));
    vec3 t = fract(at);
    t = t * t * (3.0 - 2.0 * t);
    float sum = 0.0;
    for (int k = 0; k < 8; k++) {
        ivec3 corner = ivec3(k & 1, (k >> 1) & 1, k >> 2);
        vec3 share = mix(1.0 - t, t, vec3(corner));
        sum += share.x * share.y * share.z * mixed(cell + corner);
    }
    return sum;
}

void main() {
    if (place.z > cut) discard;
    vec3 normal = normalize(cross(dFdx(place), dFdy(place)));
    if (dot(normal, eye - place) < 0.0) normal = -normal;
    float point = length(fwidth(place));
    float cell = max(spacing, 2.2 * point);
    vec3 at = place / cell;
    float here = noise(at);
    const float step = 0.35;
    vec3 rise = vec3(noise(at + vec3(step, 0.0, 0.0)), noise(at + vec3(0.0, step, 0.0)),
                     noise(at + vec3(0.0, 0.0, step))) - here;
    // Shallow textures are shown deeper than they are, or nothing would be seen of them.
    float steep = 1.2 + 2.2 * clamp(depth / 0.6, 0.0, 1.0);
    vec3 bent = normalize(normal - steep * (rise - normal * dot(rise, normal)));
    float shade = 1.0 + 0.55 * (dot(bent, light) - dot(normal, light)) - 0.10 * (1.0 - here);
    colour = vec4(vec3(clamp(shade, 0.45, 1.0)), 1.0);
}
