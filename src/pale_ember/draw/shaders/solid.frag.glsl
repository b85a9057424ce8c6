#version 330 core
// A prop of the stage. MATTER 0 plain, 1 stone, 2 brick, 3 wood, 4 iron.
in vec3 at_world, at_own, leaning;
uniform float shines;
uniform vec3 eye, forward;
uniform vec3 stone, own_tint;
uniform vec3 haze_colour, fog_tint;
uniform float haze, fog;
uniform bool grounded;  // whether it stands on the ground, which takes some light from its foot
layout(location = 0) out vec4 colour;
layout(location = 1) out float depth;
uniform float wet;
//! light
#if MATTER
uniform mat3 axes;       // its own, in the world
uniform vec3 half_size;  // m; of a box, else 0
uniform bool round_body;
//! noise
//! gloss

float octaves(vec2 p, int salt, float pixel) {
    float sum = 0.5, part = 0.5;
    for (int i = 0; i < 4; i++, p *= 2.03, part *= 0.5, pixel *= 2.03) sum += part * (noise(p, ivec2(0), salt + i) - 0.5) * clamp(1.6 - pixel * 2.0, 0.0, 1.0);
    return sum;
}

// How its matter is made at a place of its skin: tone, height in m, and how rough it is.
vec3 matter_at(vec2 p, vec2 free, float pixel) {
#if MATTER == 1
    float rough = octaves(p * 9.0, 11, pixel * 9.0), large = octaves(p * 2.3, 17, pixel * 2.3);
    return vec3(0.62 + 0.75 * (large - 0.5) + 0.5 * (rough - 0.5), 0.012 * rough + 0.02 * large, 0.8);
#elif MATTER == 2
    const vec2 brick = vec2(0.23, 0.078);
    float row = floor(p.y / brick.y);
    vec2 q = vec2(p.x + 0.5 * brick.x * mod(row, 2.0), p.y);
    ivec2 id = ivec2(floor(q / brick));
    vec2 off = abs(fract(q / brick) - 0.5) * brick;
    vec2 in_it = 0.5 * brick - off - 0.006 + 0.004 * (octaves(p * 30.0, 3, pixel * 30.0) - 0.5);
    float edge = smoothstep(0.0, 0.006 + pixel, min(in_it.x, in_it.y));
    float tone = mix(0.42, 0.62 + 0.32 * (dice(id, 5) - 0.5) + 0.5 * (octaves(p * 12.0, 7, pixel * 12.0) - 0.5), edge);
    tone *= 0.80 + 0.4 * octaves(p * 1.7, 27, pixel * 1.7);
    return vec3(tone, 0.006 * edge + 0.003 * octaves(p * 30.0, 9, pixel * 30.0), 0.85);
#elif MATTER == 3
    // Boards lie along x; on a box a frame runs round each side.
    const float board = 0.145;
    vec2 inset = free - abs(p);
    bool framed = free.x > 0.0 && min(inset.x, inset.y) < 0.085 && min(free.x, free.y) > 0.16;
    vec2 q = framed && inset.x < inset.y ? p.yx : p;
    float row = floor(q.y / board + (framed ? 7.0 : 0.0));
    float off = framed ? min(min(inset.x, inset.y), 0.085 - min(inset.x, inset.y)) : (0.5 - abs(fract(q.y / board) - 0.5)) * board;
    float edge = smoothstep(0.0, 0.005 + pixel, off);
    float grain = octaves(vec2(q.x * 3.0 + dice(ivec2(row, 0), 3) * 30.0, q.y * 55.0), 13, pixel * 55.0);
    float tone = (0.62 + 0.26 * (dice(ivec2(row, framed ? 1 : 0), 5) - 0.5) + 0.55 * (grain - 0.5)) * mix(0.35, 1.0, edge) * (framed ? 1.12 : 1.0);
    return vec3(tone * (0.8 + 0.4 * octaves(p * 3.1, 23, pixel * 3.1)), 0.004 * edge + 0.0025 * grain + (framed ? 0.014 * smoothstep(0.0, 0.004, 0.085 - min(inset.x, inset.y)) : 0.0), 0.75);
#else
    float spots = octaves(p * 7.0, 31, pixel * 7.0), fine = octaves(p * 40.0, 37, pixel * 40.0);
    return vec3(0.42 + 0.45 * (spots - 0.5) + 0.2 * (fine - 0.5), 0.004 * spots + 0.001 * fine, 0.34 + 0.3 * (spots - 0.5));
#endif
}
#endif

void main() {
    vec3 normal = normalize(leaning);
    if (dot(normal, eye - at_world) < 0.0) normal = -normal;
    // A little unlike on each side, so that forms read where no light falls.
    float form = 0.86 + 0.14 * normal.y + 0.10 * normal.x;
    if (grounded) form *= 0.62 + 0.38 * smoothstep(0.0, 0.45, at_world.y) + 0.3 * max(normal.y, 0.0) * step(at_world.y, 0.45);
    float away = length(at_world - eye);
#if MATTER
    // Its skin laid flat: round bodies by their angle, others by the axis that each side looks along.
    vec3 own = transpose(axes) * normal;
    float pixel = max(length(fwidth(at_own)), 1e-4);
    vec2 p, free = vec2(0.0);
    vec3 u, v;
    if (round_body && abs(own.y) < 0.8) {
        float radius = max(length(at_own.xz), 1e-3);
        // Once round is a whole number of courses.
        p = vec2(atan(at_own.x, at_own.z) * max(round(radius / 0.0732), 1.0) * 0.0732, at_own.y);
        u = axes * vec3(at_own.z, 0.0, -at_own.x) / radius;
        v = axes[1];
    } else if (abs(own.y) > 0.7) { p = at_own.xz; free = half_size.xz; u = axes[0]; v = axes[2]; }
    else if (abs(own.x) > 0.7) { p = at_own.zy; free = half_size.zy; u = axes[2]; v = axes[1]; }
    else { p = at_own.xy; free = half_size.xy; u = axes[0]; v = axes[1]; }
#if MATTER == 3
    if (round_body) p = p.yx;  // staves stand
#endif
    vec3 made = matter_at(p, free, pixel);
    float e = max(0.004, pixel);
    vec2 slope = vec2(matter_at(p + vec2(e, 0.0), free, pixel).y - made.y, matter_at(p + vec2(0.0, e), free, pixel).y - made.y) / e;
    vec3 rough_normal = normalize(normal - u * slope.x - v * slope.y);
    vec3 to_eye = normalize(eye - at_world);
    float film = wet * (0.4 + 0.6 * max(normal.y, 0.0));
    vec3 shade = stone * clamp(made.x, 0.05, 1.5) * 1.45 * mix(1.0, 0.62, film) * received(at_world, rough_normal, 0.0) * form;
    float sheen = MATTER == 4 ? 1.0 : 0.85 * film;
    shade += glossed(at_world, to_eye, rough_normal, clamp(mix(made.z, 0.3, film), 0.15, 0.9)) * sheen;
#if MATTER == 4
    // Iron also throws back what light comes from all around.
    shade += 0.10 * mix(earth_light, sky_light, 0.5 + 0.5 * reflect(-to_eye, rough_normal).y) * form;
#endif
#else
    vec3 shade = stone * received(at_world, normal, 0.0) * form;
#endif
    shade += shines * own_tint;
    colour = vec4(mix(fog_tint, mix(haze_colour, shade, exp(-away * haze * away * haze)), exp(-away * fog)), 1.0);
    depth = dot(at_world - eye, forward);
}
