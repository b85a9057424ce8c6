#version 330 core
// KIND 1 stone, 2 brick, 3 wood, 4 iron. A piece of skin of a prop, made once, that fits its own other sides: its slope to the right
// and up (red and green, 0.5 is level), two thirds of its tone, how rough it is.
in vec2 at;
out vec4 colour;
//! noise
//! skin

float octaves(vec2 p, vec2 cells, int salt) {
    float sum = 0.5, part = 0.5;
    for (int i = 0; i < 4; i++, cells *= 2.0, part *= 0.5) sum += part * (noise(p / SKIN * cells, ivec2(cells), salt + i) - 0.5);
    return sum;
}

// Tone, height in m, and roughness at a place, m.
vec3 matter_at(vec2 p) {
#if KIND == 1
    float rough = octaves(p, vec2(18.0), 11), large = octaves(p, vec2(5.0), 17);
    return vec3(0.62 + 0.75 * (large - 0.5) + 0.5 * (rough - 0.5), 0.012 * rough + 0.02 * large, 0.8);
#elif KIND == 2
    const vec2 brick = vec2(0.23, 0.078);
    float row = floor(p.y / brick.y);
    vec2 q = vec2(p.x + 0.5 * brick.x * mod(row, 2.0), p.y);
    ivec2 id = ivec2(mod(floor(q / brick), SKIN / brick + 0.5));
    vec2 off = abs(fract(q / brick) - 0.5) * brick;
    vec2 in_it = 0.5 * brick - off - 0.006 + 0.004 * (octaves(p, vec2(55.0), 3) - 0.5);
    float edge = smoothstep(0.0, 0.007, min(in_it.x, in_it.y));
    float tone = mix(0.42, 0.62 + 0.32 * (dice(id, 5) - 0.5) + 0.5 * (octaves(p, vec2(22.0), 7) - 0.5), edge);
    tone *= 0.80 + 0.4 * octaves(p, vec2(3.0), 27);
    return vec3(tone, 0.006 * edge + 0.003 * octaves(p, vec2(55.0), 9), 0.85);
#elif KIND == 3
    // Boards lie along x.
    const float board = 0.145;
    float row = mod(floor(p.y / board), SKIN.y / board + 0.5);
    float edge = smoothstep(0.0, 0.007, (0.5 - abs(fract(p.y / board) - 0.5)) * board);
    float grain = octaves(vec2(p.x + dice(ivec2(row, 0), 3) * SKIN.x, p.y), vec2(9.0, 128.0), 13);
    float tone = (0.62 + 0.26 * (dice(ivec2(row, 0), 5) - 0.5) + 0.55 * (grain - 0.5)) * mix(0.35, 1.0, edge);
    return vec3(tone * (0.8 + 0.4 * octaves(p, vec2(8.0), 23)), 0.004 * edge + 0.0025 * grain, 0.75);
#else
    float spots = octaves(p, vec2(14.0), 31), fine = octaves(p, vec2(80.0), 37);
    return vec3(0.42 + 0.45 * (spots - 0.5) + 0.2 * (fine - 0.5), 0.004 * spots + 0.001 * fine, 0.34 + 0.3 * (spots - 0.5));
#endif
}

void main() {
    const float e = 0.004;
    vec2 p = at * SKIN;
    vec3 made = matter_at(p);
    vec2 slope = vec2(matter_at(p + vec2(e, 0.0)).y - made.y, matter_at(p + vec2(0.0, e)).y - made.y) / e;
    colour = clamp(vec4(0.5 + 0.5 * slope / sqrt(1.0 + dot(slope, slope)), made.x / 1.5, made.z), 0.0, 1.0);
}
