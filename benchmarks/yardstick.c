/* The arithmetic of a step and a Frame in plain C, to measure the kernels against. Compiled where a compiler is. */
#include <math.h>
#include <stdint.h>

static inline uint64_t mix(uint64_t x) {
    x = (x ^ (x >> 30)) * 0xBF58476D1CE4E5B9ull;
    x = (x ^ (x >> 27)) * 0x94D049BB133111EBull;
    return x ^ (x >> 31);
}

static inline float draw(uint64_t key, uint64_t number, uint64_t channel) {
    return (float)(mix(key ^ mix(number + channel * 0x9E3779B97F4A7C15ull)) >> 40) * (1.0f / (1 << 24));
}

static inline float lane(const float *table, float age) {
    float place = fminf(fmaxf(age, 0.0f), 1.0f) * 255.0f;
    int i = (int)place < 254 ? (int)place : 254;
    return table[i] + (table[i + 1] - table[i]) * (place - (float)i);
}

/* Age and displacement only. */
int64_t minimal(int64_t n, float h, double time, float *px, float *py, float *pz, float *vx, float *vy, float *vz,
                double *born, float *life, uint64_t *number) {
    int64_t left = 0;
    for (int64_t i = 0; i < n; i++) {
        if ((float)(time - born[i]) >= life[i]) continue;
        px[left] = px[i] + vx[i] * h;
        py[left] = py[i] + vy[i] * h;
        pz[left] = pz[i] + vz[i] * h;
        if (left != i) {
            vx[left] = vx[i]; vy[left] = vy[i]; vz[left] = vz[i];
            born[left] = born[i]; life[left] = life[i]; number[left] = number[i];
        }
        left++;
    }
    return left;
}

/* Gravity, drag, turbulence from the baked field, the ground, and a lane on the speed. */
int64_t step(int64_t n, float h, double time, float *px, float *py, float *pz, float *vx, float *vy, float *vz,
             double *born, float *life, uint64_t *number, const float *field, const float *speed_lane, float gravity,
             float drag, float strength, float scale, const float *drift) {
    float a = expf(-drag * h), b = (1.0f - a) / drag, g = (h - b) / drag;
    float rest = h - b, lost = 1.0f - a, t = (float)(time - 0.5 * h);
    int64_t left = 0;
    for (int64_t i = 0; i < n; i++) {
        float elapsed = (float)(time - born[i]);
        if (elapsed >= life[i]) continue;
        float x = px[i], y = py[i], z = pz[i], ux = vx[i], uy = vy[i], uz = vz[i];
        float factor = lane(speed_lane, (elapsed - 0.5f * h) / life[i]);
        float q[3] = {(x + 0.5f * h * ux - drift[0] * t) * scale, (y + 0.5f * h * uy - drift[1] * t) * scale,
                      (z + 0.5f * h * uz - drift[2] * t) * scale};
        int c0[3], c1[3];
        float f[3];
        for (int k = 0; k < 3; k++) {
            float low = floorf(q[k]);
            c0[k] = (int)low & 63;
            c1[k] = (c0[k] + 1) & 63;
            f[k] = q[k] - low;
        }
        float air[3];
        for (int k = 0; k < 3; k++) {
            float sum = 0.0f;
            for (int corner = 0; corner < 8; corner++) {
                int xi = corner & 4 ? c1[0] : c0[0], yi = corner & 2 ? c1[1] : c0[1], zi = corner & 1 ? c1[2] : c0[2];
                float w = (corner & 4 ? f[0] : 1 - f[0]) * (corner & 2 ? f[1] : 1 - f[1]) * (corner & 1 ? f[2] : 1 - f[2]);
                sum += w * field[((xi * 64 + yi) * 64 + zi) * 3 + k];
            }
            air[k] = strength * sum;
        }
        float tx = x + factor * (ux * b + air[0] * rest);
        float ty = y + factor * (uy * b + air[1] * rest + gravity * g);
        float tz = z + factor * (uz * b + air[2] * rest);
        ux = ux * a + air[0] * lost;
        uy = uy * a + air[1] * lost + gravity * b;
        uz = uz * a + air[2] * lost;
        if (ty < 0.0f && y >= 0.0f) { ty = 0.0f; uy = -0.4f * uy; ux *= 0.8f; uz *= 0.8f; }
        px[left] = tx; py[left] = ty; pz[left] = tz;
        vx[left] = ux; vy[left] = uy; vz[left] = uz;
        if (left != i) { born[left] = born[i]; life[left] = life[i]; number[left] = number[i]; }
        left++;
    }
    return left;
}

/* What a Frame tells: five lanes and the draws of birth. ranges : pairs of size, angle, spin, brightness, opacity, stretch x, y, z. */
void appear(int64_t n, double time, uint64_t key, const float *px, const float *py, const float *pz, const float *vx,
            const float *vy, const float *vz, const double *born, const float *life, const uint64_t *number,
            const float *size_lane, const float *bright_lane, const float *solid_lane, const float *speed_lane,
            const float *colours, const float *ranges, const float *tints, float *age, float *position,
            float *velocity, float *size, float *angle, float *colour, float *frame) {
    for (int64_t i = 0; i < n; i++) {
        float elapsed = (float)(time - born[i]), share = fminf(elapsed / life[i], 1.0f);
        uint64_t id = number[i];
        float drawn[8];
        for (int k = 0; k < 8; k++) {
            drawn[k] = ranges[2 * k];
            if (ranges[2 * k] != ranges[2 * k + 1]) drawn[k] += (ranges[2 * k + 1] - ranges[2 * k]) * draw(key, id, 8 + k);
        }
        const float *stretch = drawn + 5;
        float tint = draw(key, id, 11), factor = lane(speed_lane, share);
        float width = drawn[0] * lane(size_lane, share);
        float bright = drawn[3] * lane(bright_lane, share), solid = drawn[4] * lane(solid_lane, share);
        float place = fminf(fmaxf(share, 0.0f), 1.0f) * 255.0f;
        int c = (int)place < 254 ? (int)place : 254;
        float part = place - (float)c;
        age[i] = share;
        position[3 * i] = px[i]; position[3 * i + 1] = py[i]; position[3 * i + 2] = pz[i];
        velocity[3 * i] = vx[i] * factor; velocity[3 * i + 1] = vy[i] * factor; velocity[3 * i + 2] = vz[i] * factor;
        for (int k = 0; k < 3; k++) {
            size[3 * i + k] = width * stretch[k];
            float own = tints[k] + (tints[3 + k] - tints[k]) * tint;
            colour[4 * i + k] = own * bright * (colours[3 * c + k] + (colours[3 * c + 3 + k] - colours[3 * c + k]) * part);
        }
        colour[4 * i + 3] = fminf(fmaxf(solid, 0.0f), 1.0f);
        angle[i] = drawn[1] + drawn[2] * elapsed;
        frame[i] = fminf(share, 0.999f);
    }
}
