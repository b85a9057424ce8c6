// Chance by place. The hash is pcg2d (Jarzynski and Olano, "Hash Functions for GPU Rendering", JCGT 2020).
float dice(ivec2 cell, int salt) {
    uvec2 v = uvec2(cell + ivec2(salt * 37, salt * 101)) * 1664525u + 1013904223u;
    v.x += v.y * 1664525u;
    v.y += v.x * 1664525u;
    v ^= v >> 16u;
    v.x += v.y * 1664525u;
    v.y += v.x * 1664525u;
    v ^= v >> 16u;
    return float(v.x) * (1.0 / 4294967296.0);
}

// Value noise, 0 to 1, one cell for each unit; the same again after `period` cells, never for 0.
float noise(vec2 p, ivec2 period, int salt) {
    vec2 cell = floor(p), f = p - cell;
    f = f * f * f * (f * (f * 6.0 - 15.0) + 10.0);
    ivec2 low = ivec2(cell), high = low + 1;
    if (period.x > 0) {
        low = ivec2(mod(vec2(low), vec2(period)));
        high = ivec2(mod(vec2(high), vec2(period)));
    }
    return mix(mix(dice(low, salt), dice(ivec2(high.x, low.y), salt), f.x),
               mix(dice(ivec2(low.x, high.y), salt), dice(high, salt), f.x), f.y);
}
