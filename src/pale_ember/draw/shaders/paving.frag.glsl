#version 330 core
// KIND 1 flagstones, 2 setts, 3 planks. A square of paving, made once, that fits its own other sides: the slope to the right and
// towards the eye (red and green, 0.5 is level), its tone, its height.
in vec2 at;
out vec4 colour;
//! noise

const float SIDE = 5.12;  // m
#if KIND == 2
const vec2 COUNT = vec2(26.0, 32.0);
const float ROUND = 0.026, RISE = 0.017, TILT = 0.03;
#elif KIND == 3
const vec2 COUNT = vec2(2.0, 26.0);
const float ROUND = 0.007, RISE = 0.012, TILT = 0.01;
#else
const vec2 COUNT = vec2(6.0, 8.0);
const float ROUND = 0.016, RISE = 0.016, TILT = 0.012;
#endif

float octaves(vec2 p, int first, int count, int salt) {
    float sum = 0.0, part = 0.5;
    int cells = first;
    for (int i = 0; i < count; i++, cells *= 2, part *= 0.5) sum += part * noise(p / SIDE * float(cells), ivec2(cells), salt + i);
    return sum + part;
}

struct Stone {
    float edge;   // m to its edge, less than 0 beyond
    ivec2 id;
    vec2 off;     // from its middle
};

float joint(int row, int k) {
    float wrapped = mod(float(k), COUNT.x);
    return (float(k) + 0.5 * (dice(ivec2(int(wrapped), row), 3) - 0.5)) * SIDE / COUNT.x;
}

Stone stone_at(vec2 p) {
#if KIND != 3
    p += 0.014 * (vec2(octaves(p, 24, 3, 11), octaves(p, 24, 3, 17)) - 0.5);
#endif
    float tall = SIDE / COUNT.y, wide = SIDE / COUNT.x;
    int row = int(mod(floor(p.y / tall), COUNT.y));
    float y = p.y - floor(p.y / tall) * tall;
    float x = p.x + dice(ivec2(row, 0), 5) * wide;
    int k = int(floor(x / wide));
    if (x < joint(row, k)) k -= 1;
    else if (x > joint(row, k + 1)) k += 1;
    float left = joint(row, k), right = joint(row, k + 1);
    Stone found;
    found.edge = min(min(x - left, right - x), min(y, tall - y));
    found.id = ivec2(int(mod(float(k), COUNT.x)), row);
    found.off = vec2(x - 0.5 * (left + right), y - 0.5 * tall);
    return found;
}

float high(vec2 p) {
    Stone s = stone_at(p);
    vec2 tilt = vec2(dice(s.id, 21), dice(s.id, 22)) - 0.5;
    float rise = RISE * (1.0 - exp(-max(s.edge, 0.0) / ROUND)) + dot(s.off, tilt) * TILT + 0.006 * dice(s.id, 23);
#if KIND == 3
    // Grain that runs along the plank.
    float grain = noise(p / SIDE * vec2(8.0, 256.0), ivec2(8, 256), 31) + 0.5 * noise(p / SIDE * vec2(16.0, 768.0), ivec2(16, 768), 32);
    return rise + 0.0022 * grain;
#else
    float rough = octaves(p, 24, 5, 41);
    // Worn hollows, and chips near the edge.
    rise -= 0.010 * smoothstep(0.56, 0.75, octaves(p, 12, 3, 51)) * exp(-max(s.edge, 0.0) / 0.05);
    return rise + 0.011 * (rough - 0.5);
#endif
}

void main() {
    vec2 p = at * SIDE;
    const float e = 0.004;
    float here = high(p);
    vec2 slope = vec2(high(p + vec2(e, 0.0)) - here, high(p + vec2(0.0, e)) - here) / e;
    Stone s = stone_at(p);
    float tone = 0.50 + 0.34 * dice(s.id, 61);
#if KIND == 3
    tone += 0.30 * (noise(p / SIDE * vec2(8.0, 205.0), ivec2(8, 205), 62) - 0.5) + 0.18 * (octaves(p, 6, 3, 63) - 0.5);
#else
    tone += 0.45 * (octaves(p, 5, 4, 62) - 0.5) + 0.30 * (octaves(p, 96, 3, 63) - 0.5);
#endif
    // What gathers between them is dark.
    tone *= mix(0.30, 1.0, smoothstep(-0.002, ROUND * 1.2, s.edge));
    colour = vec4(clamp(0.5 - 0.5 * slope / sqrt(1.0 + dot(slope, slope)), 0.0, 1.0), clamp(tone, 0.0, 1.0), clamp(here / 0.034, 0.0, 1.0));
}
