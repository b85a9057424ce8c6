// Bumps of a mesh: value noise in space. The hash is pcg3d (Jarzynski and Olano, "Hash Functions for GPU Rendering", JCGT 2020).
float chance(ivec3 cell) {
    uvec3 v = uvec3(cell) * 1664525u + 1013904223u;
    v.x += v.y * v.z;
    v.y += v.z * v.x;
    v.z += v.x * v.y;
    v ^= v >> 16u;
    v.x += v.y * v.z;
    return float(v.x) * (1.0 / 4294967296.0);
}

// -1 to 1, one cell for each unit; two octaves.
float bumpy(vec3 p) {
    float sum = 0.0, share = 1.0;
    for (int octave = 0; octave < 2; octave++) {
        vec3 cell = floor(p), f = p - cell;
        f = f * f * f * (f * (f * 6.0 - 15.0) + 10.0);
        ivec3 c = ivec3(cell);
        vec4 low = vec4(chance(c), chance(c + ivec3(1, 0, 0)), chance(c + ivec3(0, 1, 0)), chance(c + ivec3(1, 1, 0)));
        vec4 high = vec4(chance(c + ivec3(0, 0, 1)), chance(c + ivec3(1, 0, 1)), chance(c + ivec3(0, 1, 1)), chance(c + ivec3(1)));
        vec4 mixed = mix(low, high, f.z);
        vec2 row = mix(mixed.xy, mixed.zw, f.y);
        sum += share * (2.0 * mix(row.x, row.y, f.x) - 1.0);
        p = p * 2.03 + 17.1;
        share *= 0.5;
    }
    return sum / 1.5;
}

// Pushes a point of a mesh, as modelled, out from the mesh's middle, so that faces that share it stay together, and leans its
// normal accordingly. own : the particle's number, 0 to 1, for bumps of its own.
void bump(inout vec3 at, inout vec3 lean, float by, float wide, float run, float own) {
    vec3 way = at / max(length(at), 1e-5);
    vec3 p = at / wide + vec3(own * 61.7, own * 23.1 - run, own * 91.3);
    const float e = 0.08;
    float here = bumpy(p);
    vec3 slope = vec3(bumpy(p + vec3(e, 0.0, 0.0)), bumpy(p + vec3(0.0, e, 0.0)), bumpy(p + vec3(0.0, 0.0, e))) - here;
    slope *= by / (e * wide);
    at += way * (here * by);
    lean = normalize(lean - slope + lean * dot(slope, lean));
}
