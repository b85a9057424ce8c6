/* Feeds mutated effects to the kit: no crash, no read outside, no endless loop, no more memory than was told. MIT licence, see pale_ember.c.
 *
 *     cc -std=c99 -g -O2 -fsanitize=address,undefined fuzz.c -o fuzz -lm
 *     ./fuzz SEED FIRST COUNT EFFECT.json... */
#define _POSIX_C_SOURCE 200809L
#include "pale_ember.h"

#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

#define MOST_MEMORY ((size_t)16 << 20)

static uint64_t state;
static long case_number;

static uint64_t chance(void) {
    state += 0x9E3779B97F4A7C15ull;
    uint64_t x = state;
    x = (x ^ (x >> 30)) * 0xBF58476D1CE4E5B9ull;
    x = (x ^ (x >> 27)) * 0x94D049BB133111EBull;
    return x ^ (x >> 31);
}

static size_t below(size_t n) { return n ? (size_t)(chance() % n) : 0; }

static void too_long(int sign) {
    (void)sign;
    char said[80];
    int length = snprintf(said, sizeof said, "case %ld takes too long\n", case_number);
    if (write(2, said, (size_t)length) < 0) _exit(4);
    abort();
}

/* A number within the text, from `from` on: its begin and length; 0 where there is none. */
static size_t number_after(const char *text, size_t length, size_t from, size_t *begin) {
    for (size_t i = from; i < length; i++) {
        if ((text[i] >= '0' && text[i] <= '9') || text[i] == '-') {
            size_t end = i + 1;
            while (end < length && strchr("0123456789.eE+-", text[end])) end++;
            *begin = i;
            return end - i;
        }
    }
    return 0;
}

static size_t mutate(char *text, size_t length, size_t room) {
    static const char *const odd[] = {"0", "-1", "1", "1e300", "1e999", "-0.0", "2000000", "0.001", "1000", "4294967296", "1e-300", "null", "true", "[]", "{}",
                                      "\"\"", "\"solid\"", "0.5", "3600", "65000", "-1e5", "1e5", "[1, 2, 3]", "256", "500", "60"};
    for (size_t times = 1 + below(4); times > 0; times--) {
        size_t at = below(length), begin = 0, many = 0;
        switch (below(40)) {
        case 0: text[at] = (char)below(256); break;
        case 1: text[at] ^= (char)(1u << below(8)); break;
        case 2: /* a piece goes */
            many = below(length - at < 200 ? length - at : 200);
            memmove(text + at, text + at + many, length - at - many);
            length -= many;
            break;
        case 3: /* a piece comes twice */
            many = below(length - at < 2000 ? length - at : 2000);
            if (length + many >= room) break;
            memmove(text + at + many, text + at, length - at);
            length += many;
            break;
        default: { /* another number, or what is none */
            static const double factors[] = {0, 0.001, 0.1, 0.5, 2, 10, 1000, -1};
            char other[48];
            many = number_after(text, length, at, &begin);
            if (below(8)) snprintf(other, sizeof other, "%.9g", strtod(text + begin, NULL) * factors[below(8)]);
            else snprintf(other, sizeof other, "%s", odd[below(sizeof odd / sizeof *odd)]);
            size_t size = strlen(other);
            if (!many || length + size >= room) break;
            memmove(text + begin + size, text + begin + many, length - begin - many);
            memcpy(text + begin, other, size);
            length += size - many;
        }
        }
        if (length < 2) break;
    }
    return length;
}

static void frame_by_chance(PaleFrame *frame) {
    double place[3], turn[3];
    for (int c = 0; c < 3; c++) { place[c] = (double)below(4000) / 1000 - 2; turn[c] = (double)below(360); }
    pale_frame(frame, place, turn, 1);
}

int main(int argc, char **argv) {
    if (argc < 5) { fprintf(stderr, "fuzz: expected SEED FIRST COUNT EFFECT.json..., found too few\n"); return 2; }
    uint64_t seed = strtoull(argv[1], NULL, 10);
    long first = atol(argv[2]), count = atol(argv[3]), loaded = 0, played = 0;
    int files = argc - 4;
    char **texts = calloc((size_t)files, sizeof *texts);
    size_t *lengths = calloc((size_t)files, sizeof *lengths), widest = 0;
    if (!texts || !lengths) return 2;
    for (int i = 0; i < files; i++) {
        FILE *file = fopen(argv[4 + i], "rb");
        if (!file) { fprintf(stderr, "%s: expected a file, found none\n", argv[4 + i]); return 2; }
        fseek(file, 0, SEEK_END);
        lengths[i] = (size_t)ftell(file);
        rewind(file);
        texts[i] = malloc(lengths[i] + 1);
        if (!texts[i] || fread(texts[i], 1, lengths[i], file) != lengths[i]) return 2;
        fclose(file);
        if (lengths[i] > widest) widest = lengths[i];
    }
    size_t eddy_count = 3 * 64 * 64 * 64;
    float *eddies = malloc(eddy_count * sizeof *eddies);
    if (!eddies) return 2;
    for (size_t i = 0; i < eddy_count; i++) eddies[i] = (float)(i % 17) / 8 - 1;
    static const float points[12] = {0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1};
    static const uint32_t faces[12] = {0, 2, 1, 0, 1, 3, 0, 3, 2, 1, 2, 3};
    PaleMesh mesh = {4, 4, points, NULL, NULL, faces};
    size_t tree_bytes = pale_tree_memory(mesh.triangles);
    void *tree_memory = malloc(tree_bytes);
    const PaleTree *tree = pale_tree(&mesh, NULL, tree_memory, tree_bytes);
    signal(SIGALRM, too_long);
    double slowest = 0;
    for (case_number = first; case_number < first + count; case_number++) {
        state = seed * 1000003u + (uint64_t)case_number;
        int which = (int)below((size_t)files);
        size_t room = lengths[which] * 2 + 4096, length = lengths[which];
        char *work = malloc(room);
        if (!work) return 2;
        memcpy(work, texts[which], length);
        memset(work + length, 0, room - length);
        length = mutate(work, length, room);
        char *exact = malloc(length ? length : 1); /* so that a read behind its end is seen */
        if (!exact) return 2;
        memcpy(exact, work, length);
        free(work);
        struct timespec begun, ended;
        clock_gettime(CLOCK_MONOTONIC, &begun);
        alarm(60);
        PaleFault fault;
        PaleOptions options = {NULL, NULL, eddies, NULL, NULL, (double)below(60), 0, NULL};
        PaleEffect *effect = pale_load(exact, length, &options, &fault);
        if (!effect && (!fault.text[0] || strlen(fault.text) >= sizeof fault.text - 1)) { fprintf(stderr, "case %ld: no sentence\n", case_number); return 1; }
        free(exact);
        if (effect) {
            size_t bytes = pale_play_memory(effect);
            loaded++;
            void *memory = bytes <= MOST_MEMORY ? malloc(bytes) : NULL;
            if (memory) {
                PaleSurface surfaces[4];
                PaleWorld world;
                int shapes[4] = {PALE_PLANE, PALE_BOX, PALE_TRIANGLES, PALE_CYLINDER};
                memset(&world, 0, sizeof world);
                memset(surfaces, 0, sizeof surfaces);
                for (int i = 0; i < 4; i++) {
                    surfaces[i].name = i ? "prop" : "ground";
                    surfaces[i].shape = shapes[i];
                    surfaces[i].size[0] = surfaces[i].size[1] = surfaces[i].size[2] = 1;
                    surfaces[i].tree = tree;
                    frame_by_chance(&surfaces[i].moving.was);
                    surfaces[i].moving.is = surfaces[i].moving.was;
                }
                frame_by_chance(&surfaces[1].moving.is);
                frame_by_chance(&world.effect.was);
                frame_by_chance(&world.effect.is);
                world.surfaces = surfaces;
                world.surface_count = 4;
                world.gravity[1] = -9.81;
                PalePlay *play = pale_begin(effect, &world, memory, bytes);
                PaleCamera camera = {{0, 1, 5}, {1, 0, 0}, {0, 1, 0}, {0, 0, -1}, 500};
                for (int step = 0; play && step < 8; step++) {
                    pale_step(play, &world);
                    if (step % 4) continue;
                    size_t drawn = pale_draw_memory(play);
                    void *canvas = drawn <= MOST_MEMORY ? malloc(drawn) : NULL;
                    if (canvas && !pale_draw(play, &camera, 0.004, canvas, drawn)) { fprintf(stderr, "case %ld: no drawing\n", case_number); return 1; }
                    free(canvas);
                }
                played++;
                free(memory);
            }
            pale_free(effect);
        }
        alarm(0);
        clock_gettime(CLOCK_MONOTONIC, &ended);
        double took = (double)(ended.tv_sec - begun.tv_sec) + 1e-9 * (double)(ended.tv_nsec - begun.tv_nsec);
        if (took > slowest) slowest = took;
        if (took > 30) fprintf(stderr, "case %ld took %.1f s\n", case_number, took);
    }
    printf("%ld cases, %ld loaded, %ld played, the slowest %.2f s\n", count, loaded, played, slowest);
    for (int i = 0; i < files; i++) free(texts[i]);
    free(texts);
    free(lengths);
    free(eddies);
    free(tree_memory);
    return 0;
}
