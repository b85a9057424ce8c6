/* Pale Ember: plays effects that were handed over.
 *
 * MIT License
 *
 * Copyright (c) 2026 the founders of Pale Ember
 *
 * Permission is hereby granted, free of charge, to any person obtaining a copy of this software and associated documentation files (the
 * "Software"), to deal in the Software without restriction, including without limitation the rights to use, copy, modify, merge, publish,
 * distribute, sublicense, and/or sell copies of the Software, and to permit persons to whom the Software is furnished to do so, subject to
 * the following conditions: The above copyright notice and this permission notice shall be included in all copies or substantial portions
 * of the Software. THE SOFTWARE IS PROVIDED "AS IS", WITHOUT WARRANTY OF ANY KIND, EXPRESS OR IMPLIED, INCLUDING BUT NOT LIMITED TO THE
 * WARRANTIES OF MERCHANTABILITY, FITNESS FOR A PARTICULAR PURPOSE AND NONINFRINGEMENT. IN NO EVENT SHALL THE AUTHORS OR COPYRIGHT HOLDERS
 * BE LIABLE FOR ANY CLAIM, DAMAGES OR OTHER LIABILITY, WHETHER IN AN ACTION OF CONTRACT, TORT OR OTHERWISE, ARISING FROM, OUT OF OR IN
 * CONNECTION WITH THE SOFTWARE OR THE USE OR OTHER DEALINGS IN THE SOFTWARE.
 *
 * In order: memory, JSON, reading a document, spreading it over places, compiling layers, frames, births, forces, contact, offspring, a
 * step, looks, drawing. What the numbers mean stands in docs/hand-over.md; where it and this differ, one of both is wrong. */
#include "pale_ember.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define PI 3.14159265358979323846
#define SAMPLES 256     /* of a table of a curve */
#define FLOW 1025       /* of a rate over its span */
#define CELLS 64        /* of the eddies, each way */
#define EDDY_CELLS 12.8 /* cells in one eddy */
#define MOST_COPIES 4000
#define MOST_LAYERS 500
#define MOST_PLACES 256
#define MOST_LOOKED_AT 1000000 /* births looked at in one step; of more the first */
#define MOST_WARM 6000         /* steps before the start */
#define MOST_WARM_WORK 1e7     /* and steps of single particles */

typedef int64_t i64;
typedef uint64_t u64;

static double least(double a, double b) { return a < b ? a : b; }
static double most(double a, double b) { return a > b ? a : b; }
/* What is no number is `low`. */
static double within(double x, double low, double high) { return x > low ? (x < high ? x : high) : low; }
static float leastf(float a, float b) { return a < b ? a : b; }
static float mostf(float a, float b) { return a > b ? a : b; }
static float withinf(float x, float low, float high) { return x > low ? (x < high ? x : high) : low; }
static i64 floored(double x) { return (i64)floor(within(x, -9e18, 9e18)); }
static i64 ceiled(double x) { return (i64)ceil(within(x, -9e18, 9e18)); }
static double radians(double degrees) { return degrees * (PI / 180.0); }

/* ---- memory: taken while loading, in large blocks that are let go of together ---- */

typedef struct Block { struct Block *before; size_t size, used; } Block;

typedef struct {
    void *(*allocate)(void *user, size_t bytes);
    void (*release)(void *user, void *block);
    void *user;
    Block *last;
    size_t total;
    int failed;
} Arena;

static void *plain_allocate(void *user, size_t bytes) { (void)user; return malloc(bytes); }
static void plain_release(void *user, void *block) { (void)user; free(block); }

#define ALIGNED(bytes) (((bytes) + 15) & ~(size_t)15)

/* Zeroed memory, or NULL, and `failed` from then on. */
static void *take(Arena *arena, size_t bytes) {
    size_t head = ALIGNED(sizeof(Block));
    bytes = ALIGNED(bytes ? bytes : 1);
    if (arena->failed) return NULL;
    if (!arena->last || arena->last->size - arena->last->used < bytes) {
        size_t size = head + (bytes > 32768 ? bytes : 65536);
        Block *block = size < bytes ? NULL : arena->allocate(arena->user, size);
        if (!block) { arena->failed = 1; return NULL; }
        block->before = arena->last; block->size = size; block->used = head;
        arena->last = block; arena->total += size;
    }
    void *at = (char *)arena->last + arena->last->used;
    arena->last->used += bytes;
    return memset(at, 0, bytes);
}

static void *take_many(Arena *arena, size_t count, size_t each) {
    if (each && count > ((size_t)-1 >> 2) / each) { arena->failed = 1; return NULL; }
    return take(arena, count * each);
}

static void let_go(Arena *arena) {
    while (arena->last) {
        Block *block = arena->last;
        arena->last = block->before;
        arena->release(arena->user, block);
    }
}

/* Memory that a caller gave, handed out piece by piece; with `at` NULL it is only counted. */
typedef struct { char *at; size_t used; } Room;

static void *piece(Room *room, size_t count, size_t each) {
    void *made = room->at ? room->at + room->used : NULL;
    room->used += ALIGNED(count * each);
    return made;
}

/* ---- JSON: a flat list of values, each knowing the next beside it ---- */

typedef struct {
    const char *key, *text; /* of a member its name; of a string what is between the quotes */
    double number;
    uint32_t key_length, length, next, count; /* next: the value beside it, 0: none. A first child stands right behind its parent. */
    char kind;                                /* { [ " 0 t f n */
} Node;

typedef struct {
    const char *at, *end, *begin;
    Node *nodes;
    uint32_t count, room;
    const char *fault;
} Json;

static void skip_space(Json *json) {
    while (json->at < json->end && (*json->at == ' ' || *json->at == '\n' || *json->at == '\r' || *json->at == '\t')) json->at++;
}

static int json_string(Json *json, const char **text, uint32_t *length) {
    const char *from = ++json->at;
    while (json->at < json->end && *json->at != '"') {
        if ((unsigned char)*json->at < 32) { json->fault = "a character that no string may hold"; return 0; }
        if (*json->at == '\\') json->at++;
        json->at++;
    }
    if (json->at >= json->end) { json->at = json->end; json->fault = "a string without an end"; return 0; }
    *text = from;
    *length = (uint32_t)(json->at++ - from);
    return 1;
}

static int digit(Json *json) { return json->at < json->end && *json->at >= '0' && *json->at <= '9'; }

/* A number as it is written, whatever the locale. Up to 19 digits count. */
static int json_number(Json *json, double *out) {
    int negative = *json->at == '-', places = 0, exponent = 0, seen = 0;
    u64 digits = 0;
    if (negative) json->at++;
    for (; digit(json); json->at++, seen = 1) {
        if (digits < 1000000000000000000ull) digits = digits * 10 + (u64)(*json->at - '0');
        else if (places < 100000) places++;
    }
    if (json->at < json->end && *json->at == '.') {
        json->at++;
        for (; digit(json); json->at++, seen = 1)
            if (digits < 1000000000000000000ull) { digits = digits * 10 + (u64)(*json->at - '0'); places--; }
    }
    if (!seen) { json->fault = "a number without digits"; return 0; }
    if (json->at < json->end && (*json->at == 'e' || *json->at == 'E')) {
        int down = 0, any = 0;
        json->at++;
        if (json->at < json->end && (*json->at == '+' || *json->at == '-')) down = *json->at++ == '-';
        for (; digit(json); json->at++, any = 1)
            if (exponent < 100000) exponent = exponent * 10 + (*json->at - '0');
        if (!any) { json->fault = "an exponent without digits"; return 0; }
        if (down) exponent = -exponent;
    }
    exponent += places;
    double value = (double)digits;
    if (digits && exponent > 400) { json->fault = "a number that is too large"; return 0; }
    for (; exponent > 0; exponent -= 22) value *= pow(10.0, exponent < 22 ? exponent : 22);
    for (; exponent < 0 && value != 0; exponent += 22) value /= pow(10.0, exponent > -22 ? -exponent : 22);
    if (value > 1e300) { json->fault = "a number that is too large"; return 0; }
    *out = negative ? -value : value;
    return 1;
}

/* Reads one value and all in it; its place among the nodes, or -1. */
static int json_value(Json *json, int deep) {
    skip_space(json);
    if (json->at >= json->end) { json->fault = "the end of the file"; return -1; }
    if (json->count >= json->room) { json->fault = "more values than commas"; return -1; }
    if (deep > 40) { json->fault = "groups within groups without end"; return -1; }
    uint32_t self = json->count++;
    Node *node = &json->nodes[self];
    char c = *json->at;
    if (c == '{' || c == '[') {
        char close = c == '{' ? '}' : ']';
        uint32_t last = 0;
        node->kind = c;
        json->at++;
        skip_space(json);
        if (json->at < json->end && *json->at == close) { json->at++; return (int)self; }
        for (;;) {
            const char *key = NULL;
            uint32_t length = 0;
            if (c == '{') {
                skip_space(json);
                if (json->at >= json->end || *json->at != '"') { json->fault = "no name of a member"; return -1; }
                if (!json_string(json, &key, &length)) return -1;
                skip_space(json);
                if (json->at >= json->end || *json->at != ':') { json->fault = "no colon"; return -1; }
                json->at++;
            }
            int child = json_value(json, deep + 1);
            if (child < 0) return -1;
            json->nodes[child].key = key; json->nodes[child].key_length = length;
            if (last) json->nodes[last].next = (uint32_t)child;
            last = (uint32_t)child;
            node->count++;
            skip_space(json);
            if (json->at < json->end && *json->at == ',') { json->at++; continue; }
            if (json->at < json->end && *json->at == close) { json->at++; return (int)self; }
            json->fault = "neither a comma nor an end";
            return -1;
        }
    }
    if (c == '"') {
        node->kind = '"';
        return json_string(json, &node->text, &node->length) ? (int)self : -1;
    }
    if (c == '-' || (c >= '0' && c <= '9')) {
        node->kind = '0';
        return json_number(json, &node->number) ? (int)self : -1;
    }
    static const char *const words[] = {"true", "false", "null"};
    for (int i = 0; i < 3; i++) {
        size_t length = strlen(words[i]);
        if ((size_t)(json->end - json->at) >= length && !memcmp(json->at, words[i], length)) {
            node->kind = words[i][0];
            json->at += length;
            return (int)self;
        }
    }
    json->fault = "what is no value";
    return -1;
}

static Node *child_of(Json *json, Node *node) { return node->count ? node + 1 : NULL; (void)json; }
static Node *beside(Json *json, Node *node) { return node->next ? &json->nodes[node->next] : NULL; }

static int is_text(const char *text, uint32_t length, const char *word) { return strlen(word) == length && !memcmp(text, word, length); }

/* A member of an object by its name; looked for from `from` on first, for members come in the order of their fields. */
static Node *member(Json *json, Node *node, const char *name, Node *from) {
    for (Node *each = from; each; each = beside(json, each))
        if (is_text(each->key, each->key_length, name)) return each;
    for (Node *each = child_of(json, node); each && each != from; each = beside(json, each))
        if (is_text(each->key, each->key_length, name)) return each;
    return NULL;
}

/* ---- a document: what stands in effect.json, by the names that it has there ---- */

typedef struct { int count; void *items; } List;

typedef struct { double before, after; } Slope;
typedef struct { double at, value; int ease; Slope slope; double band; } Key;
struct PaleCurve {
    struct { int count; Key *items; } keys;
    float table[SAMPLES], bands[SAMPLES]; /* even samples, without jumps; half the band's width there */
    double *leaving, *arriving;           /* slopes of the pieces between keys */
    float *jumps;                         /* pairs of where it jumps and by how much */
    int jump_count, banded;
};
typedef struct { double at, colour[3]; } Stop;
struct PaleGradient {
    struct { int count; Stop *items; } stops;
    int between;
    float table[SAMPLES][3];
};
typedef struct { PaleRange x, y, z; } PerAxis;
typedef struct { double first[3], second[3]; const PaleGradient *gradient; } Tints;
typedef struct { int key; PaleRange count; double chance, first_at; int times; double every; } Burst;
typedef struct {
    PaleRange rate;
    int rate_counts;
    const PaleCurve *rate_curve;
    struct { int count; Burst *items; } bursts;
    double per_metre;
    const char *on_cue;
    double start, span;
    int limit, at_limit, shape;
    double radius, tube, extent[3], opening, length, fill, arc;
    int faces;
    const char *mesh;
    int mesh_part;
    const char *density;
    double stretch[3], offset[3], shape_turn[3];
    int even, anew, aim;
    double axis[3], point[3];
    PaleRange spread;
    double across, wander;
} Outlet;
typedef struct {
    PaleRange size;
    double aspect;
    PerAxis stretch;
    Tints tint;
    PaleRange brightness, opacity, lifetime, speed, outward, around;
    PerAxis push;
    double inherited;
    PaleRange angle, spin, frame;
} Birth;
typedef struct {
    int key, drives, over;
    double low, high;
    const PaleCurve *curve;
    const PaleGradient *colours;
    int replaces, force;
    const char *name;
} Lane;
typedef struct {
    const PaleCurve *size;
    const PaleGradient *colour;
    const PaleCurve *brightness, *opacity, *speed;
    struct { int count; Lane *items; } more;
} Life;
typedef struct {
    int kind, key, on, region;
    double region_place[3], region_size[3];
    PaleRange strength;
    double axis[3], place[3], radius, falloff, period, gustiness, quadratic, eddy, drift[3], pull, around;
} Force;
typedef struct {
    double gravity[3], drag, wind[3], turbulence, eddy, detail, drift[3];
    struct { int count; Force *items; } more;
} Forces;
typedef struct {
    int meets;
    struct { int count; const char **items; } surfaces;
    double bounce, slide, radius, ageing, minimum_speed; /* radius below 0: as large as the particles */
} Contact;
typedef struct {
    int key, when;
    const char *layer;
    PaleRange count;
    double interval, chance;
    int facing;
    double motion, minimum_impact;
    int most_per_parent, most_per_step;
    PaleRange delay;
    double goes_on, place, colour, size;
    int child; /* the place of the layer it spawns, once all are known */
} Rule;
typedef struct { double at, place[3], turn[3], scale; int ease; } Pose;
typedef struct { const char *stands_on; double place[3], turn[3], scale, after; int seed; const char *mesh; } Place;
typedef struct {
    int lie, count;
    double radius, arc, lean, step[3], after;
    struct { int count; Place *items; } told;
} Places;
typedef struct { struct { int count; double (*items)[2]; } outline; } Told;
typedef struct {
    const char *slug, *id, *name, *rides_on, *stands_on;
    int drawn, space, turns_with;
    double place[3], turn[3], scale;
    struct { int count; Pose *items; } keys;
    double target[3];
    Places places;
    double tempo;
    Outlet outlet;
    Birth birth;
    Life life;
    Forces forces;
    Contact contact;
    struct { struct { int count; Rule *items; } rules; } offspring;
    PaleLook look;
    Told told;
    int source, copy;
} Layer;
typedef struct { const char *name; double at; const char *what, *sound; double strength; } Cue;
typedef struct { double beyond, share; } Distance;
typedef struct {
    const char *name;
    double duration;
    int loop, seed, steps;
    double tempo;
    int warm, identical;
    struct { int count; Layer *items; } layers;
    struct { int by_itself; double delay; const char *start, *stop, *fade, *strength; } answers;
    struct { int count; Cue *items; } cues;
    struct { int count; const char **items; } places;
} Document;

/* ---- how each part is read ---- */

typedef enum { A_BOOL, A_WHOLE, A_NUMBER, A_RANGE, A_WORD, A_TEXT, A_TEXTS, A_CURVE, A_GRADIENT, A_PART, A_LIST, A_PAIRS } Kind;

/* A field: how many numbers a vector has; `low` to `high` is what they may be; `more` is the words, or the Part within; `some`: it may be
 * null (or, A_PART and A_LIST, left out); `kinds`: the kinds of force that have it, as bits, 0: all. */
typedef struct Part Part;
typedef struct {
    const char *name;
    Kind kind;
    size_t at;
    int count, some;
    double low, high;
    const void *more;
    unsigned kinds;
} Field;
struct Part { const Field *fields; int count; size_t size; };

#define FAR 1e300
#define BOOL(of, n) {#n, A_BOOL, offsetof(of, n), 1, 0, 0, 0, NULL, 0}
#define WHOLE(of, n, low, high) {#n, A_WHOLE, offsetof(of, n), 1, 0, low, high, NULL, 0}
#define NUMBER(of, n, low, high) {#n, A_NUMBER, offsetof(of, n), 1, 0, low, high, NULL, 0}
#define VECTOR(of, n, many, low, high) {#n, A_NUMBER, offsetof(of, n), many, 0, low, high, NULL, 0}
#define RANGE(of, n, low, high) {#n, A_RANGE, offsetof(of, n), 1, 0, low, high, NULL, 0}
#define WORD(of, n, words) {#n, A_WORD, offsetof(of, n), 1, 0, 0, 0, words, 0}
#define TEXT(of, n) {#n, A_TEXT, offsetof(of, n), 1, 0, 0, 0, NULL, 0}
#define CURVE(of, n, some) {#n, A_CURVE, offsetof(of, n), 1, some, 0, 0, NULL, 0}
#define GRADIENT(of, n, some) {#n, A_GRADIENT, offsetof(of, n), 1, some, 0, 0, NULL, 0}
#define PART(of, n, part) {#n, A_PART, offsetof(of, n), 1, 0, 0, 0, &part, 0}
#define LIST(of, n, part) {#n, A_LIST, offsetof(of, n), 1, 0, 0, 0, &part, 0}
#define ENDS(fields, type) {fields, sizeof fields / sizeof *fields, sizeof(type)}

static const Field slope_fields[] = {NUMBER(Slope, before, -FAR, FAR), NUMBER(Slope, after, -FAR, FAR)};
static const Part slope_part = ENDS(slope_fields, Slope);
static const Field key_fields[] = {
    NUMBER(Key, at, 0, 1), NUMBER(Key, value, -FAR, FAR), WORD(Key, ease, "smooth|straight|stepped|handles"), PART(Key, slope, slope_part),
    NUMBER(Key, band, 0, FAR)};
static const Part key_part = ENDS(key_fields, Key);
static const Field curve_fields[] = {LIST(PaleCurve, keys, key_part)};
static const Part curve_part = ENDS(curve_fields, PaleCurve);
static const Field stop_fields[] = {NUMBER(Stop, at, 0, 1), VECTOR(Stop, colour, 3, 0, FAR)};
static const Part stop_part = ENDS(stop_fields, Stop);
static const Field gradient_fields[] = {LIST(PaleGradient, stops, stop_part), WORD(PaleGradient, between, "linear|perceptual")};
static const Part gradient_part = ENDS(gradient_fields, PaleGradient);
static const Field tints_fields[] = {VECTOR(Tints, first, 3, 0, 1e5), VECTOR(Tints, second, 3, 0, 1e5), GRADIENT(Tints, gradient, 1)};
static const Part tints_part = ENDS(tints_fields, Tints);
static const Field push_fields[] = {RANGE(PerAxis, x, -1e30, 1e30), RANGE(PerAxis, y, -1e30, 1e30), RANGE(PerAxis, z, -1e30, 1e30)};
static const Part per_axis_part = ENDS(push_fields, PerAxis);
static const Field burst_fields[] = {
    WHOLE(Burst, key, 0, 65000), RANGE(Burst, count, 0, 2e6), NUMBER(Burst, chance, 0, 1), NUMBER(Burst, first_at, 0, 1e9),
    WHOLE(Burst, times, 1, 2000), NUMBER(Burst, every, 0.001, 3600)};
static const Part burst_part = ENDS(burst_fields, Burst);
#define SHAPES "point|line|disc|sphere|hemisphere|box|cone|cylinder|torus|mesh"
#define FACES "all|side|caps|base|top|left|right|front|back"
#define AIMS "outward|along axis|along surface|towards point|away from point|anywhere"
static const Field outlet_fields[] = {
    RANGE(Outlet, rate, 0, 1e8), WORD(Outlet, rate_counts, "per second|seconds between|kept alive"), CURVE(Outlet, rate_curve, 1),
    LIST(Outlet, bursts, burst_part), NUMBER(Outlet, per_metre, 0, 1e5), TEXT(Outlet, on_cue), NUMBER(Outlet, start, 0, 1e9),
    NUMBER(Outlet, span, 0, 1e9), WHOLE(Outlet, limit, 0, 2000000), WORD(Outlet, at_limit, "refuse births|retire the oldest"),
    WORD(Outlet, shape, SHAPES), NUMBER(Outlet, radius, 0, 1e9), NUMBER(Outlet, tube, 0, 1e9), VECTOR(Outlet, extent, 3, 0, 1e9),
    NUMBER(Outlet, opening, 0, 89), NUMBER(Outlet, length, 0, 1e9), NUMBER(Outlet, fill, 0, 1), NUMBER(Outlet, arc, 0, 360),
    WORD(Outlet, faces, FACES), TEXT(Outlet, mesh), WORD(Outlet, mesh_part, "surface|edges|vertices"), TEXT(Outlet, density),
    VECTOR(Outlet, stretch, 3, -1e9, 1e9), VECTOR(Outlet, offset, 3, -1e9, 1e9), VECTOR(Outlet, shape_turn, 3, -1e9, 1e9),
    BOOL(Outlet, even), BOOL(Outlet, anew), WORD(Outlet, aim, AIMS), VECTOR(Outlet, axis, 3, -1e9, 1e9), VECTOR(Outlet, point, 3, -1e9, 1e9),
    RANGE(Outlet, spread, 0, 180), NUMBER(Outlet, across, 0, 1), NUMBER(Outlet, wander, 0, 1)};
static const Part outlet_part = ENDS(outlet_fields, Outlet);
static const Field birth_fields[] = {
    RANGE(Birth, size, 0, 1e6), NUMBER(Birth, aspect, 0.001, 1000), PART(Birth, stretch, per_axis_part), PART(Birth, tint, tints_part),
    RANGE(Birth, brightness, 0, 1e5), RANGE(Birth, opacity, 0, 1), RANGE(Birth, lifetime, 0, 3600), RANGE(Birth, speed, -1e5, 1e5),
    RANGE(Birth, outward, -1e5, 1e5), RANGE(Birth, around, -1e5, 1e5), PART(Birth, push, per_axis_part), NUMBER(Birth, inherited, -10, 10),
    RANGE(Birth, angle, -1e30, 1e30), RANGE(Birth, spin, -1e30, 1e30), RANGE(Birth, frame, 0, 4096)};
static const Part birth_part = ENDS(birth_fields, Birth);
#define DRIVES                                                                                                                         \
    "size|width|height|depth|colour|brightness|opacity|speed|velocity x|velocity y|velocity z|angle|spin|gravity|drag|wind|turbulence|"   \
    "force|frame|streak|dissolve|edge glow|burn|self-lit|warp|heat shimmer|scroll x|scroll y|named"
enum {
    D_SIZE, D_WIDTH, D_HEIGHT, D_DEPTH, D_COLOUR, D_BRIGHTNESS, D_OPACITY, D_SPEED, D_VELOCITY_X, D_VELOCITY_Y, D_VELOCITY_Z, D_ANGLE,
    D_SPIN, D_GRAVITY, D_DRAG, D_WIND, D_TURBULENCE, D_FORCE, D_FRAME, D_STREAK, D_DISSOLVE, D_EDGE_GLOW, D_BURN, D_SELF_LIT, D_WARP,
    D_SHIMMER, D_SCROLL_X, D_SCROLL_Y, D_NAMED
};
enum { O_AGE, O_SPEED, O_DISTANCE, O_TIME, O_CAMERA };
static const Field lane_fields[] = {
    WHOLE(Lane, key, 0, 65000), WORD(Lane, drives, DRIVES), WORD(Lane, over, "age|speed|distance|effect time|camera distance"),
    NUMBER(Lane, low, -FAR, FAR), NUMBER(Lane, high, -FAR, FAR), CURVE(Lane, curve, 0), GRADIENT(Lane, colours, 1), BOOL(Lane, replaces),
    WHOLE(Lane, force, 0, 65000), TEXT(Lane, name)};
static const Part lane_part = ENDS(lane_fields, Lane);
static const Field life_fields[] = {CURVE(Life, size, 1), GRADIENT(Life, colour, 1), CURVE(Life, brightness, 1), CURVE(Life, opacity, 1),
                                    CURVE(Life, speed, 1), LIST(Life, more, lane_part)};
static const Part life_part = ENDS(life_fields, Life);
enum { PUSH, THRUST, GUST, BRAKE, STIR, VORTEX, RADIAL, ATTRACTOR, CIRCLING, SPEED_LIMIT };
#define ONLY(of, n, many, low, high, bits) {#n, A_NUMBER, offsetof(of, n), many, 0, low, high, NULL, bits}
#define B(kind) (1u << kind)
static const Field force_fields[] = {
    WORD(Force, kind, "push|thrust|gust|brake|stir|vortex|radial|attractor|circling|speed limit"), WHOLE(Force, key, 0, 65000),
    BOOL(Force, on), WORD(Force, region, "everywhere|in a sphere|in a box"), VECTOR(Force, region_place, 3, -1e9, 1e9),
    VECTOR(Force, region_size, 3, 0, 1e9), RANGE(Force, strength, -1e5, 1e5),
    ONLY(Force, axis, 3, -1e9, 1e9, B(PUSH) | B(GUST) | B(VORTEX) | B(RADIAL) | B(CIRCLING)),
    ONLY(Force, place, 3, -1e5, 1e5, B(VORTEX) | B(RADIAL) | B(ATTRACTOR) | B(CIRCLING)),
    ONLY(Force, radius, 1, 0.001, 1e9, B(VORTEX) | B(ATTRACTOR)), ONLY(Force, falloff, 1, 0, 8, B(ATTRACTOR)),
    ONLY(Force, period, 1, 0.01, 1e9, B(GUST)), ONLY(Force, gustiness, 1, 0, 1, B(GUST)), ONLY(Force, quadratic, 1, 0, 1e4, B(BRAKE)),
    ONLY(Force, eddy, 1, 0.001, 1e5, B(STIR)), ONLY(Force, drift, 3, -1e4, 1e4, B(STIR)), ONLY(Force, pull, 1, -1e5, 1e5, B(VORTEX)),
    ONLY(Force, around, 1, -1e5, 1e5, B(RADIAL))};
static const Part force_part = ENDS(force_fields, Force);
static const Field forces_fields[] = {
    VECTOR(Forces, gravity, 3, -1e5, 1e5), NUMBER(Forces, drag, 0, 1e4), VECTOR(Forces, wind, 3, -1e4, 1e4),
    NUMBER(Forces, turbulence, 0, 1e4), NUMBER(Forces, eddy, 0.001, 1e5), NUMBER(Forces, detail, 0, 1), VECTOR(Forces, drift, 3, -1e4, 1e4),
    LIST(Forces, more, force_part)};
static const Part forces_part = ENDS(forces_fields, Forces);
static const Field contact_fields[] = {
    WORD(Contact, meets, "pass|bounce|stick|end"), {"surfaces", A_TEXTS, offsetof(Contact, surfaces), 1, 0, 0, 0, NULL, 0},
    NUMBER(Contact, bounce, 0, 1), NUMBER(Contact, slide, 0, 1), {"radius", A_NUMBER, offsetof(Contact, radius), 1, 1, 0, 1e4, NULL, 0},
    NUMBER(Contact, ageing, 0, 1), NUMBER(Contact, minimum_speed, 0, 1e5)};
static const Part contact_part = ENDS(contact_fields, Contact);
static const Field rule_fields[] = {
    WHOLE(Rule, key, 0, 65000), WORD(Rule, when, "born|touches|ends|by distance|by time|strikes|branches"), TEXT(Rule, layer), RANGE(Rule, count, 0, 1e5),
    NUMBER(Rule, interval, 0.001, 1e5), NUMBER(Rule, chance, 0, 1), WORD(Rule, facing, "own|onward|back|surface"),
    NUMBER(Rule, motion, -10, 10), NUMBER(Rule, minimum_impact, 0, 1e5), WHOLE(Rule, most_per_parent, 0, 2147483647),
    WHOLE(Rule, most_per_step, 0, 2147483647), RANGE(Rule, delay, 0, 3600), NUMBER(Rule, goes_on, 0, 3600), NUMBER(Rule, place, 0, 1),
    NUMBER(Rule, colour, 0, 1), NUMBER(Rule, size, 0, 1)};
static const Part rule_part = ENDS(rule_fields, Rule);
typedef struct { struct { int count; Rule *items; } rules; } Offspring;
static const Field offspring_fields[] = {LIST(Offspring, rules, rule_part)};
static const Part offspring_part = ENDS(offspring_fields, Offspring);
static const Field pose_fields[] = {NUMBER(Pose, at, 0, 1e9), VECTOR(Pose, place, 3, -1e6, 1e6), VECTOR(Pose, turn, 3, -1e9, 1e9),
                                    NUMBER(Pose, scale, 0.001, 1000), WORD(Pose, ease, "smooth|straight|stepped")};
static const Part pose_part = ENDS(pose_fields, Pose);
static const Field place_fields[] = {
    TEXT(Place, stands_on), VECTOR(Place, place, 3, -1e6, 1e6), VECTOR(Place, turn, 3, -1e9, 1e9), NUMBER(Place, scale, 0.001, 1000),
    NUMBER(Place, after, 0, 1e9), WHOLE(Place, seed, 0, 2147483647), TEXT(Place, mesh)};
static const Part place_part = ENDS(place_fields, Place);
static const Field places_fields[] = {
    WORD(Places, lie, "one|ring|row|told"), WHOLE(Places, count, 1, MOST_PLACES), NUMBER(Places, radius, 0, 1e9), NUMBER(Places, arc, 0, 360),
    NUMBER(Places, lean, -1e9, 1e9), VECTOR(Places, step, 3, -1e6, 1e6), NUMBER(Places, after, 0, 1e9), LIST(Places, told, place_part)};
static const Part places_part = ENDS(places_fields, Places);

#define CHANNELS "all|red|green|blue|alpha"
static const Field surface_fields[] = {
#define S PaleLookSurface
    WORD(S, channel, CHANNELS), BOOL(S, invert), VECTOR(S, tile, 2, -FAR, FAR), VECTOR(S, scroll, 2, -FAR, FAR), NUMBER(S, scatter, -100, 100),
    TEXT(S, second), WORD(S, second_channel, CHANNELS), VECTOR(S, second_tile, 2, -FAR, FAR), VECTOR(S, second_scroll, 2, -FAR, FAR),
    NUMBER(S, second_scatter, -100, 100), TEXT(S, third), WORD(S, third_channel, CHANNELS), VECTOR(S, third_tile, 2, -FAR, FAR),
    VECTOR(S, third_scroll, 2, -FAR, FAR), NUMBER(S, third_scatter, -100, 100), TEXT(S, warp), WORD(S, warp_channel, CHANNELS),
    NUMBER(S, warp_by, -10, 10), VECTOR(S, warp_tile, 2, -FAR, FAR), VECTOR(S, warp_scroll, 2, -FAR, FAR), NUMBER(S, warp_scatter, -100, 100),
    NUMBER(S, shimmer, 0, 10), NUMBER(S, edge_glow, 0, 1e4), NUMBER(S, edge_width, 0.01, 1), NUMBER(S, edge_floor, 0, 1),
    NUMBER(S, edge_fade, 0, 100), NUMBER(S, edge_fade_floor, 0, 1), NUMBER(S, meet_glow, 0, 1e4), NUMBER(S, meet_width, 0.001, 1e3),
    GRADIENT(S, ramp, 1), NUMBER(S, ramp_cools, -4, 4)};
static const Part surface_part = ENDS(surface_fields, S);
#undef S
#define S PaleDissolve
static const Field dissolve_fields[] = {
    TEXT(S, picture), WORD(S, channel, CHANNELS), NUMBER(S, amount, -10, 10), NUMBER(S, contrast, 0.01, 100), NUMBER(S, softness, 0, 10),
    VECTOR(S, tile, 2, -FAR, FAR), VECTOR(S, scroll, 2, -FAR, FAR), NUMBER(S, scatter, -100, 100), NUMBER(S, burn, 0, 1e4),
    NUMBER(S, burn_width, 0, 1), VECTOR(S, burn_tint, 3, 0, 1e5)};
static const Part dissolve_part = ENDS(dissolve_fields, S);
#undef S
#define S PaleLookLight
static const Field light_fields[] = {
    NUMBER(S, lit, 0, 1), NUMBER(S, bulge, 0, 1), NUMBER(S, gloss, 0, 100), NUMBER(S, rough, 0.02, 1), TEXT(S, normals), TEXT(S, six),
    NUMBER(S, self_lit, 0, 1e5), GRADIENT(S, self_colour, 0), NUMBER(S, casts, 0, 1e4), WHOLE(S, lamps, 0, 8), NUMBER(S, shade, 0, 100), NUMBER(S, fog, 0, 1000),
    NUMBER(S, shadow, 0, 1)};
static const Part light_part = ENDS(light_fields, S);
#undef S
#define S PaleSolid
static const Field solid_fields[] = {TEXT(S, mesh), NUMBER(S, smooth, 0, 180), WORD(S, sides, "both|outside|inside"), NUMBER(S, bumps, 0, 10),
                                     NUMBER(S, bump_size, 0.01, 100), NUMBER(S, bump_speed, -1e3, 1e3), BOOL(S, tumbles)};
static const Part solid_part = ENDS(solid_fields, S);
#undef S
static const Field halo_fields[] = {NUMBER(PaleHalo, glow, 0, 100), NUMBER(PaleHalo, size, 0, 2), NUMBER(PaleHalo, threshold, 0, 1e4)};
static const Part halo_part = ENDS(halo_fields, PaleHalo);
enum { BEHIND_EACH, THROUGH_ALL, BEHIND_ANCHOR, BETWEEN_ANCHORS };
#define S PaleRibbonLook
static const Field ribbon_fields[] = {
    WORD(S, path, "behind each|through all|behind anchor|between anchors"), WORD(S, measured, "in time|in metres"), NUMBER(S, length, 0, 1e4),
    NUMBER(S, width, 0, 1e4), TEXT(S, picture), {"blend", A_WORD, offsetof(S, blend), 1, 0, 0, 0, "additive|alpha|*|*|screen", 0},
    CURVE(S, taper, 1), GRADIENT(S, colours, 1), WORD(S, texture, "once|tiled"), NUMBER(S, tile, 0.001, 1e5), TEXT(S, first), TEXT(S, second),
    NUMBER(S, kinks, 0, 1e4), NUMBER(S, strikes, 0, 1000), NUMBER(S, fade, 0, 1)};
static const Part ribbon_part = ENDS(ribbon_fields, S);
#undef S
#define S PaleBeamLook
static const Field beam_fields[] = {
    TEXT(S, start), TEXT(S, end), VECTOR(S, reach, 3, -1e9, 1e9), VECTOR(S, bow, 2, -1e4, 1e4), WORD(S, bows, "by its anchors|along axis"),
    VECTOR(S, axis, 3, -1e9, 1e9), CURVE(S, width, 1), GRADIENT(S, colours, 1), NUMBER(S, sway, 0, 1e4), NUMBER(S, sway_size, 0.001, 1e5),
    NUMBER(S, sway_speed, -1e4, 1e4), NUMBER(S, kinks, 0, 1e4), NUMBER(S, strikes, 0, 1000), NUMBER(S, fade, 0, 1), WHOLE(S, branches, 0, 32),
    NUMBER(S, branch_length, 0, 10), NUMBER(S, branch_width, 0, 10), NUMBER(S, scroll, -1e4, 1e4)};
static const Part beam_part = ENDS(beam_fields, S);
#undef S
#define S PaleLook
static const Field look_fields[] = {
    WORD(S, drawn_as, "sprite|mesh|ribbon|beam"), BOOL(S, trail), TEXT(S, picture), WHOLE(S, columns, 1, 64), WHOLE(S, rows, 1, 64),
    WORD(S, play, "over life|by clock|one at random|flicker"), NUMBER(S, fps, 0, 1000), WORD(S, between, "mixed|cut|along vectors"),
    TEXT(S, vectors), NUMBER(S, vectors_reach, -10, 10), WORD(S, blend, "additive|alpha|multiply|premultiplied|screen|cut-out"),
    NUMBER(S, cut, 0, 1), WORD(S, facing, "to camera|upright|along motion|across motion|flat|free"), RANGE(S, streak, 0, 100),
    NUMBER(S, blur, 0, 10), NUMBER(S, drape, 0, 100), NUMBER(S, soft, 0, 1e4), NUMBER(S, fade_near, 0, 1e4),
    WORD(S, stacking, "near on top|young on top|old on top|as born"), WHOLE(S, order, -1000, 1000), NUMBER(S, pivot, -FAR, FAR),
    NUMBER(S, pull, -1e4, 1e4), WHOLE(S, corners, 4, 8), PART(S, surface, surface_part), PART(S, dissolve, dissolve_part),
    PART(S, light, light_part), PART(S, shine, halo_part), PART(S, solid, solid_part), PART(S, ribbon, ribbon_part), PART(S, beam, beam_part)};
static const Part look_part = ENDS(look_fields, S);
#undef S
static const Field told_fields[] = {{"outline", A_PAIRS, offsetof(Told, outline), 1, 1, -1, 2, NULL, 0}};
static const Part told_part = ENDS(told_fields, Told);
static const Field layer_fields[] = {
    TEXT(Layer, slug), BOOL(Layer, drawn), TEXT(Layer, id), TEXT(Layer, name), VECTOR(Layer, place, 3, -1e6, 1e6),
    VECTOR(Layer, turn, 3, -1e9, 1e9), WORD(Layer, space, "world|local"), NUMBER(Layer, scale, 0.001, 1000), TEXT(Layer, rides_on),
    TEXT(Layer, stands_on), LIST(Layer, keys, pose_part), WORD(Layer, turns_with, "keys|travel|target"), VECTOR(Layer, target, 3, -1e9, 1e9),
    PART(Layer, places, places_part), NUMBER(Layer, tempo, 0.001, 1000), PART(Layer, outlet, outlet_part), PART(Layer, birth, birth_part),
    PART(Layer, life, life_part), PART(Layer, forces, forces_part), PART(Layer, contact, contact_part),
    PART(Layer, offspring, offspring_part), PART(Layer, look, look_part), {"told", A_PART, offsetof(Layer, told), 1, 1, 0, 0, &told_part, 0}};
static const Part layer_part = ENDS(layer_fields, Layer);
#define ANSWER(n) {#n, A_TEXT, offsetof(Document, answers.n) - offsetof(Document, answers), 1, 0, 0, 0, NULL, 0}
static const Field answers_fields[] = {
    {"by_itself", A_BOOL, 0, 1, 0, 0, 0, NULL, 0},
    {"delay", A_NUMBER, offsetof(Document, answers.delay) - offsetof(Document, answers), 1, 0, 0, 3600, NULL, 0},
    ANSWER(start), ANSWER(stop), ANSWER(fade), ANSWER(strength)};
static const Part answers_part = {answers_fields, sizeof answers_fields / sizeof *answers_fields, 0};
static const Field cue_fields[] = {TEXT(Cue, name), NUMBER(Cue, at, 0, 1e9), TEXT(Cue, what), TEXT(Cue, sound), NUMBER(Cue, strength, 0, 100)};
static const Part cue_part = ENDS(cue_fields, Cue);
static const Field document_fields[] = {
    {"places", A_TEXTS, offsetof(Document, places), 1, 0, 0, 0, NULL, 0}, TEXT(Document, name), NUMBER(Document, duration, 0.01, 3600),
    BOOL(Document, loop), WHOLE(Document, seed, 0, 2147483647), WHOLE(Document, steps, 1, 1000), NUMBER(Document, tempo, 0.001, 1000),
    BOOL(Document, warm), BOOL(Document, identical), LIST(Document, layers, layer_part), PART(Document, answers, answers_part),
    LIST(Document, cues, cue_part)};
static const Part document_part = ENDS(document_fields, Document);
static const Field distance_fields[] = {NUMBER(Distance, beyond, 0, 1e6)};
static const Part distance_part = ENDS(distance_fields, Distance);

/* ---- reading ---- */

typedef struct { const char *name; int index; } Step;

typedef struct {
    Arena *arena;
    Json json;
    PaleFault *fault;
    Step path[64];
    int deep, failed;
    unsigned kinds; /* the kind of force being read, as a bit; 0: none */
} Reader;

/* Tells one fault, the first: where, what was expected, what came. */
static void refuse(Reader *reader, const char *expected, const char *found) {
    if (reader->failed) return;
    reader->failed = 1;
    char *at = reader->fault->text, *end = at + sizeof reader->fault->text;
    at += snprintf(at, (size_t)(end - at), "effect.json: ");
    for (int i = 0; i < reader->deep && end - at > 150; i++) {
        const Step *step = &reader->path[i];
        at += step->name ? snprintf(at, 50, "%s%.40s", i ? "." : "", step->name) : snprintf(at, 16, "[%d]", step->index);
    }
    snprintf(at, (size_t)(end - at), "%sexpected %.80s, found %.50s", reader->deep ? ": " : "", expected, found);
}

static void no_memory(Reader *reader) {
    reader->deep = 0;
    refuse(reader, "more memory", "too little");
}

static const char *kind_of(const Node *node) {
    if (!node) return "nothing";
    switch (node->kind) {
    case '{': return "a group in { }";
    case '[': return "a list";
    case '"': return "a text";
    case '0': return "a number";
    case 'n': return "null";
    default: return "true or false";
    }
}

static void enter(Reader *reader, const char *name, int index) {
    if (reader->deep < 64) { reader->path[reader->deep].name = name; reader->path[reader->deep].index = index; reader->deep++; }
}

static int hex(char c) { return c >= '0' && c <= '9' ? c - '0' : c >= 'a' && c <= 'f' ? c - 'a' + 10 : c >= 'A' && c <= 'F' ? c - 'A' + 10 : -1; }

/* A string with its escapes undone, in UTF-8. */
static const char *text_of(Reader *reader, const Node *node) {
    char *out = take(reader->arena, node->length + 1u), *to = out;
    if (!out) { no_memory(reader); return ""; }
    for (uint32_t i = 0; i < node->length; i++) {
        char c = node->text[i];
        if (c != '\\') { *to++ = c; continue; }
        c = node->text[++i];
        if (c != 'u') { *to++ = c == 'n' ? '\n' : c == 't' ? '\t' : c == 'r' ? '\r' : c == 'b' ? '\b' : c == 'f' ? '\f' : c; continue; }
        unsigned code = 0;
        for (int k = 0; k < 4; k++) {
            int value = i + 1 < node->length ? hex(node->text[++i]) : -1;
            if (value < 0) { refuse(reader, "four hexadecimal digits after \\u", "others"); return ""; }
            code = code * 16 + (unsigned)value;
        }
        if (code < 0x80) *to++ = (char)code;
        else if (code < 0x800) { *to++ = (char)(0xC0 | code >> 6); *to++ = (char)(0x80 | (code & 63)); }
        else { *to++ = (char)(0xE0 | code >> 12); *to++ = (char)(0x80 | (code >> 6 & 63)); *to++ = (char)(0x80 | (code & 63)); }
    }
    *to = 0;
    return out;
}

static double number_of(Reader *reader, const Node *node, const Field *field) {
    char words[80];
    if (!node || node->kind != '0') { refuse(reader, field->kind == A_WHOLE ? "a whole number" : "a number", kind_of(node)); return field->low; }
    if (field->kind == A_WHOLE && node->number != floor(node->number)) { refuse(reader, "a whole number", "a fraction"); return field->low; }
    if (!(node->number >= field->low && node->number <= field->high)) {
        char found[40];
        snprintf(words, sizeof words, "a number from %g to %g", field->low, field->high);
        snprintf(found, sizeof found, "%g", node->number);
        refuse(reader, words, found);
        return field->low;
    }
    return node->number;
}

static void read_range(Reader *reader, const Node *node, const Field *field, PaleRange *out) {
    Json *json = &reader->json;
    if (node && node->kind == '0') { out->low = out->high = number_of(reader, node, field); return; }
    if (!node || node->kind != '{') { refuse(reader, "a range", kind_of(node)); return; }
    Node *low = member(json, (Node *)node, "low", child_of(json, (Node *)node)), *high = member(json, (Node *)node, "high", low);
    Node *choices = member(json, (Node *)node, "choices", high);
    out->low = number_of(reader, low, field);
    out->high = number_of(reader, high, field);
    if (!choices || choices->kind != '[' || !choices->count) return;
    double *list = take_many(reader->arena, choices->count, sizeof *list);
    if (!list) { no_memory(reader); return; }
    int i = 0;
    for (Node *each = child_of(json, choices); each; each = beside(json, each)) list[i++] = number_of(reader, each, field);
    out->choices = list;
    out->count = i;
}

static void read_part(Reader *reader, Node *node, const Part *part, void *into);
static void finish_curve(Reader *reader, PaleCurve *curve);
static void finish_gradient(Reader *reader, PaleGradient *gradient);

static void read_list(Reader *reader, Node *node, const Field *field, List *out) {
    Json *json = &reader->json;
    const Part *part = field->more;
    size_t size = field->kind == A_TEXTS ? sizeof(char *) : field->kind == A_PAIRS ? 2 * sizeof(double) : part->size;
    if (!node || node->kind != '[') {
        if (!field->some || node) refuse(reader, "a list", kind_of(node));
        return;
    }
    char *items = take_many(reader->arena, node->count, size);
    if (!items) { no_memory(reader); return; }
    int i = 0;
    for (Node *each = child_of(json, node); each && !reader->failed; each = beside(json, each), i++) {
        enter(reader, NULL, i);
        if (field->kind == A_TEXTS) {
            if (each->kind != '"') refuse(reader, "a text", kind_of(each));
            else ((const char **)(void *)items)[i] = text_of(reader, each);
        } else if (field->kind == A_PAIRS) {
            Node *first = child_of(json, each);
            if (each->kind != '[' || each->count != 2) refuse(reader, "a list of 2 numbers", kind_of(each));
            else {
                double *pair = (double *)(void *)items + 2 * i;
                pair[0] = number_of(reader, first, field);
                pair[1] = number_of(reader, beside(json, first), field);
            }
        } else read_part(reader, each, part, items + (size_t)i * size);
        if (!reader->failed) reader->deep--;
    }
    out->count = reader->failed ? 0 : i;
    out->items = items;
}

static int word_of(Reader *reader, const Node *node, const char *words) {
    if (!node || node->kind != '"') { refuse(reader, "a word", kind_of(node)); return 0; }
    int index = 0;
    for (const char *at = words; *at; index++) {
        size_t length = strcspn(at, "|");
        if (length == node->length && !memcmp(at, node->text, length) && *at != '*') return index;
        at += length + (at[length] == '|');
    }
    char found[44];
    snprintf(found, sizeof found, "\"%.*s\"", node->length < 40 ? (int)node->length : 40, node->text);
    char expected[80];
    snprintf(expected, sizeof expected, "one of %.70s", words);
    refuse(reader, expected, found);
    return 0;
}

static void read_field(Reader *reader, Node *node, const Field *field, char *at) {
    if (node && node->kind == 'n' && field->some) {
        if (field->kind == A_NUMBER) *(double *)(void *)at = -1.0;
        return;
    }
    switch (field->kind) {
    case A_BOOL:
        if (!node || (node->kind != 't' && node->kind != 'f')) refuse(reader, "true or false", kind_of(node));
        else *(int *)(void *)at = node->kind == 't';
        break;
    case A_WHOLE: *(int *)(void *)at = (int)number_of(reader, node, field); break;
    case A_NUMBER:
        if (field->count == 1) { *(double *)(void *)at = number_of(reader, node, field); break; }
        if (!node || node->kind != '[' || (int)node->count != field->count) {
            refuse(reader, field->count == 2 ? "a list of 2 numbers" : "a list of 3 numbers", kind_of(node));
            break;
        }
        node = child_of(&reader->json, node);
        for (int i = 0; i < field->count; i++, node = beside(&reader->json, node)) ((double *)(void *)at)[i] = number_of(reader, node, field);
        break;
    case A_RANGE: read_range(reader, node, field, (PaleRange *)(void *)at); break;
    case A_WORD: *(int *)(void *)at = word_of(reader, node, field->more); break;
    case A_TEXT:
        if (!node || node->kind != '"') refuse(reader, "a text", kind_of(node));
        else *(const char **)(void *)at = text_of(reader, node);
        break;
    case A_TEXTS:
    case A_PAIRS:
    case A_LIST: read_list(reader, node, field, (List *)(void *)at); break;
    case A_CURVE: {
        PaleCurve *curve = take(reader->arena, sizeof *curve);
        if (!curve) { no_memory(reader); break; }
        read_part(reader, node, &curve_part, curve);
        if (!reader->failed) finish_curve(reader, curve);
        *(const PaleCurve **)(void *)at = curve;
        break;
    }
    case A_GRADIENT: {
        PaleGradient *gradient = take(reader->arena, sizeof *gradient);
        if (!gradient) { no_memory(reader); break; }
        read_part(reader, node, &gradient_part, gradient);
        if (!reader->failed) finish_gradient(reader, gradient);
        *(const PaleGradient **)(void *)at = gradient;
        break;
    }
    case A_PART:
        if (node || !field->some) read_part(reader, node, field->more, at);
        break;
    }
}

static void read_part(Reader *reader, Node *node, const Part *part, void *into) {
    if (!node || node->kind != '{') { refuse(reader, "a group in { }", kind_of(node)); return; }
    unsigned outer = reader->kinds;
    reader->kinds = 0;
    Node *from = child_of(&reader->json, node);
    for (int i = 0; i < part->count && !reader->failed; i++) {
        const Field *field = &part->fields[i];
        if (field->kinds && !(field->kinds & reader->kinds)) continue;
        Node *each = member(&reader->json, node, field->name, from);
        if (each) from = beside(&reader->json, each);
        enter(reader, field->name, 0);
        read_field(reader, each, field, (char *)into + field->at);
        if (part == &force_part && i == 0) reader->kinds = 1u << *(int *)into;
        if (!reader->failed) reader->deep--;
    }
    reader->kinds = outer;
}

/* ---- curves and gradients ---- */

/* Slopes with which the pieces between keys leave and arrive (Fritsch and Butland, SIAM J. Sci. Stat. Comput. 5, 1984). at, value, ease,
 * handles: those of key i are `stride` bytes further each. handles: slopes before and after, or NULL. */
static void slopes(int count, const void *at, const void *value, const void *ease, const void *handles, size_t stride, double *leaving,
                   double *arriving, size_t step) {
#define OF(base, i, type) (*(const type *)(const void *)((const char *)(base) + (size_t)(i) * stride))
    for (int i = 0; i + 1 < count; i++) {
        double slope[2], width = OF(at, i + 1, double) - OF(at, i, double);
        double chord = (OF(value, i + 1, double) - OF(value, i, double)) / width;
        for (int side = 0; side < 2; side++) {
            int k = i + side;
            slope[side] = 0.0;
            if (k > 0 && k < count - 1) {
                double w0 = OF(at, k, double) - OF(at, k - 1, double), w1 = OF(at, k + 1, double) - OF(at, k, double);
                double c0 = (OF(value, k, double) - OF(value, k - 1, double)) / w0, c1 = (OF(value, k + 1, double) - OF(value, k, double)) / w1;
                double l = 2 * w1 + w0, r = w1 + 2 * w0;
                if (c0 * c1 > 0) slope[side] = (l + r) / (l / c0 + r / c1);
            }
            if (handles && OF(ease, k, int) == 3) slope[side] = side ? OF(handles, k, Slope).before : OF(handles, k, Slope).after;
        }
        int next = OF(ease, i + 1, int);
        leaving[(size_t)i * step] = OF(ease, i, int) == 1 ? chord : slope[0];
        arriving[(size_t)i * step] = next == 1 || next == 2 ? chord : slope[1];
    }
#undef OF
}

static double hermite(double t, double width, double from, double leave, double to, double arrive) {
    double s = 1 - t;
    return (1 + 2 * t) * s * s * from + t * s * s * width * leave + t * t * (3 - 2 * t) * to - t * t * s * width * arrive;
}

static double curve_at(const PaleCurve *curve, double x) {
    const Key *keys = curve->keys.items;
    int last = curve->keys.count - 1, k = 0;
    if (last == 0 || x <= keys[0].at) return keys[0].value;
    if (x >= keys[last].at) return keys[last].value;
    while (k + 1 < last && keys[k + 1].at <= x) k++;
    if (keys[k].ease == 2) return keys[k].value;
    double width = keys[k + 1].at - keys[k].at;
    return hermite((x - keys[k].at) / width, width, keys[k].value, curve->leaving[k], keys[k + 1].value, curve->arriving[k]);
}

static void finish_curve(Reader *reader, PaleCurve *curve) {
    int count = curve->keys.count;
    Key *keys = curve->keys.items;
    if (!count) { refuse(reader, "a curve with a key", "none"); return; }
    for (int i = 1; i < count; i++)
        if (!(keys[i].at > keys[i - 1].at)) { refuse(reader, "keys one after the other", "two at one place"); return; }
    curve->leaving = take_many(reader->arena, (size_t)count, sizeof(double));
    curve->arriving = take_many(reader->arena, (size_t)count, sizeof(double));
    curve->jumps = take_many(reader->arena, (size_t)count, 2 * sizeof(float));
    if (!curve->jumps) { no_memory(reader); return; }
    slopes(count, &keys[0].at, &keys[0].value, &keys[0].ease, &keys[0].slope, sizeof(Key), curve->leaving, curve->arriving, 1);
    for (int i = 0; i + 1 < count; i++)
        if (keys[i].ease == 2 && keys[i + 1].value != keys[i].value) {
            curve->jumps[2 * curve->jump_count] = (float)keys[i + 1].at;
            curve->jumps[2 * curve->jump_count++ + 1] = (float)(keys[i + 1].value - keys[i].value);
        }
    int k = 0;
    for (int i = 0; i < count; i++) curve->banded |= keys[i].band > 0;
    for (int s = 0; s < SAMPLES; s++) {
        double x = (double)s / (SAMPLES - 1), value = curve_at(curve, x);
        for (int j = 0, i = 0; i + 1 < count; i++)
            if (keys[i].ease == 2 && keys[i + 1].value != keys[i].value && ++j && x >= keys[i + 1].at) value -= keys[i + 1].value - keys[i].value;
        curve->table[s] = (float)value;
        while (k + 2 < count && keys[k + 1].at <= x) k++;
        double t = count > 1 ? within((x - keys[k].at) / (keys[k + 1].at - keys[k].at), 0, 1) : 0;
        curve->bands[s] = (float)(count > 1 ? keys[k].band + (keys[k + 1].band - keys[k].band) * t : keys[0].band);
    }
}

static void matrix_times(const double m[3][3], const double v[3], double out[3]) {
    for (int i = 0; i < 3; i++) out[i] = m[i][0] * v[0] + m[i][1] * v[1] + m[i][2] * v[2];
}

/* OKLab (B. Ottosson, A perceptual color space for image processing, 2020), and back. */
static const double LMS[3][3] = {{0.4122214708, 0.5363325363, 0.0514459929}, {0.2119034982, 0.6806995451, 0.1073969566},
                                 {0.0883024619, 0.2817188376, 0.6299787005}};
static const double LAB[3][3] = {{0.2104542553, 0.7936177850, -0.0040720468}, {1.9779984951, -2.4285922050, 0.4505937099},
                                 {0.0259040371, 0.7827717662, -0.8086757660}};

static void inverse3(const double *m, double *out) {
    double a = m[4] * m[8] - m[5] * m[7], b = m[5] * m[6] - m[3] * m[8], c = m[3] * m[7] - m[4] * m[6];
    double det = m[0] * a + m[1] * b + m[2] * c, k = fabs(det) > 1e-300 ? 1 / det : 0;
    out[0] = a * k; out[1] = (m[2] * m[7] - m[1] * m[8]) * k; out[2] = (m[1] * m[5] - m[2] * m[4]) * k;
    out[3] = b * k; out[4] = (m[0] * m[8] - m[2] * m[6]) * k; out[5] = (m[2] * m[3] - m[0] * m[5]) * k;
    out[6] = c * k; out[7] = (m[1] * m[6] - m[0] * m[7]) * k; out[8] = (m[0] * m[4] - m[1] * m[3]) * k;
}

static void finish_gradient(Reader *reader, PaleGradient *gradient) {
    int count = gradient->stops.count, k = 0;
    Stop *stops = gradient->stops.items;
    if (!count) { refuse(reader, "a gradient with a stop", "none"); return; }
    double back_lab[3][3], back_lms[3][3];
    inverse3(&LAB[0][0], &back_lab[0][0]);
    inverse3(&LMS[0][0], &back_lms[0][0]);
    for (int s = 0; s < SAMPLES; s++) {
        double x = (double)s / (SAMPLES - 1), one[3], two[3], seen[3], mixed[3];
        while (k + 2 < count && stops[k + 1].at <= x) k++;
        int next = count > 1 ? k + 1 : k;
        double wide = stops[next].at - stops[k].at, t = wide > 0 ? within((x - stops[k].at) / wide, 0, 1) : x >= stops[next].at;
        if (gradient->between == 0) {
            for (int c = 0; c < 3; c++) gradient->table[s][c] = (float)(stops[k].colour[c] + (stops[next].colour[c] - stops[k].colour[c]) * t);
            continue;
        }
        matrix_times(LMS, stops[k].colour, seen);
        for (int c = 0; c < 3; c++) seen[c] = cbrt(seen[c]);
        matrix_times(LAB, seen, one);
        matrix_times(LMS, stops[next].colour, seen);
        for (int c = 0; c < 3; c++) seen[c] = cbrt(seen[c]);
        matrix_times(LAB, seen, two);
        for (int c = 0; c < 3; c++) one[c] += (two[c] - one[c]) * t;
        matrix_times((const double(*)[3])back_lab, one, mixed);
        for (int c = 0; c < 3; c++) mixed[c] = mixed[c] * mixed[c] * mixed[c];
        matrix_times((const double(*)[3])back_lms, mixed, seen);
        for (int c = 0; c < 3; c++) gradient->table[s][c] = (float)most(seen[c], 0);
    }
}

static float table_at(const float *table, float place) {
    float at = withinf(place, 0, 1) * (SAMPLES - 1);
    int i = (int)at;
    if (i > SAMPLES - 2) i = SAMPLES - 2;
    return table[i] + (table[i + 1] - table[i]) * (at - (float)i);
}

static void hue_at(const PaleGradient *gradient, float place, float out[3]) {
    float at = withinf(place, 0, 1) * (SAMPLES - 1);
    int i = (int)at;
    if (i > SAMPLES - 2) i = SAMPLES - 2;
    for (int c = 0; c < 3; c++) out[c] = gradient->table[i][c] + (gradient->table[i + 1][c] - gradient->table[i][c]) * (at - (float)i);
}

void pale_curve(const PaleCurve *curve, double x, double *out) { *out = curve ? curve_at(curve, x) : 1.0; }

void pale_gradient(const PaleGradient *gradient, double x, double out[3]) {
    float hue[3] = {1, 1, 1};
    if (gradient) hue_at(gradient, (float)x, hue);
    for (int c = 0; c < 3; c++) out[c] = hue[c];
}

/* ---- frames ---- */

static const PaleFrame HERE = {{1, 0, 0, 0, 1, 0, 0, 0, 1}, {0, 0, 0}};

static void turned(const double *m, double x, double y, double z, double out[3]) {
    for (int i = 0; i < 3; i++) out[i] = m[3 * i] * x + m[3 * i + 1] * y + m[3 * i + 2] * z;
}

static void multiply3(const double *a, const double *b, double *out) {
    for (int i = 0; i < 3; i++)
        for (int j = 0; j < 3; j++) out[3 * i + j] = a[3 * i] * b[j] + a[3 * i + 1] * b[3 + j] + a[3 * i + 2] * b[6 + j];
}

static double determinant(const double *m) {
    return m[0] * (m[4] * m[8] - m[5] * m[7]) + m[1] * (m[5] * m[6] - m[3] * m[8]) + m[2] * (m[3] * m[7] - m[4] * m[6]);
}

/* The frame `inner` within the frame `outer`. */
static PaleFrame inside(const PaleFrame *outer, const PaleFrame *inner) {
    PaleFrame made;
    multiply3(outer->axes, inner->axes, made.axes);
    turned(outer->axes, inner->place[0], inner->place[1], inner->place[2], made.place);
    for (int i = 0; i < 3; i++) made.place[i] += outer->place[i];
    return made;
}

static PaleFrame back_from(const PaleFrame *frame) {
    PaleFrame made;
    inverse3(frame->axes, made.axes);
    turned(made.axes, frame->place[0], frame->place[1], frame->place[2], made.place);
    for (int i = 0; i < 3; i++) made.place[i] = -made.place[i];
    return made;
}

/* A rotation for degrees about Z first, then X, then Y. */
static void rotation(const double turn[3], double *m) {
    double x = radians(turn[0]), y = radians(turn[1]), z = radians(turn[2]);
    double cx = cos(x), sx = sin(x), cy = cos(y), sy = sin(y), cz = cos(z), sz = sin(z);
    m[0] = cy * cz + sy * sx * sz; m[1] = -cy * sz + sy * sx * cz; m[2] = sy * cx;
    m[3] = cx * sz; m[4] = cx * cz; m[5] = -sx;
    m[6] = -sy * cz + cy * sx * sz; m[7] = sy * sz + cy * sx * cz; m[8] = cy * cx;
}

void pale_frame(PaleFrame *out, const double place[3], const double turn[3], double scale) {
    rotation(turn, out->axes);
    for (int i = 0; i < 9; i++) out->axes[i] *= scale;
    memcpy(out->place, place, sizeof out->place);
}

/* The least rotation that turns Y to a way, times `size`; leaves the axes where the way is nothing. */
static void upright(double *m, double x, double y, double z, double size) {
    double length = sqrt(x * x + y * y + z * z);
    if (!(length > 1e-9)) return;
    x /= length; y /= length; z /= length;
    if (y < -1.0 + 1e-7) {
        static const double down[9] = {1, 0, 0, 0, -1, 0, 0, 0, -1};
        for (int i = 0; i < 9; i++) m[i] = size * down[i];
        return;
    }
    double k = 1.0 / (1.0 + y);
    m[0] = size * (1 - x * x * k); m[1] = size * x; m[2] = -size * x * z * k;
    m[3] = -size * x; m[4] = size * y; m[5] = -size * z;
    m[6] = -size * x * z * k; m[7] = size * z; m[8] = size * (1 - z * z * k);
}

/* Where something is a share of a step after its beginning: straight between, turning evenly. */
static PaleFrame between(const PaleMoving *moving, double share) {
    const PaleFrame *a = &moving->was, *b = &moving->is;
    PaleFrame made = *b;
    if (!memcmp(a, b, sizeof *a)) return made;
    for (int i = 0; i < 3; i++) made.place[i] = a->place[i] + (b->place[i] - a->place[i]) * share;
    if (!memcmp(a->axes, b->axes, sizeof a->axes)) return made;
    double back[9], turn[9], size0 = cbrt(determinant(a->axes)), size1 = cbrt(determinant(b->axes));
    inverse3(a->axes, back);
    multiply3(back, b->axes, turn);
    double k = fabs(size1) > 1e-12 ? size0 / size1 : 1;
    for (int i = 0; i < 9; i++) turn[i] *= k;
    double x = turn[7] - turn[5], y = turn[2] - turn[6], z = turn[3] - turn[1], sine = 0.5 * sqrt(x * x + y * y + z * z);
    double angle = atan2(sine, 0.5 * (turn[0] + turn[4] + turn[8] - 1)) * share;
    if (sine > 1e-12) {
        x /= 2 * sine; y /= 2 * sine; z /= 2 * sine;
        double c = cos(angle), s = sin(angle), l = 1 - c;
        double m[9] = {c + x * x * l, x * y * l - z * s, x * z * l + y * s, y * x * l + z * s, c + y * y * l, y * z * l - x * s,
                       z * x * l - y * s, z * y * l + x * s, c + z * z * l};
        multiply3(a->axes, m, made.axes);
    } else if (share < 0.5) memcpy(made.axes, a->axes, sizeof made.axes);
    double size = fabs(size0) > 1e-12 && sine > 1e-12 ? (size0 + (size1 - size0) * share) / size0 : 1;
    for (int i = 0; i < 9; i++) made.axes[i] *= size;
    return made;
}

/* ---- draws: every one is a hash of (seed, layer, particle, channel) (SplitMix64's finaliser; Steele, Lea and Flood, 2014) ---- */

#define STRIDE 0x9E3779B97F4A7C15ull
#define LOOP_BITS 0xFFFF00000000ull

static u64 mix(u64 x) {
    x = (x ^ (x >> 30)) * 0xBF58476D1CE4E5B9ull;
    x = (x ^ (x >> 27)) * 0x94D049BB133111EBull;
    return x ^ (x >> 31);
}
static float draw(u64 key, u64 number, u64 channel) {
    return (float)(mix(key ^ mix(number + channel * STRIDE)) >> 40) * (1.0f / (1 << 24));
}
static u64 join(u64 a, u64 b) { return mix(a ^ mix(b + STRIDE)); }

static int drawn_range(const PaleRange *range) { return range->count > 0 || range->low != range->high; }
static double range_at(const PaleRange *range, double share) {
    if (range->count) { int i = (int)(share * range->count); return range->choices[i < range->count ? i : range->count - 1]; }
    return range->low + (range->high - range->low) * share;
}
static float of_range(const PaleRange *range, u64 key, u64 number, u64 channel) {
    return drawn_range(range) ? (float)range_at(range, draw(key, number, channel)) : (float)range->low;
}
static double least_of(const PaleRange *range) {
    double found = range->count ? range->choices[0] : range->low;
    for (int i = 1; i < range->count; i++) found = least(found, range->choices[i]);
    return found;
}
static double most_of(const PaleRange *range) {
    double found = range->count ? range->choices[0] : range->high;
    for (int i = 1; i < range->count; i++) found = most(found, range->choices[i]);
    return found;
}
static double middle_of(const PaleRange *range) {
    double sum = 0;
    for (int i = 0; i < range->count; i++) sum += range->choices[i];
    return range->count ? sum / range->count : 0.5 * (range->low + range->high);
}
/* A whole number of a range, both ends as likely as the rest; at most 2^31. */
static i64 count_of(const PaleRange *range, double share) {
    if (range->count) return (i64)nearbyint(range_at(range, share));
    double low = floor(range->low + 0.5), high = floor(range->high + 0.5);
    return floored(low + floor(share * (high - low + 1)));
}

/* BLAKE2b of 8 bytes (RFC 7693), for the ids of layers on many places. */
static u64 blake2b_8(const char *text, size_t length) {
    static const u64 start[8] = {0x6A09E667F3BCC908ull, 0xBB67AE8584CAA73Bull, 0x3C6EF372FE94F82Bull, 0xA54FF53A5F1D36F1ull,
                                 0x510E527FADE682D1ull, 0x9B05688C2B3E6C1Full, 0x1F83D9ABFB41BD6Bull, 0x5BE0CD19137E2179ull};
    static const unsigned char order[10][16] = {
        {0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15}, {14, 10, 4, 8, 9, 15, 13, 6, 1, 12, 0, 2, 11, 7, 5, 3},
        {11, 8, 12, 0, 5, 2, 15, 13, 10, 14, 3, 6, 7, 1, 9, 4}, {7, 9, 3, 1, 13, 12, 11, 14, 2, 6, 5, 10, 4, 0, 15, 8},
        {9, 0, 5, 7, 2, 4, 10, 15, 14, 1, 11, 12, 6, 8, 3, 13}, {2, 12, 6, 10, 0, 11, 8, 3, 4, 13, 7, 5, 15, 14, 1, 9},
        {12, 5, 1, 15, 14, 13, 4, 10, 0, 7, 6, 3, 9, 2, 8, 11}, {13, 11, 7, 14, 12, 1, 3, 9, 5, 0, 15, 4, 8, 6, 2, 10},
        {6, 15, 14, 9, 11, 3, 0, 8, 12, 2, 13, 7, 1, 4, 10, 5}, {10, 2, 8, 4, 7, 6, 1, 5, 15, 11, 9, 14, 3, 12, 13, 0}};
    u64 h[8], m[16], v[16];
    size_t done = 0;
    memcpy(h, start, sizeof h);
    h[0] ^= 0x01010000 ^ 8;
    do {
        size_t take_now = length - done < 128 ? length - done : 128;
        unsigned char block[128] = {0};
        memcpy(block, text + done, take_now);
        done += take_now;
        for (int i = 0; i < 16; i++) {
            m[i] = 0;
            for (int k = 7; k >= 0; k--) m[i] = m[i] << 8 | block[8 * i + k];
        }
        for (int i = 0; i < 8; i++) { v[i] = h[i]; v[i + 8] = start[i]; }
        v[12] ^= done;
        if (done == length) v[14] = ~v[14];
#define ROLL(x, n) ((x) >> (n) | (x) << (64 - (n)))
#define MIX4(a, b, c, d, x, y)                                                                                                         \
    v[a] += v[b] + (x); v[d] = ROLL(v[d] ^ v[a], 32); v[c] += v[d]; v[b] = ROLL(v[b] ^ v[c], 24);                                          \
    v[a] += v[b] + (y); v[d] = ROLL(v[d] ^ v[a], 16); v[c] += v[d]; v[b] = ROLL(v[b] ^ v[c], 63)
        for (int round = 0; round < 12; round++) {
            const unsigned char *s = order[round % 10];
            MIX4(0, 4, 8, 12, m[s[0]], m[s[1]]); MIX4(1, 5, 9, 13, m[s[2]], m[s[3]]);
            MIX4(2, 6, 10, 14, m[s[4]], m[s[5]]); MIX4(3, 7, 11, 15, m[s[6]], m[s[7]]);
            MIX4(0, 5, 10, 15, m[s[8]], m[s[9]]); MIX4(1, 6, 11, 12, m[s[10]], m[s[11]]);
            MIX4(2, 7, 8, 13, m[s[12]], m[s[13]]); MIX4(3, 4, 9, 14, m[s[14]], m[s[15]]);
        }
        for (int i = 0; i < 8; i++) h[i] ^= v[i] ^ v[i + 8];
    } while (done < length);
    u64 told = 0;
    for (int i = 0; i < 8; i++) told = told << 8 | (h[0] >> (8 * i) & 255);
    return told;
}

/* ---- an effect ---- */

typedef struct { double base[9], place[3]; const Layer *keyed; } Thing; /* one of a chain: a turn times a scale, a place, and keys */

typedef struct { /* a lane, ready for use */
    int drives, over, target, factor, replaces, name;
    u64 channel;
    float low, scale;
    const PaleCurve *curve;
    const PaleGradient *colours;
} CLane;

typedef struct { CLane *items; int count; } Lanes;

typedef struct { float points[3][3], normals[3][3]; double up_to; } Piece; /* of a mesh that births are on */

typedef struct { int parent, rule; } Feed; /* a rule of another layer that spawns this one's particles */

typedef struct {
    const Layer *layer;
    u64 key, mask;
    double h, clock, whole, start, span; /* s of its own time: a step, its loop, when its rate flows; clock: own time to the effect's */
    double *factor, *sum;                /* FLOW samples of the rate's factor and its integral; NULL: always 1 */
    double flow_whole, flow_most, rate_share;
    Thing *things;
    int thing_count, stands; /* stands: the game's place it is on, or -1 */
    int keyed;
    Lanes moving, shown, far;
    const Force **forces;
    float (*axes)[3]; /* of forces: units */
    int *laned;
    int force_count, rule_count, feed_count;
    u64 *rule_keys;
    Feed *feeds;
    int ages, travels, turns, tracks_touches, kin, end_rules, adds, circles, waits, mixes, holds, everyday, world;
    float own[3], touch, turbulence;
    double axis[3], shape_turn[9], half[3], widening, arc, spread_cos, ages_to;
    int faces, frames;
    Piece *pieces;
    int piece_count;
    const PaleCurve *sized, *lit, *faded, *paced;
    int capacity, room, pending, trail_steps, life_steps, binds, history; /* history: steps that the ways of its ribbon's places are kept */
    i64 first;
} Plan;

struct PaleEffect {
    Arena arena;
    Document document;
    const float *eddies;
    int surfaces;
    Layer **layers;
    Plan *plans;
    int *order, *drawing; /* parents before the layers they spawn; as they are drawn */
    int count, widest, pending;
    i64 first;
    PaleAbout about;
};

/* ---- layers on many places, and cues ---- */

static u64 id_of(const char *id) {
    u64 value = 0;
    for (; *id; id++) value = value << 4 | (u64)hex(*id);
    return value;
}

static int is_id(const char *id) {
    size_t length = strlen(id);
    if (!length || length > 16) return 0;
    for (; *id; id++) if (hex(*id) < 0) return 0;
    return 1;
}

static const char *derived(Arena *arena, const char *id, const char *root, int index, int seed) {
    char text[96];
    int length = index < 0 ? snprintf(text, sizeof text, "%s/hub", id) : seed ? snprintf(text, sizeof text, "%s/%s/%d/%d", id, root, index, seed)
                                                                              : snprintf(text, sizeof text, "%s/%s/%d", id, root, index);
    u64 told = blake2b_8(text, (size_t)length);
    char *out = take(arena, 17);
    for (int i = 0; out && i < 16; i++) out[i] = "0123456789abcdef"[told >> (60 - 4 * i) & 15];
    return out ? out : "";
}

/* The layer with all that it spawns by itself so much later, in s of the effect. */
static void later(PaleEffect *effect, Layer *layer, double seconds, int cue) {
    if (!(seconds > 0)) return;
    double own = seconds * layer->tempo, whole = effect->document.duration * layer->tempo;
    int loop = effect->document.loop, count = layer->outlet.bursts.count;
    Burst *bursts = take_many(&effect->arena, (size_t)count, sizeof *bursts);
    if (!bursts) return;
    for (int i = 0; i < count; i++) {
        bursts[i] = layer->outlet.bursts.items[i];
        bursts[i].first_at += own;
        if (loop) bursts[i].first_at = fmod(bursts[i].first_at, whole);
    }
    layer->outlet.bursts.items = bursts;
    if (cue || !loop || layer->outlet.start != 0 || layer->outlet.span != 0) layer->outlet.start += own;
}

static int places_of(const Layer *layer) {
    const Places *places = &layer->places;
    if (places->lie == 0) return 1;
    if (places->lie == 3) return places->told.count > MOST_PLACES ? MOST_PLACES : places->told.count ? places->told.count : 1;
    return places->count;
}

static Place place_at(const Layer *layer, int i) {
    const Places *places = &layer->places;
    Place made = {"", {0, 0, 0}, {0, 0, 0}, 1.0, 0.0, 0, ""};
    if (places->lie == 3 && places->told.count) return places->told.items[i];
    if (places->lie == 1) {
        int steps = places->arc >= 360 ? places->count : places->count - 1;
        double angle = places->arc * i / (steps > 1 ? steps : 1);
        made.place[0] = places->radius * cos(radians(angle));
        made.place[2] = -places->radius * sin(radians(angle));
        made.turn[1] = angle;
        made.turn[2] = -places->lean;
        made.after = places->after * i;
    } else if (places->lie == 2) {
        for (int c = 0; c < 3; c++) made.place[c] = places->step[c] * i;
        made.after = places->after * i;
    }
    return made;
}

static int index_of(Layer **layers, int count, const char *id) {
    if (!*id) return -1;
    u64 wanted = id_of(id);
    for (int i = 0; i < count; i++) if (id_of(layers[i]->id) == wanted) return i;
    return -1;
}

static int depth_of(Layer **layers, int count, const Layer *layer) {
    int deep = 0, at = index_of(layers, count, layer->rides_on);
    for (; at >= 0 && deep < count; deep++) at = index_of(layers, count, layers[at]->rides_on);
    return deep;
}

static Layer *copied(PaleEffect *effect, const Layer *layer) {
    Layer *made = take(&effect->arena, sizeof *made);
    if (made) *made = *layer;
    return made;
}

/* Puts one layer, and all that rides on it, on each of its places. */
static void placed(PaleEffect *effect, Layer *root, Layer **room) {
    Layer **layers = effect->layers;
    int count = effect->count, many = places_of(root), made = 0;
    char *family = take(&effect->arena, (size_t)count);
    const char **ids = take_many(&effect->arena, (size_t)count * (size_t)many, sizeof *ids);
    if (!ids) return;
    for (int grown = 1; grown;) {
        grown = 0;
        for (int i = 0; i < count; i++) {
            int above = index_of(layers, count, layers[i]->rides_on);
            if (!family[i] && (layers[i] == root || (above >= 0 && family[above]))) grown = family[i] = 1;
        }
    }
    const char *hub = derived(&effect->arena, root->id, "", -1, 0);
    for (int i = 0; i < count; i++)
        for (int k = 0; family[i] && k < many; k++) {
            int seed = place_at(root, k).seed;
            ids[i * many + k] = k || seed ? derived(&effect->arena, layers[i]->id, root->id, k, seed) : layers[i]->id;
        }
    for (int i = 0; i < count && !effect->arena.failed; i++) {
        Layer *layer = layers[i];
        if (!family[i]) { room[made++] = layer; continue; }
        if (layer == root) {
            Layer *empty = copied(effect, root);
            if (!empty) return;
            empty->id = hub; empty->drawn = 0; empty->places.lie = 0;
            memset(&empty->outlet.rate, 0, sizeof empty->outlet.rate);
            empty->outlet.bursts.count = 0; empty->outlet.per_metre = 0; empty->offspring.rules.count = 0;
            room[made++] = empty;
        }
        for (int k = 0; k < many; k++) {
            Place place = place_at(root, k);
            Layer *copy = copied(effect, layer);
            Rule *rules = take_many(&effect->arena, (size_t)layer->offspring.rules.count, sizeof *rules);
            if (!rules || !copy) return;
            for (int r = 0; r < layer->offspring.rules.count; r++) {
                rules[r] = layer->offspring.rules.items[r];
                int to = index_of(layers, count, rules[r].layer);
                if (to >= 0 && family[to]) rules[r].layer = ids[to * many + k];
            }
            copy->offspring.rules.items = rules;
            copy->id = ids[i * many + k];
            copy->copy = layer->copy * 1000 + k;
            if (layer == root) {
                copy->rides_on = *place.stands_on ? "" : hub;
                copy->scale = *place.stands_on ? place.scale * root->scale : place.scale;
                copy->stands_on = place.stands_on;
                memcpy(copy->place, place.place, sizeof copy->place);
                memcpy(copy->turn, place.turn, sizeof copy->turn);
                copy->keys.count = 0;
                copy->places.lie = 0;
                if (*place.mesh) copy->outlet.mesh = place.mesh;
            } else copy->rides_on = ids[index_of(layers, count, layer->rides_on) * many + k];
            later(effect, copy, place.after, 0);
            room[made++] = copy;
        }
    }
    memcpy(layers, room, (size_t)made * sizeof *layers);
    effect->count = made;
}

static void spread(PaleEffect *effect) {
    Document *document = &effect->document;
    int count = document->layers.count, spreads = 0, many = count;
    for (int i = 0; i < count; i++) spreads |= document->layers.items[i].places.lie != 0;
    if (spreads) many = MOST_COPIES + count + 1;
    effect->layers = take_many(&effect->arena, (size_t)many, sizeof *effect->layers);
    Layer **room = take_many(&effect->arena, (size_t)many, sizeof *room);
    if (!room) return;
    for (int i = 0; i < count; i++) {
        effect->layers[i] = &document->layers.items[i];
        effect->layers[i]->source = i;
        for (int c = 0; c < document->cues.count; c++)
            if (*effect->layers[i]->outlet.on_cue && !strcmp(document->cues.items[c].name, effect->layers[i]->outlet.on_cue)) {
                int last = c; /* of cues of one name the last counts */
                for (int d = c + 1; d < document->cues.count; d++)
                    if (!strcmp(document->cues.items[d].name, effect->layers[i]->outlet.on_cue)) last = d;
                later(effect, effect->layers[i], document->cues.items[last].at, 1);
                break;
            }
    }
    effect->count = count;
    if (!spreads) return;
    for (int deep = 0, seen = 0; seen < count && deep <= count; deep++)
        for (int i = 0; i < count; i++) {
            Layer *root = &document->layers.items[i];
            Layer *first[MOST_LAYERS];
            for (int k = 0; k < count; k++) first[k] = &document->layers.items[k];
            if (depth_of(first, count, root) != deep) continue;
            seen++;
            if (root->places.lie == 0) continue;
            int now = 0;
            Layer **current = take_many(&effect->arena, (size_t)effect->count, sizeof *current);
            if (!current) return;
            for (int k = 0; k < effect->count; k++) if (effect->layers[k]->source == i) current[now++] = effect->layers[k];
            for (int k = 0; k < now; k++) {
                int family = 0, listed = places_of(current[k]);
                if (current[k]->places.lie == 0) continue;
                for (int j = 0; j < effect->count; j++) {
                    const Layer *at = effect->layers[j];
                    for (int guard = 0; at && at != current[k] && guard < effect->count; guard++) {
                        int above = index_of(effect->layers, effect->count, at->rides_on);
                        at = above >= 0 ? effect->layers[above] : NULL;
                    }
                    family += at == current[k];
                }
                if (effect->count + family * listed <= MOST_COPIES) placed(effect, current[k], room);
                if (effect->arena.failed) return;
            }
        }
}

/* ---- compiling ---- */

static void unit3(const double v[3], double out[3]) {
    double length = sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]);
    for (int i = 0; i < 3; i++) out[i] = length > 0 ? v[i] / length : i == 1;
}

static const char *driven_name(const Lane *lane) { return lane->drives == D_NAMED ? lane->name : ""; }

static void add_lane(Plan *plan, Lanes *lanes, const Lane *lane, const PaleLayer *about) {
    CLane *made = &lanes->items[lanes->count++];
    double low = lane->over == O_AGE ? 0 : lane->low, high = lane->over == O_AGE ? 1 : lane->high;
    made->drives = lane->drives; made->over = lane->over; made->replaces = lane->replaces;
    made->channel = (2u << 20) + (u64)lane->key;
    made->low = (float)low;
    made->scale = (float)(fabs(high - low) > 1e-9 ? 1 / (high - low) : 1e9);
    made->curve = lane->curve; made->colours = lane->colours;
    made->target = made->name = -1;
    for (int i = 0; i < plan->force_count; i++) if (plan->forces[i]->key == lane->force) made->target = i;
    for (int i = 0; about && i < about->named_count; i++)
        if (lane->drives == D_NAMED && !strcmp(about->named[i], driven_name(lane))) made->name = i;
}

static int moves(int drives) { return drives == D_SPEED || (drives >= D_VELOCITY_X && drives <= D_FORCE && drives != D_ANGLE); }

static void compile_lanes(PaleEffect *effect, Plan *plan, PaleLayer *about) {
    const Life *life = &plan->layer->life;
    const PaleCurve *plain[4] = {life->size, life->brightness, life->opacity, life->speed};
    static const int drives[4] = {D_SIZE, D_BRIGHTNESS, D_OPACITY, D_SPEED};
    const PaleCurve **into[4] = {&plan->sized, &plan->lit, &plan->faded, &plan->paced};
    size_t many = (size_t)life->more.count + 8;
    Lanes *all[3] = {&plan->moving, &plan->shown, &plan->far};
    for (int i = 0; i < 3; i++)
        if (!(all[i]->items = take_many(&effect->arena, many, sizeof(CLane)))) return;
    for (int i = 0; i < life->more.count; i++) {
        const Lane *lane = &life->more.items[i];
        int known = lane->drives != D_NAMED || about->named_count == 8;
        for (int k = 0; k < about->named_count; k++) known |= !strcmp(about->named[k], driven_name(lane));
        if (!known) about->named[about->named_count++] = driven_name(lane);
    }
    for (int pass = 0; pass < 2; pass++) {
        /* Lanes of everyday with bands or jumps go with the rest, first. Speed lanes are shown too, after all that show. */
        for (int i = 0; i < 4; i++) {
            const PaleCurve *curve = plain[i];
            if (!curve) continue;
            if (!curve->banded && !curve->jump_count) { *into[i] = curve; continue; }
            Lane lane = {65000 + i, drives[i], O_AGE, 0, 1, curve, NULL, 0, -1, ""};
            if (moves(drives[i]) ? pass == 0 : pass == 0) add_lane(plan, moves(drives[i]) ? &plan->moving : &plan->shown, &lane, about);
            if (pass == 1 && drives[i] == D_SPEED) add_lane(plan, &plan->shown, &lane, about);
        }
        for (int i = 0; i < life->more.count; i++) {
            const Lane *lane = &life->more.items[i];
            if (pass == 0) add_lane(plan, moves(lane->drives) ? &plan->moving : lane->over == O_CAMERA ? &plan->far : &plan->shown, lane, about);
            else if (lane->drives == D_SPEED) add_lane(plan, &plan->shown, lane, about);
        }
    }
    for (int i = 0; i < plan->moving.count; i++) {
        const CLane *lane = &plan->moving.items[i];
        if (lane->drives == D_SPIN) plan->turns = 1;
        if (lane->drives >= D_VELOCITY_X && lane->drives <= D_VELOCITY_Z) plan->adds = 1;
        if (lane->drives == D_FORCE && lane->target >= 0) plan->laned[lane->target] = 1;
    }
    for (int i = 0; i < life->more.count; i++) {
        const Lane *lane = &life->more.items[i];
        plan->travels |= lane->over == O_DISTANCE;
        if (lane->replaces && lane->drives >= D_VELOCITY_X && lane->drives <= D_VELOCITY_Z) plan->own[lane->drives - D_VELOCITY_X] = 0;
    }
}

static void compile_rate(PaleEffect *effect, Plan *plan) {
    const Outlet *outlet = &plan->layer->outlet;
    const Document *document = &effect->document;
    plan->h = document->tempo * plan->layer->tempo / document->steps;
    plan->clock = 1.0 / plan->layer->tempo;
    plan->whole = document->duration * plan->layer->tempo;
    plan->start = least(outlet->start, plan->whole);
    plan->span = outlet->span > 0 ? least(outlet->span, plan->whole - plan->start) : plan->whole - plan->start;
    plan->waits = outlet->rate_counts == 1;
    plan->rate_share = outlet->rate_counts == 2 ? 1 / most(middle_of(&plan->layer->birth.lifetime), 1e-3) : 1;
    plan->flow_whole = plan->span;
    plan->flow_most = 1;
    if (!outlet->rate_curve) return;
    plan->factor = take_many(&effect->arena, FLOW, sizeof(double));
    plan->sum = take_many(&effect->arena, FLOW, sizeof(double));
    if (!plan->sum) return;
    plan->flow_most = 0;
    for (int i = 0; i < FLOW; i++) {
        plan->factor[i] = most(curve_at(outlet->rate_curve, (plan->start + plan->span * i / (FLOW - 1)) / plan->whole), 0);
        plan->flow_most = most(plan->flow_most, plan->factor[i]);
        if (i) plan->sum[i] = plan->sum[i - 1] + 0.5 * (plan->factor[i] + plan->factor[i - 1]) * (plan->span / (FLOW - 1));
    }
    plan->flow_whole = plan->sum[FLOW - 1];
}

/* The integral of the rate's factor from the span's start to `time` after it. */
static double flow_until(const Plan *plan, double time) {
    if (!plan->factor) return time;
    time = within(time, 0, plan->span);
    double width = plan->span / (FLOW - 1);
    int i = width > 0 ? (int)least(time / width, FLOW - 2) : 0;
    double part = time - i * width, slope = width > 0 ? (plan->factor[i + 1] - plan->factor[i]) / width : 0;
    return plan->sum[i] + part * (plan->factor[i] + 0.5 * slope * part);
}

/* When, after the span's start, the integral reaches an amount. */
static double flow_when(const Plan *plan, double amount) {
    if (!plan->factor) return amount;
    int low = 0, high = FLOW - 1;
    while (high - low > 1) {
        int middle = (low + high) / 2;
        if (plan->sum[middle] <= amount) low = middle; else high = middle;
    }
    double width = plan->span / (FLOW - 1), first = plan->factor[low], rise = plan->factor[low + 1] - first;
    double rest = most(amount - plan->sum[low], 0) / most(width, 1e-30), root = sqrt(most(first * first + 2 * rise * rest, 0));
    return low * width + width * within(2 * rest / most(first + root, 1e-30), 0, 1);
}

/* The pieces of a mesh that births are on, and their shares. */
static void compile_mesh(PaleEffect *effect, Plan *plan, const PaleOptions *options) {
    const Outlet *outlet = &plan->layer->outlet;
    PaleMesh mesh;
    memset(&mesh, 0, sizeof mesh);
    if (outlet->shape != 9 || !options->mesh || !options->mesh(options->user, outlet->mesh, &mesh)) return;
    if (mesh.triangles < 1 || mesh.vertices < 1 || mesh.triangles > 2000000 || mesh.vertices > 6000000) return;
    for (int i = 0; i < 3 * mesh.triangles; i++) if (mesh.indices[i] >= (uint32_t)mesh.vertices) return;
    int coloured = !strcmp(outlet->density, "vertex colour") && mesh.density;
    int dense = outlet->mesh_part == 0 && (coloured || (*outlet->density && strcmp(outlet->density, "vertex colour") && options->density && mesh.uvs));
    double low[3] = {1e300, 1e300, 1e300}, high[3] = {-1e300, -1e300, -1e300}, diagonal = 0;
    float (*normals)[3] = take_many(&effect->arena, (size_t)mesh.vertices, sizeof *normals);
    if (!normals) return;
    for (int i = 0; i < 3 * mesh.vertices; i++) { low[i % 3] = least(low[i % 3], mesh.positions[i]); high[i % 3] = most(high[i % 3], mesh.positions[i]); }
    for (int c = 0; c < 3; c++) diagonal += (high[c] - low[c]) * (high[c] - low[c]);
    double finest = sqrt(diagonal) / 48, total = 0;
    /* Quartered until no edge is longer than the finest, all at once, as long as that is not too many. */
    int cuts = 0;
    for (double longest = 0; dense; cuts++) {
        for (int f = 0; cuts == 0 && f < mesh.triangles; f++)
            for (int k = 0; k < 3; k++) {
                const float *a = mesh.positions + 3 * mesh.indices[3 * f + k], *b = mesh.positions + 3 * mesh.indices[3 * f + (k + 1) % 3];
                longest = most(longest, sqrt((double)(a[0] - b[0]) * (a[0] - b[0]) + (double)(a[1] - b[1]) * (a[1] - b[1]) + (double)(a[2] - b[2]) * (a[2] - b[2])));
            }
        if (((double)mesh.triangles * pow(4, cuts)) >= 50000 || longest / pow(2, cuts) <= finest) break;
    }
    int per = 1 << (2 * cuts), count = outlet->mesh_part == 2 ? mesh.vertices : outlet->mesh_part == 1 ? 3 * mesh.triangles : mesh.triangles * per;
    Piece *pieces = take_many(&effect->arena, (size_t)count, sizeof *pieces);
    if (!pieces) return;
    double (*flat)[3] = take_many(&effect->arena, (size_t)mesh.triangles, sizeof *flat);
    if (!flat) return;
    double *areas = take_many(&effect->arena, (size_t)mesh.triangles, sizeof *areas);
    if (!areas) return;
    for (int f = 0; f < mesh.triangles; f++) {
        const float *a = mesh.positions + 3 * mesh.indices[3 * f], *b = mesh.positions + 3 * mesh.indices[3 * f + 1], *c = mesh.positions + 3 * mesh.indices[3 * f + 2];
        double u[3] = {(double)b[0] - a[0], (double)b[1] - a[1], (double)b[2] - a[2]}, v[3] = {(double)c[0] - a[0], (double)c[1] - a[1], (double)c[2] - a[2]};
        double n[3] = {u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]};
        areas[f] = 0.5 * sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2]);
        unit3(n, flat[f]);
        for (int k = 0; k < 3; k++)
            for (int c3 = 0; c3 < 3; c3++) normals[mesh.indices[3 * f + k]][c3] += (float)(flat[f][c3] * areas[f]);
    }
    for (int i = 0; i < mesh.vertices; i++) {
        double n[3] = {normals[i][0], normals[i][1], normals[i][2]}, u[3];
        unit3(n, u);
        for (int c = 0; c < 3; c++) normals[i][c] = (float)u[c];
    }
    int made = 0;
    for (int i = 0; outlet->mesh_part == 2 && i < mesh.vertices; i++, made++) {
        for (int k = 0; k < 3; k++) {
            memcpy(pieces[made].points[k], mesh.positions + 3 * i, 12);
            memcpy(pieces[made].normals[k], normals[i], 12);
        }
        pieces[made].up_to = total += 1;
    }
    if (outlet->mesh_part == 1) {
        /* Each edge once, in the order of its lower and then its higher corner. */
        u64 *edges = take_many(&effect->arena, (size_t)(3 * mesh.triangles), sizeof *edges);
        if (!edges) return;
        for (int i = 0; i < 3 * mesh.triangles; i++) {
            uint32_t a = mesh.indices[i], b = mesh.indices[i % 3 == 2 ? i - 2 : i + 1];
            edges[i] = a < b ? (u64)a << 32 | b : (u64)b << 32 | a;
        }
        for (int gap = 3 * mesh.triangles / 2; gap > 0; gap = gap == 2 ? 1 : (int)(gap / 2.2))
            for (int i = gap; i < 3 * mesh.triangles; i++) {
                u64 held = edges[i];
                int k = i;
                for (; k >= gap && edges[k - gap] > held; k -= gap) edges[k] = edges[k - gap];
                edges[k] = held;
            }
        for (int i = 0; i < 3 * mesh.triangles; i++) {
            if (i && edges[i] == edges[i - 1]) continue;
            uint32_t ends[3] = {(uint32_t)(edges[i] >> 32), (uint32_t)edges[i], (uint32_t)edges[i]};
            double length = 0;
            for (int k = 0; k < 3; k++) {
                memcpy(pieces[made].points[k], mesh.positions + 3 * ends[k], 12);
                memcpy(pieces[made].normals[k], normals[ends[k]], 12);
                length += pow((double)mesh.positions[3 * ends[1] + (uint32_t)k] - mesh.positions[3 * ends[0] + (uint32_t)k], 2);
            }
            if (length <= 0) continue;
            pieces[made++].up_to = total += sqrt(length);
        }
    }
    for (int i = 0; outlet->mesh_part == 0 && i < count; i++) {
        int f = i / per;
        double corner[3][6]; /* place, texture coordinates, density */
        for (int k = 0; k < 3; k++) {
            uint32_t v = mesh.indices[3 * f + k];
            for (int c = 0; c < 3; c++) corner[k][c] = mesh.positions[3 * v + (uint32_t)c];
            corner[k][3] = mesh.uvs ? mesh.uvs[2 * v] : 0;
            corner[k][4] = mesh.uvs ? mesh.uvs[2 * v + 1] : 0;
            corner[k][5] = mesh.density ? mesh.density[v] : 1;
        }
        for (int cut = cuts - 1; cut >= 0; cut--) {
            int part = i >> (2 * cut) & 3;
            double mids[3][6];
            for (int c = 0; c < 6; c++)
                for (int k = 0; k < 3; k++) mids[k][c] = 0.5 * (corner[k][c] + corner[(k + 1) % 3][c]); /* ab, bc, ca */
            if (part == 0) { memcpy(corner[1], mids[0], sizeof mids[0]); memcpy(corner[2], mids[2], sizeof mids[0]); }
            else if (part == 1) { memcpy(corner[0], mids[0], sizeof mids[0]); memcpy(corner[2], mids[1], sizeof mids[0]); }
            else if (part == 2) { memcpy(corner[0], mids[2], sizeof mids[0]); memcpy(corner[1], mids[1], sizeof mids[0]); }
            else memcpy(corner, mids, sizeof mids);
        }
        double weight = areas[f] / per, u = 0, v = 0, told = 0;
        for (int k = 0; k < 3; k++) { u += corner[k][3] / 3; v += corner[k][4] / 3; told += corner[k][5] / 3; }
        if (dense) weight *= within(coloured ? told : options->density(options->user, outlet->density, (float)u, (float)v), 0, 1);
        if (!(weight > 0)) continue;
        for (int k = 0; k < 3; k++)
            for (int c = 0; c < 3; c++) { pieces[made].points[k][c] = (float)corner[k][c]; pieces[made].normals[k][c] = (float)flat[f][c]; }
        pieces[made++].up_to = total += weight;
    }
    for (int i = 0; i < made; i++) pieces[i].up_to /= total;
    plan->pieces = pieces;
    plan->piece_count = made;
}

static void compile_chain(PaleEffect *effect, Plan *plan) {
    int chain[MOST_COPIES > 64 ? 64 : MOST_COPIES], deep = 0, at = (int)(plan - effect->plans);
    for (; at >= 0 && deep < 64; at = index_of(effect->layers, effect->count, effect->layers[at]->rides_on)) chain[deep++] = at;
    plan->things = take_many(&effect->arena, (size_t)deep, sizeof(Thing));
    if (!plan->things) return;
    plan->stands = -1;
    const char *on = effect->layers[chain[deep - 1]]->stands_on;
    for (int i = 0; *on && i < effect->document.places.count; i++) if (!strcmp(effect->document.places.items[i], on)) plan->stands = i;
    for (int i = deep - 1; i >= 0; i--) {
        Thing *thing = &plan->things[plan->thing_count++];
        const Layer *link = effect->layers[chain[i]];
        rotation(link->turn, thing->base);
        for (int k = 0; k < 9; k++) thing->base[k] *= link->scale;
        memcpy(thing->place, link->place, sizeof thing->place);
        thing->keyed = link->keys.count ? link : NULL;
        plan->keyed |= link->keys.count > 0;
    }
}

static const unsigned char HAS_FACES[10] = {0, 0, 0, 0, 1, 2, 1, 1, 0, 0}; /* 1: side, caps, base, top; 2: all faces */

static int faces_of(const Outlet *outlet) {
    int faces = outlet->faces;
    if (outlet->shape == 4) return faces == 1 || faces == 3 ? faces : 0; /* a hemisphere has a side and a foot */
    return HAS_FACES[outlet->shape] == 2 || (HAS_FACES[outlet->shape] == 1 && faces <= 4) ? faces : 0;
}

/* The most births within so many seconds, of a layer that only its own outlet spawns. */
static double most_births(const PaleEffect *effect, const Plan *plan, double seconds) {
    const Outlet *outlet = &plan->layer->outlet;
    double waves = effect->document.loop ? ceil(seconds / plan->whole) + 1 : 1, many = 0;
    for (int i = 0; i < outlet->bursts.count; i++) many += most_of(&outlet->bursts.items[i].count) * outlet->bursts.items[i].times * waves;
    double rate = plan->waits ? 1 / most(least_of(&outlet->rate), 1e-4) : most_of(&outlet->rate) * plan->rate_share * plan->flow_most;
    if (most_of(&outlet->rate) > 0) many += rate * (effect->document.loop ? seconds : least(seconds, plan->span)) + 2 * waves;
    return many;
}

static void compile_plan(PaleEffect *effect, Plan *plan, PaleLayer *about, const PaleOptions *options) {
    const Layer *layer = plan->layer;
    const Document *document = &effect->document;
    const Outlet *outlet = &layer->outlet;
    Arena *arena = &effect->arena;
    plan->key = mix((u64)document->seed * STRIDE ^ mix(id_of(layer->id) + STRIDE));
    plan->mask = document->loop && document->identical ? ~LOOP_BITS : ~(u64)0;
    plan->world = layer->space == 0;
    for (int i = 0; i < 3; i++) plan->own[i] = 1;
    compile_rate(effect, plan);
    plan->forces = take_many(arena, (size_t)layer->forces.more.count, sizeof *plan->forces);
    plan->axes = take_many(arena, (size_t)layer->forces.more.count, sizeof *plan->axes);
    plan->laned = take_many(arena, (size_t)layer->forces.more.count, sizeof *plan->laned);
    plan->rule_count = layer->offspring.rules.count;
    plan->rule_keys = take_many(arena, (size_t)plan->rule_count, sizeof *plan->rule_keys);
    if (!plan->rule_keys) return;
    int drags = layer->forces.drag > 0;
    for (int i = 0; i < layer->forces.more.count; i++) {
        const Force *force = &layer->forces.more.items[i];
        if (!force->on) continue;
        double axis[3];
        unit3(force->axis, axis);
        for (int c = 0; c < 3; c++) plan->axes[plan->force_count][c] = (float)axis[c];
        plan->forces[plan->force_count++] = force;
        plan->circles |= force->kind == CIRCLING;
        drags |= force->kind == BRAKE;
    }
    plan->adds = plan->circles;
    plan->turbulence = drags && effect->eddies ? (float)layer->forces.turbulence : 0;
    compile_lanes(effect, plan, about);
    if (arena->failed) return;
    for (int i = 0; i < plan->rule_count; i++) {
        const Rule *rule = &layer->offspring.rules.items[i];
        plan->rule_keys[i] = join(plan->key, (u64)rule->key);
        plan->travels |= rule->when == 3;
        plan->tracks_touches |= rule->when == 1;
        plan->end_rules |= rule->when == 2;
    }
    plan->ages = layer->contact.meets == 1 && layer->contact.ageing > 0;
    plan->holds = layer->contact.meets == 2;
    plan->everyday = !plan->force_count && !plan->moving.count && !plan->rule_count && !plan->ages && !plan->travels && !plan->holds && !plan->adds;
    double touch = layer->contact.radius >= 0 ? layer->contact.radius : 0.5 * fabs(middle_of(&layer->birth.size)) * (plan->world ? layer->scale : 1);
    plan->touch = (float)touch;
    unit3(outlet->axis, plan->axis);
    rotation(outlet->shape_turn, plan->shape_turn);
    for (int c = 0; c < 3; c++) plan->half[c] = 0.5 * outlet->extent[c];
    plan->widening = tan(radians(outlet->opening));
    plan->arc = radians(outlet->arc);
    plan->spread_cos = cos(radians(middle_of(&outlet->spread)));
    plan->faces = faces_of(outlet);
    plan->frames = layer->look.columns * layer->look.rows;
    compile_mesh(effect, plan, options);
    compile_chain(effect, plan);
    double life = most(most_of(&layer->birth.lifetime), 0);
    plan->life_steps = (int)least(ceil(life / plan->h) + 2, 1e9);
    int trails = layer->look.trail && layer->look.drawn_as <= PALE_MESH;
    if (trails || (layer->look.drawn_as == PALE_RIBBON && layer->look.ribbon.path == BEHIND_EACH)) {
        double length = trails || layer->look.ribbon.measured == 0 ? least(layer->look.ribbon.length, life) : life;
        if (layer->look.ribbon.measured == 1) length = life;
        plan->trail_steps = (int)least(ceil(length / plan->h) + 1, 2400);
    }
    if (layer->look.drawn_as == PALE_RIBBON && layer->look.ribbon.path >= BEHIND_ANCHOR) {
        double length = layer->look.ribbon.measured == 0 ? layer->look.ribbon.length / layer->tempo : 30;
        plan->history = (int)least(ceil(length * document->steps / document->tempo) + 2, 4096);
    }
}

/* What hangs on who spawns whom: rooms and beginnings. */
static void compile_rooms(PaleEffect *effect, Plan *plan, PaleLayer *about) {
    const Outlet *outlet = &plan->layer->outlet;
    double latest = 0, rooms = 16;
    int limit = outlet->limit, spawns = most_of(&outlet->rate) > 0 || outlet->bursts.count || outlet->per_metre > 0;
    for (int i = 0; i < plan->feed_count; i++) {
        const Rule *rule = &effect->layers[plan->feeds[i].parent]->offspring.rules.items[plan->feeds[i].rule];
        latest = most(latest, most_of(&rule->delay) + rule->goes_on);
    }
    plan->kin = plan->feed_count > 0;
    plan->mixes = plan->feed_count > 1 || (plan->feed_count && (spawns || latest > 0));
    double life = most(most_of(&plan->layer->birth.lifetime), 0), births = most_births(effect, plan, life);
    int unknown = plan->feed_count > 0 || outlet->per_metre > 0;
    plan->capacity = unknown ? limit : (int)least(limit, floor(births) + 2);
    plan->binds = outlet->at_limit == 0 && (unknown || births > limit);
    plan->first = effect->document.loop && effect->document.warm ? -(i64)plan->life_steps * (plan->binds ? 2 : 1) : -1;
    for (int i = 0; i < plan->feed_count; i++)
        if (effect->plans[plan->feeds[i].parent].first < plan->first) plan->first = effect->plans[plan->feeds[i].parent].first;
    rooms += least((double)limit + 16, plan->waits || outlet->per_metre > 0 ? 2e9 : births + 4);
    for (int i = 0; i < outlet->bursts.count; i++)
        rooms += least(limit, most_of(&outlet->bursts.items[i].count)) * least(outlet->bursts.items[i].times, floor(plan->h / outlet->bursts.items[i].every) + 2);
    plan->pending = plan->feed_count ? 4 * limit + 1024 : 0;
    if (outlet->at_limit == 1) rooms = most(rooms, 2.0 * limit + 64);
    plan->room = (int)least(rooms, 4.0 * limit + 64) + plan->pending;
    if (plan->room > effect->widest) effect->widest = plan->room;
    if (plan->first < effect->first) effect->first = plan->first;
    about->most = plan->capacity;
}

static void compile(Reader *reader, PaleEffect *effect, const PaleOptions *options) {
    Arena *arena = &effect->arena;
    int count = effect->count;
    effect->plans = take_many(arena, (size_t)count, sizeof *effect->plans);
    effect->order = take_many(arena, (size_t)count, sizeof *effect->order);
    effect->drawing = take_many(arena, (size_t)count, sizeof *effect->drawing);
    PaleLayer *about = take_many(arena, (size_t)count, sizeof *about);
    int *waits = take_many(arena, (size_t)count, sizeof *waits);
    if (!waits) return;
    effect->about.layers = about;
    effect->first = -1;
    for (int i = 0; i < count; i++) {
        Layer *layer = effect->layers[i];
        effect->plans[i].layer = layer;
        about[i].slug = layer->slug; about[i].name = layer->name; about[i].look = &layer->look; about[i].drawn = layer->drawn;
        about[i].source = layer->source; about[i].copy = layer->copy;
        about[i].corner_count = layer->told.outline.count;
        about[i].corners = layer->told.outline.count ? layer->told.outline.items[0] : NULL;
        compile_plan(effect, &effect->plans[i], &about[i], options);
        if (arena->failed) return;
        for (int r = 0; r < layer->offspring.rules.count; r++) {
            Rule *rule = &layer->offspring.rules.items[r];
            rule->child = index_of(effect->layers, count, rule->layer);
            if (rule->child >= 0) { waits[rule->child]++; effect->plans[rule->child].feed_count++; }
        }
    }
    for (int i = 0; i < count; i++) {
        effect->plans[i].feeds = take_many(arena, (size_t)effect->plans[i].feed_count, sizeof(Feed));
        if (!effect->plans[i].feeds) return;
        effect->plans[i].feed_count = 0;
    }
    for (int i = 0; i < count; i++)
        for (int r = 0; r < effect->layers[i]->offspring.rules.count; r++) {
            int child = effect->layers[i]->offspring.rules.items[r].child;
            if (child < 0) continue;
            Feed *feed = &effect->plans[child].feeds[effect->plans[child].feed_count++];
            feed->parent = i; feed->rule = r;
        }
    for (int i = 0; i < count; i++) {
        int at = i;
        for (; at > 0 && effect->layers[effect->drawing[at - 1]]->look.order > effect->layers[i]->look.order; at--) effect->drawing[at] = effect->drawing[at - 1];
        effect->drawing[at] = i;
    }
    int made = 0, done = 0;
    for (int i = 0; i < count; i++) if (!waits[i]) effect->order[made++] = i;
    for (; done < made; done++) {
        Layer *layer = effect->layers[effect->order[done]];
        compile_rooms(effect, &effect->plans[effect->order[done]], &about[effect->order[done]]);
        for (int r = 0; r < layer->offspring.rules.count; r++) {
            int child = layer->offspring.rules.items[r].child;
            if (child >= 0 && !--waits[child]) effect->order[made++] = child;
        }
    }
    double alive = 1;
    for (int i = 0; i < count; i++) alive += effect->plans[i].capacity;
    i64 earliest = -(i64)most(1, least(MOST_WARM, MOST_WARM_WORK / alive));
    if (effect->first < earliest) effect->first = earliest;
    for (int i = 0; i < count; i++) if (effect->plans[i].first < earliest) effect->plans[i].first = earliest;
    if (made < count) {
        reader->deep = 0;
        enter(reader, "layers", 0);
        refuse(reader, "layers that spawn each other in a row", "a ring");
    }
}

/* Takes the values of the distance step that holds where the effect is seen from. */
static void take_farther(Reader *reader, Document *document, Node *top, double beyond) {
    Json *json = &reader->json;
    Node *list = member(json, top, "farther", child_of(json, top)), *best = NULL;
    double reached = -1;
    if (!list || list->kind != '[') return;
    enter(reader, "farther", 0);
    int index = 0, chosen = 0;
    for (Node *each = child_of(json, list); each; each = beside(json, each), index++) {
        Distance step = {0, 0};
        enter(reader, NULL, index);
        read_part(reader, each, &distance_part, &step);
        if (reader->failed) return;
        reader->deep--;
        if (step.beyond <= beyond && step.beyond > reached) { reached = step.beyond; best = each; chosen = index; }
    }
    Node *layers = best ? member(json, best, "layers", child_of(json, best)) : NULL;
    enter(reader, NULL, chosen);
    enter(reader, "layers", 0);
    if (layers && layers->kind != '{') refuse(reader, "a group in { }", kind_of(layers));
    for (Node *each = layers && !reader->failed ? child_of(json, layers) : NULL; each; each = beside(json, each)) {
        Layer *layer = NULL;
        for (int i = 0; i < document->layers.count; i++)
            if (is_text(each->key, each->key_length, document->layers.items[i].slug)) layer = &document->layers.items[i];
        if (!layer || each->kind != '{') { refuse(reader, "values of a layer, by its slug", "others"); return; }
        for (Node *value = child_of(json, each); value; value = beside(json, value)) {
            const Part *part = &layer_part;
            char *at = (char *)layer;
            const char *path = value->key, *end = path + value->key_length;
            for (int known = 1; path < end && known;) {
                size_t length = 0;
                while (path + length < end && path[length] != '.') length++;
                known = 0;
                for (int i = 0; i < part->count && !known; i++) {
                    const Field *field = &part->fields[i];
                    if (!is_text(path, (uint32_t)length, field->name)) continue;
                    known = 1;
                    if (path + length == end) {
                        enter(reader, field->name, 0);
                        if (!strcmp(field->name, "slug") || !strcmp(field->name, "id")) refuse(reader, "a value", "a name");
                        else read_field(reader, value, field, at + field->at);
                        if (reader->failed) return;
                        reader->deep--;
                    } else if (field->kind == A_PART) { part = field->more; at += field->at; }
                    else known = 0;
                    break;
                }
                if (!known) { refuse(reader, "the path of a field", "another"); return; }
                path += length + 1;
            }
        }
    }
}

static void check_document(Reader *reader, Document *document) {
    int count = document->layers.count;
    reader->deep = 0;
    enter(reader, "layers", 0);
    if (count > MOST_LAYERS) { refuse(reader, "at most 500 layers", "more"); return; }
    for (int i = 0; i < count && !reader->failed; i++) {
        Layer *layer = &document->layers.items[i];
        enter(reader, NULL, i);
        if (!is_id(layer->id)) refuse(reader, "an id of up to 16 hexadecimal digits", "another");
        if (*layer->rides_on && !is_id(layer->rides_on)) refuse(reader, "an id of a layer in rides_on", "another");
        for (int r = 0; r < layer->offspring.rules.count; r++)
            if (*layer->offspring.rules.items[r].layer && !is_id(layer->offspring.rules.items[r].layer))
                refuse(reader, "an id of a layer in offspring.rules", "another");
        for (int k = 0; k < i && !reader->failed; k++)
            if (id_of(document->layers.items[k].id) == id_of(layer->id)) refuse(reader, "an id of its own", "that of another layer");
        for (int k = 1; k < layer->keys.count; k++)
            if (!(layer->keys.items[k].at > layer->keys.items[k - 1].at)) refuse(reader, "keys one after the other", "two at one time");
        if (!reader->failed) reader->deep--;
    }
    for (int i = 0; i < count && !reader->failed; i++) {
        int at = i, deep = 0;
        for (; deep <= count && *document->layers.items[at].rides_on; deep++) {
            int above = -1;
            for (int k = 0; k < count; k++)
                if (id_of(document->layers.items[k].id) == id_of(document->layers.items[at].rides_on)) above = k;
            if (above < 0) { enter(reader, NULL, at); refuse(reader, "a layer of this effect in rides_on", "none of that id"); return; }
            at = above;
        }
        if (deep > 60) { enter(reader, NULL, i); refuse(reader, "layers that ride on each other in a short row", deep > count ? "a ring" : "more than 60"); }
    }
}

PaleEffect *pale_load(const char *text, size_t bytes, const PaleOptions *options, PaleFault *fault) {
    static const PaleOptions plain = {NULL, NULL, NULL, NULL, NULL, 0, 0, NULL};
    PaleFault ignored;
    Reader reader;
    memset(&reader, 0, sizeof reader);
    if (!options) options = &plain;
    Arena arena = {options->allocate, options->release, options->user, NULL, 0, 0}, scratch;
    if (!arena.allocate || !arena.release) { arena.allocate = plain_allocate; arena.release = plain_release; }
    scratch = arena;
    reader.fault = fault ? fault : &ignored;
    reader.fault->text[0] = 0;
    size_t values = 2;
    for (size_t i = 0; i < bytes; i++) values += text[i] == ',' || text[i] == '{' || text[i] == '[';
    if (values > 0x7FFFFFF0u || bytes > 0x7FFFFFF0u) { reader.arena = &scratch; no_memory(&reader); return NULL; }
    Json *json = &reader.json;
    json->begin = json->at = text; json->end = text + bytes; json->room = (uint32_t)values;
    json->nodes = take_many(&scratch, values, sizeof(Node));
    PaleEffect *effect = take(&arena, sizeof *effect);
    reader.arena = &arena;
    if (!effect || !json->nodes) { no_memory(&reader); goto failed; }
    int root = json_value(json, 0);
    skip_space(json);
    if (root >= 0 && json->at < json->end) json->fault = "something behind its end";
    if (json->fault) {
        char found[60];
        snprintf(found, sizeof found, "%.34s at byte %lu", json->fault, (unsigned long)(json->at - json->begin));
        refuse(&reader, "JSON", found);
        goto failed;
    }
    Node *top = &json->nodes[0], *format = top->kind == '{' ? member(json, top, "format", child_of(json, top)) : NULL;
    Node *version = format ? member(json, top, "version", format) : NULL;
    if (!format || format->kind != '"' || !is_text(format->text, format->length, "pale-ember hand-over")) {
        refuse(&reader, "\"format\": \"pale-ember hand-over\"", "another file");
        goto failed;
    }
    if (!version || version->kind != '0' || version->number != 1) { refuse(&reader, "version 1", "another"); goto failed; }
    read_part(&reader, top, &document_part, &effect->document);
    if (!reader.failed && options->beyond > 0) take_farther(&reader, &effect->document, top, options->beyond);
    if (!reader.failed) check_document(&reader, &effect->document);
    if (!reader.failed) {
        for (int i = 0; i < effect->document.layers.count; i++) {
            Layer *layer = &effect->document.layers.items[i];
            layer->source = i;
        }
        effect->arena = arena;
        reader.arena = &effect->arena;
        effect->eddies = options->eddies;
        effect->surfaces = options->surfaces > 0 ? options->surfaces : 16;
        spread(effect);
        if (!effect->arena.failed) compile(&reader, effect, options);
        arena = effect->arena;
        reader.arena = &arena;
    }
    if (arena.failed) no_memory(&reader);
    if (reader.failed) goto failed;
    let_go(&scratch);
    const Document *document = &effect->document;
    PaleAbout *about = &effect->about;
    PaleCue *cues = take_many(&effect->arena, (size_t)document->cues.count, sizeof *cues);
    if (!cues) { arena = effect->arena; no_memory(&reader); goto failed; }
    for (int i = 0; i < document->cues.count; i++) {
        const Cue *cue = &document->cues.items[i];
        PaleCue told = {cue->name, cue->what, *cue->sound ? cue->sound : cue->name, cue->at / document->tempo, cue->strength};
        cues[i] = told;
    }
    about->name = document->name; about->duration = document->duration / document->tempo; about->steps = document->steps;
    about->tempo = document->tempo; about->loop = document->loop; about->by_itself = document->answers.by_itself;
    about->layer_count = effect->count; about->place_count = document->places.count; about->cue_count = document->cues.count;
    about->delay = document->answers.delay; about->start = document->answers.start; about->stop = document->answers.stop;
    about->fade = document->answers.fade; about->strength = document->answers.strength;
    about->places = document->places.items; about->cues = cues;
    return effect;
failed:
    let_go(&scratch);
    let_go(&arena);
    return NULL;
}

void pale_free(PaleEffect *effect) {
    if (!effect) return;
    Arena arena = effect->arena;
    let_go(&arena);
}

size_t pale_effect_memory(const PaleEffect *effect) { return effect->arena.total; }
const PaleAbout *pale_about(const PaleEffect *effect) { return &effect->about; }

/* ---- a play ---- */

typedef struct { /* columns of particles; those that a layer has no use for are NULL */
    float *px, *py, *pz, *vx, *vy, *vz;
    double *born;
    float *life;
    u64 *number;
    float *aged, *travelled, *turned;
    int32_t *touches, *held, *kin_rule, *slot;
    float *kin_size, *kin_red, *kin_green, *kin_blue, *plus_x, *plus_y, *plus_z;
} Table;

typedef struct { /* a birth that a rule asked for: the step it belongs to, its outlet's frame, what is taken along */
    double born, axes[9], place[3], since; /* since: effect seconds at which its frame holds */
    u64 number;
    i64 step;
    float velocity[3], size, colour[3];
    int feed, surface;
} Pending;

typedef struct { double born; u64 number; int pending; uint32_t turn; } Born; /* pending: which, or -1: by the outlet itself */

typedef struct { /* something touched during one step, in the axes of the simulation: at its beginning and at its end */
    int shape, moves, index;
    double half[3], size, level;
    PaleFrame in0, in1, out1;
    float up[3], low[3], high[3];
    const PaleSurface *told;
} Surface;

typedef struct {
    Table table;
    int count, pending_count;
    Pending *pending;
    int *per_step;
    i64 begun;           /* steps that it has made */
    i64 wait;            /* the next birth by waits, and when it comes: s of its outlet's own flow */
    double wait_at, come; /* come: metres of its way so far */
    i64 base_loop;       /* the loop that `base` is of: the integral of the rate over all before it */
    double base;
    float (*trail)[3];   /* capacity rings of trail_steps places */
    int32_t *trail_since; /* by slot: the step of its first place */
    unsigned char *used;
    float (*history)[2][3]; /* a ring of where its ribbon's places were */
    i64 history_since;
    PaleFrame *frames;   /* of forces in the middle of the step */
    int far;
} Track;

#define MOST_POINTS 512

typedef struct { double place[3]; float width, colour[4], along, side[3]; } Point; /* of a strip; side: along which it is wide, 0: faces the eye */

/* Room for one strike of a beam, too large for the stack of some machines. */
typedef struct {
    Point path[MOST_POINTS + 1], branch[MOST_POINTS + 1];
    double come[MOST_POINTS + 1];
    float thrown[MOST_POINTS + 1][2];
} Bolt;

struct PalePlay {
    const PaleEffect *effect;
    Track *tracks;
    i64 step;
    double strength;
    i64 left_out;
    PaleMoving stands, *places;
    double gravity[3], wind[3];
    Born *born;
    Surface *surfaces;
    double begin, end; /* effect seconds: the step that the world was told for */
    int before;        /* what comes before the start is being played */
    Bolt *bolt;        /* where a rule waits for strikes */
};

#define COLUMN(name, wanted) if (wanted) table->name = piece(room, many, sizeof *table->name)

static void lay_table(const Plan *plan, Table *table, Room *room) {
    size_t many = (size_t)plan->capacity;
    memset(table, 0, sizeof *table);
    COLUMN(px, 1); COLUMN(py, 1); COLUMN(pz, 1); COLUMN(vx, 1); COLUMN(vy, 1); COLUMN(vz, 1);
    COLUMN(born, 1); COLUMN(life, 1); COLUMN(number, 1);
    COLUMN(aged, plan->ages); COLUMN(travelled, plan->travels); COLUMN(turned, plan->turns); COLUMN(touches, plan->tracks_touches);
    COLUMN(held, plan->holds); COLUMN(slot, plan->trail_steps > 0);
    COLUMN(kin_rule, plan->kin); COLUMN(kin_size, plan->kin); COLUMN(kin_red, plan->kin); COLUMN(kin_green, plan->kin); COLUMN(kin_blue, plan->kin);
    COLUMN(plus_x, plan->adds); COLUMN(plus_y, plan->adds); COLUMN(plus_z, plan->adds);
}

static PalePlay *lay_out(const PaleEffect *effect, Room *room) {
    PalePlay counted, *made = piece(room, 1, sizeof *made), *play = made ? made : &counted;
    Track *tracks = piece(room, (size_t)effect->count, sizeof *tracks), spare;
    PaleMoving *places = piece(room, (size_t)effect->document.places.count, sizeof *places);
    Born *born = piece(room, (size_t)effect->widest, sizeof *born);
    Surface *surfaces = piece(room, (size_t)effect->surfaces, sizeof *surfaces);
    size_t bolts = 0;
    for (int i = 0; i < effect->count; i++)
        for (int r = 0; r < effect->plans[i].rule_count; r++) bolts |= effect->plans[i].layer->offspring.rules.items[r].when >= 5;
    Bolt *bolt = piece(room, bolts, sizeof *bolt);
    memset(play, 0, sizeof *play);
    play->bolt = bolts ? bolt : NULL;
    if (made) memset(tracks, 0, (size_t)effect->count * sizeof *tracks);
    play->effect = effect; play->tracks = tracks; play->places = places; play->born = born; play->surfaces = surfaces;
    play->strength = 1;
    for (int i = 0; i < effect->count; i++) {
        const Plan *plan = &effect->plans[i];
        Track *track = room->at ? &tracks[i] : &spare;
        lay_table(plan, &track->table, room);
        track->pending = piece(room, (size_t)plan->pending, sizeof(Pending));
        track->per_step = piece(room, (size_t)plan->rule_count, sizeof(int));
        track->frames = piece(room, (size_t)plan->force_count, sizeof(PaleFrame));
        if (plan->history) track->history = piece(room, (size_t)plan->history, sizeof *track->history);
        if (plan->trail_steps) {
            track->trail = piece(room, (size_t)plan->capacity * (size_t)plan->trail_steps, sizeof *track->trail);
            track->trail_since = piece(room, (size_t)plan->capacity, sizeof *track->trail_since);
            track->used = piece(room, (size_t)plan->capacity, 1);
        }
    }
    return made;
}

size_t pale_play_memory(const PaleEffect *effect) {
    Room room = {NULL, 0};
    lay_out(effect, &room);
    return room.used;
}

static double looped(const Document *document, double time, i64 *loop) {
    if (!document->loop) { *loop = 0; return most(time, 0); }
    *loop = floored(time / document->duration + 1e-9);
    return within(time - (double)*loop * document->duration, 0, document->duration);
}

/* Where something is at a moment of the effect, s, within or about the step that the world was told for. */
static PaleFrame moving_at(const PalePlay *play, const PaleMoving *moving, double time) {
    double span = play->end - play->begin;
    return between(moving, span > 0 ? (time - play->begin) / span : 1);
}

static PaleFrame chain_at(const PalePlay *play, const Plan *plan, double time, double in_loop) {
    PaleFrame frame = moving_at(play, plan->stands >= 0 ? &play->places[plan->stands] : &play->stands, time);
    for (int i = 0; i < plan->thing_count; i++) {
        const Thing *thing = &plan->things[i];
        PaleFrame inner;
        memcpy(inner.axes, thing->base, sizeof inner.axes);
        memcpy(inner.place, thing->place, sizeof inner.place);
        if (thing->keyed) {
            const Pose *keys = thing->keyed->keys.items;
            int count = thing->keyed->keys.count, k = 0;
            double v[7], m[9], keyed[9];
            while (k + 1 < count && keys[k + 1].at <= in_loop) k++;
            const double *from = keys[k].place, *to = keys[k == count - 1 ? k : k + 1].place; /* place, turn and scale lie side by side */
            double width = k < count - 1 ? keys[k + 1].at - keys[k].at : 1;
            for (int c = 0; c < 7; c++) {
                v[c] = from[c];
                if (k == count - 1 || in_loop <= keys[0].at || keys[k].ease == 2) continue;
                /* A slope hangs on the chords beside its key alone. */
                int first = k > 0 ? k - 1 : 0, some = (k + 2 < count ? k + 2 : count - 1) - first + 1;
                double leaving[3], arriving[3];
                slopes(some, &keys[first].at, keys[first].place + c, &keys[first].ease, NULL, sizeof(Pose), leaving, arriving, 1);
                v[c] = hermite((in_loop - keys[k].at) / width, width, from[c], leaving[k - first], to[c], arriving[k - first]);
            }
            rotation(v + 3, m);
            multiply3(inner.axes, m, keyed);
            for (int c = 0; c < 9; c++) inner.axes[c] = keyed[c] * v[6];
            for (int c = 0; c < 3; c++) inner.place[c] += v[c];
        }
        frame = inside(&frame, &inner);
    }
    return frame;
}

#define INSTANT 1e-4 /* s to either side over which a way is measured */

static void around(const PalePlay *play, double time, double *before, double *after, i64 *loop) {
    const Document *document = &play->effect->document;
    looped(document, time, loop);
    if (!document->loop) { *before = most(time - INSTANT, 0); *after = time + INSTANT; return; }
    double begin = (double)*loop * document->duration;
    *before = most(time - INSTANT, begin);
    *after = least(time + INSTANT, begin + document->duration);
}

static double in_loop_of(const PalePlay *play, double time, i64 loop) {
    const Document *document = &play->effect->document;
    return document->loop ? within(time - (double)loop * document->duration, 0, document->duration) : most(time, 0);
}

/* The layer's frame in the world at a moment of the effect, s, of a loop that is told. */
static PaleFrame layer_in(const PalePlay *play, const Plan *plan, double time, i64 loop) {
    PaleFrame frame = chain_at(play, plan, time, in_loop_of(play, time, loop));
    int turns = plan->layer->turns_with;
    if (!turns) return frame;
    double way[3], size = cbrt(determinant(frame.axes));
    if (turns == 1) {
        double before, after;
        i64 same;
        around(play, time, &before, &after, &same);
        PaleFrame one = chain_at(play, plan, before, in_loop_of(play, before, same)), two = chain_at(play, plan, after, in_loop_of(play, after, same));
        for (int c = 0; c < 3; c++) way[c] = two.place[c] - one.place[c];
    } else for (int c = 0; c < 3; c++) way[c] = plan->layer->target[c] - frame.place[c];
    upright(frame.axes, way[0], way[1], way[2], size);
    return frame;
}

static PaleFrame layer_at(const PalePlay *play, const Plan *plan, double time) {
    i64 loop;
    looped(&play->effect->document, time, &loop);
    return layer_in(play, plan, time, loop);
}

/* m/s: how the layer carries a point of its own at a moment. */
static void velocity_at(const PalePlay *play, const Plan *plan, double time, const double point[3], double out[3]) {
    double before, after, one[3], two[3];
    i64 loop;
    around(play, time, &before, &after, &loop);
    PaleFrame a = layer_in(play, plan, before, loop), b = layer_in(play, plan, after, loop);
    turned(a.axes, point[0], point[1], point[2], one);
    turned(b.axes, point[0], point[1], point[2], two);
    for (int c = 0; c < 3; c++) out[c] = (two[c] + b.place[c] - one[c] - a.place[c]) / (after - before);
}

static int is_still(const PalePlay *play, const Plan *plan) {
    const PaleMoving *on = plan->stands >= 0 ? &play->places[plan->stands] : &play->stands;
    return !plan->keyed && !plan->layer->turns_with && !memcmp(&on->was, &on->is, sizeof on->was);
}

/* ---- being born: where, and heading which way ---- */

typedef struct { double place[3], normal[3]; } Spot;

/* The digits of a row in some base, mirrored at the point (Halton, Numer. Math. 2, 1960). */
static double mirrored(u64 row, u64 base) {
    double sum = 0, share = 1.0 / (double)base;
    for (; row; row /= base, share /= (double)base) sum += share * (double)(row % base);
    return sum;
}

static void unit_or(double *v, double x, double y, double z) {
    double length = sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]);
    if (length < 1e-12) { v[0] = x; v[1] = y; v[2] = z; return; }
    for (int i = 0; i < 3; i++) v[i] /= length;
}

static void spot(Spot *out, double x, double y, double z, double nx, double ny, double nz) {
    out->place[0] = x; out->place[1] = y; out->place[2] = z;
    out->normal[0] = nx; out->normal[1] = ny; out->normal[2] = nz;
}

/* Even within an angle of a unit axis (Duff et al., JCGT 6(1), 2017, for the two sideways units). */
static void in_cap(const double axis[3], double spread_cos, double across, double a, double b, double out[3]) {
    double sign = axis[2] >= 0 ? 1 : -1, p = -1 / (sign + axis[2]), q = axis[0] * axis[1] * p;
    double u[3] = {1 + sign * axis[0] * axis[0] * p, sign * q, -sign * axis[0]}, w[3] = {q, sign + axis[1] * axis[1] * p, -axis[1]};
    double c = 1 - a * (1 - spread_cos), s = sqrt(most(0, 1 - c * c)), cb = cos(2 * PI * b), sb = sin(2 * PI * b);
    if (across < 1) {
        double angle = acos(within(c, -1, 1)), first = angle * cb, second = angle * sb * across;
        angle = sqrt(first * first + second * second);
        if (angle < 1e-12) { memcpy(out, axis, 3 * sizeof *out); return; }
        cb = first / angle; sb = second / angle; c = cos(angle); s = sin(angle);
    }
    double made[3];
    for (int i = 0; i < 3; i++) made[i] = c * axis[i] + s * cb * u[i] + s * sb * w[i];
    memcpy(out, made, sizeof made);
}

enum { F_ALL, F_SIDE, F_CAPS, F_BASE, F_TOP, F_LEFT, F_RIGHT, F_FRONT, F_BACK };

static void on_box(const Plan *plan, double fill, double a, double b, double c, Spot *out) {
    double hx = plan->half[0], hy = plan->half[1], hz = plan->half[2], u = 2 * b - 1, v = 2 * c - 1;
    if (plan->faces == F_ALL) {
        double thick = fill * least(hx, least(hy, hz)), ix = hx - thick, iy = hy - thick, wx = hy * hz, wy = ix * hz, wz = ix * iy;
        double pick = a * (wx + wy + wz), share, ra, rb, deep;
        int axis;
        if (pick < wx) { share = pick / wx; ra = hy; rb = hz; axis = 0; deep = hx; }
        else if (pick < wx + wy) { share = (pick - wx) / wy; ra = ix; rb = hz; axis = 1; deep = hy; }
        else { share = (pick - wx - wy) / most(wz, 1e-30); ra = ix; rb = iy; axis = 2; deep = hz; }
        double side = share < 0.5 ? -1 : 1, in = share < 0.5 ? 2 * share : 2 * share - 1, depth = side * (deep - thick * in);
        if (axis == 0) spot(out, depth, u * ra, v * rb, side, 0, 0);
        else if (axis == 1) spot(out, u * ra, depth, v * rb, 0, side, 0);
        else spot(out, u * ra, v * rb, depth, 0, 0, side);
        return;
    }
    int faces = plan->faces;
    double left = faces == F_LEFT || faces == F_SIDE ? hy * hz : 0, right = faces == F_RIGHT || faces == F_SIDE ? hy * hz : 0;
    double rear = faces == F_BACK || faces == F_SIDE ? hx * hy : 0, front = faces == F_FRONT || faces == F_SIDE ? hx * hy : 0;
    double base = faces == F_BASE || faces == F_CAPS ? hx * hz : 0, top = faces == F_TOP || faces == F_CAPS ? hx * hz : 0;
    double pick = a * (left + right + rear + front + base + top);
    if (pick < left + right && left + right > 0) { double s = pick < left ? -1 : 1; spot(out, s * hx, u * hy, v * hz, s, 0, 0); return; }
    pick -= left + right;
    if (pick < rear + front && rear + front > 0) { double s = pick < rear ? -1 : 1; spot(out, u * hx, v * hy, s * hz, 0, 0, s); return; }
    pick -= rear + front;
    double s = (pick < base && base > 0) || top == 0 ? -1 : 1;
    spot(out, u * hx, s * hy, v * hz, 0, s, 0);
}

static void on_cone(const Plan *plan, double a, double b, double c, Spot *out) {
    const Outlet *outlet = &plan->layer->outlet;
    double widening = plan->widening, length = outlet->length, foot = outlet->radius, top = foot + length * widening, hollow = 1 - outlet->fill;
    double turn = plan->arc * b, ct = cos(turn), st = sin(turn), caps = foot * foot + top * top;
    int flat = plan->faces == F_BASE || plan->faces == F_TOP || plan->faces == F_CAPS;
    if (plan->faces == F_ALL && outlet->fill <= 0 && length > 0) {
        double slant = (foot + top) * sqrt(length * length + (top - foot) * (top - foot)), ends = caps / most(caps + slant, 1e-300);
        flat = a < ends;
        a = flat ? a / ends : (a - ends) / most(1 - ends, 1e-300);
    }
    if (flat) {
        int above = plan->faces == F_TOP || (plan->faces != F_BASE && c * caps >= foot * foot);
        double r = sqrt(a) * (above ? top : foot);
        spot(out, r * ct, above ? length : 0, r * st, 0, above ? 1 : -1, 0);
        return;
    }
    int side = plan->faces == F_SIDE;
    double rise = 0;
    if (length > 0) {
        double power = side || outlet->fill <= 0 ? 2 : 3;
        if (top - foot < 1e-6 * most(top, 1e-30)) rise = c * length;
        else {
            double low = pow(foot, power);
            rise = (pow(low + c * (pow(top, power) - low), 1 / power) - foot) / widening;
        }
    }
    double share = side ? 1 : sqrt(hollow * hollow + a * (1 - hollow * hollow)), r = share * (foot + rise * widening), lean = share * widening;
    double norm = 1 / sqrt(1 + lean * lean);
    spot(out, r * ct, rise, r * st, lean * ct * norm, norm, lean * st * norm);
}

static void on_cylinder(const Plan *plan, double a, double b, double c, Spot *out) {
    const Outlet *outlet = &plan->layer->outlet;
    double radius = outlet->radius, height = outlet->length, turn = plan->arc * b, ct = cos(turn), st = sin(turn);
    double thick = plan->faces == F_ALL ? outlet->fill * least(radius, 0.5 * height) : 0, caps = radius * radius;
    double side = (2 * radius - thick) * (height - 2 * thick);
    if (plan->faces == F_SIDE) caps = 0;
    else if (plan->faces != F_ALL) side = 0;
    if (height <= 0) side = 0;
    double pick = a * (2 * caps + side);
    if (pick < side && side > 0) {
        double inner = radius - thick, r = sqrt(inner * inner + pick / side * (radius * radius - inner * inner));
        spot(out, r * ct, thick + c * (height - 2 * thick), r * st, ct, 0, st);
        return;
    }
    double share = least((pick - side) / most(2 * caps, 1e-300), 1);
    int above = share >= 0.5;
    share = above ? 2 * share - 1 : 2 * share;
    if (plan->faces == F_TOP) above = 1;
    else if (plan->faces == F_BASE) above = 0;
    double r = radius * sqrt(share), depth = thick * c;
    spot(out, r * ct, above ? height - depth : depth, r * st, 0, above ? 1 : -1, 0);
}

static void on_ball(const Plan *plan, double a, double b, double c, int upper, Spot *out) {
    const Outlet *outlet = &plan->layer->outlet;
    double turn = plan->arc * b, ct = cos(turn), st = sin(turn);
    int flat = upper && (plan->faces == F_BASE || plan->faces == F_CAPS), skin = upper && plan->faces == F_SIDE;
    if (upper && plan->faces == F_ALL && outlet->fill <= 0) {
        flat = a < 1.0 / 3;
        a = flat ? 3 * a : 1.5 * (a - 1.0 / 3);
    }
    if (flat) { double r = outlet->radius * sqrt(a); spot(out, r * ct, 0, r * st, 0, -1, 0); return; }
    double h = upper ? c : 2 * c - 1, s = sqrt(most(0, 1 - h * h)), hollow = pow(1 - outlet->fill, 3);
    double r = skin ? outlet->radius : outlet->radius * cbrt(hollow + a * (1 - hollow));
    spot(out, r * s * ct, r * h, r * s * st, s * ct, h, s * st);
}

static void on_torus(const Plan *plan, double a, double b, double c, Spot *out) {
    const Outlet *outlet = &plan->layer->outlet;
    double hollow = 1 - outlet->fill, tube = outlet->tube * sqrt(hollow * hollow + a * (1 - hollow * hollow));
    double k = outlet->radius > 0 ? least(tube / outlet->radius, 1) : 1, wanted = 2 * PI * c, q = wanted, turn = plan->arc * b;
    for (int i = 0; i < 12; i++) q -= (q + k * sin(q) - wanted) / most(1 + k * cos(q), 0.05);
    q = within(q, 0, 2 * PI);
    double r = outlet->radius + tube * cos(q);
    spot(out, r * cos(turn), tube * sin(q), r * sin(turn), cos(q) * cos(turn), sin(q), cos(q) * sin(turn));
}

static void on_mesh(const Plan *plan, double a, double b, double c, Spot *out) {
    int low = 0, high = plan->piece_count - 1;
    if (high < 0) { spot(out, 0, 0, 0, 0, 1, 0); return; }
    while (low < high) { int middle = (low + high) / 2; if (plan->pieces[middle].up_to > a) high = middle; else low = middle + 1; }
    const Piece *piece = &plan->pieces[low];
    double root = sqrt(b), w[3] = {1 - root, root * (1 - c), root * c};
    if (!memcmp(piece->points[1], piece->points[2], sizeof piece->points[1])) { w[0] = 1 - b; w[1] = b; w[2] = 0; }
    memset(out, 0, sizeof *out);
    for (int k = 0; k < 3; k++)
        for (int i = 0; i < 3; i++) { out->place[i] += w[k] * piece->points[k][i]; out->normal[i] += w[k] * piece->normals[k][i]; }
}

/* Where a particle is born, and which way is outward there, in the layer's own axes. */
static void birth_spot(const Plan *plan, u64 number, Spot *out) {
    const Outlet *outlet = &plan->layer->outlet;
    double a, b, c;
    if (outlet->even) {
        u64 row = number & 0xFFFFFFFFull, batch = number & ~0xFFFFFFFFull;
        a = fmod(draw(plan->key, batch, 32) + mirrored(row, 2), 1);
        b = fmod(draw(plan->key, batch, 2) + mirrored(row, 3), 1);
        c = fmod(draw(plan->key, batch, 3) + mirrored(row, 5), 1);
    } else { a = draw(plan->key, number, 1); b = draw(plan->key, number, 2); c = draw(plan->key, number, 3); }
    double turn = plan->arc * b, h = 2 * c - 1, s = sqrt(most(0, 1 - h * h)), r;
    switch (outlet->shape) {
    case 0: spot(out, 0, 0, 0, s * cos(2 * PI * b), h, s * sin(2 * PI * b)); break;
    case 1: spot(out, (a - 0.5) * outlet->length, 0, 0, 0, 1, 0); break;
    case 2:
        r = 1 - outlet->fill;
        r = outlet->radius * sqrt(r * r + a * (1 - r * r));
        spot(out, r * cos(turn), 0, r * sin(turn), cos(turn), 0, sin(turn));
        break;
    case 3: on_ball(plan, a, b, c, 0, out); break;
    case 4: on_ball(plan, a, b, c, 1, out); break;
    case 5: on_box(plan, outlet->fill, a, b, c, out); break;
    case 6: on_cone(plan, a, b, c, out); break;
    case 7: on_cylinder(plan, a, b, c, out); break;
    case 8: on_torus(plan, a, b, c, out); break;
    default: on_mesh(plan, a, b, c, out);
    }
    const double *t = outlet->stretch;
    double n[3] = {out->normal[0] * t[1] * t[2], out->normal[1] * t[0] * t[2], out->normal[2] * t[0] * t[1]};
    unit_or(n, 0, 1, 0);
    turned(plan->shape_turn, out->place[0] * t[0], out->place[1] * t[1], out->place[2] * t[2], out->place);
    turned(plan->shape_turn, n[0], n[1], n[2], out->normal);
    for (int i = 0; i < 3; i++) out->place[i] += outlet->offset[i];
}

static void birth_heading(const Plan *plan, double spread_cos, u64 number, const Spot *at, double out[3]) {
    static const double up[3] = {0, 1, 0};
    const Outlet *outlet = &plan->layer->outlet;
    double a = draw(plan->key, number, 4), b = draw(plan->key, number, 5), d[3];
    if (outlet->aim == 5) { in_cap(up, -1, 1, a, b, out); return; }
    memcpy(d, plan->axis, sizeof d);
    const double *n = at->normal;
    if (outlet->aim == 0) memcpy(d, n, sizeof d);
    else if (outlet->aim == 2) {
        double w[3] = {d[1] * n[2] - d[2] * n[1], d[2] * n[0] - d[0] * n[2], d[0] * n[1] - d[1] * n[0]};
        unit_or(w, 1, 0, 0);
        memcpy(d, w, sizeof d);
    } else if (outlet->aim >= 3) {
        double sign = outlet->aim == 3 ? 1 : -1;
        for (int i = 0; i < 3; i++) d[i] = sign * (outlet->point[i] - at->place[i]);
        unit_or(d, 0, 1, 0);
    }
    in_cap(d, spread_cos, outlet->across, a, b, out);
    if (outlet->wander > 0) {
        double w[3], was[3];
        in_cap(up, -1, 1, draw(plan->key, number, 15), draw(plan->key, number, 16), w);
        memcpy(was, out, sizeof was);
        for (int i = 0; i < 3; i++) out[i] = (1 - outlet->wander) * was[i] + outlet->wander * w[i];
        unit_or(out, was[0], was[1], was[2]);
    }
}

/* A newborn particle in a row of a layer's table. frame: of its outlet; carried: m/s on top. */
static void give_birth(const Plan *plan, Table *table, int row, double born, u64 number, const PaleFrame *frame, const double carried[3]) {
    const Birth *birth = &plan->layer->birth;
    u64 own = number & plan->mask, key = plan->key;
    Spot at;
    double d[3], v[3], p[3], spread_cos = plan->spread_cos;
    birth_spot(plan, own, &at);
    if (drawn_range(&plan->layer->outlet.spread)) spread_cos = cos(radians(of_range(&plan->layer->outlet.spread, key, own, 38)));
    birth_heading(plan, spread_cos, own, &at, d);
    double speed = of_range(&birth->speed, key, own, 7), outward = of_range(&birth->outward, key, own, 17), sideways = of_range(&birth->around, key, own, 18);
    v[0] = d[0] * speed + at.normal[0] * outward + of_range(&birth->push.x, key, own, 19);
    v[1] = d[1] * speed + at.normal[1] * outward + of_range(&birth->push.y, key, own, 20);
    v[2] = d[2] * speed + at.normal[2] * outward + of_range(&birth->push.z, key, own, 21);
    if (sideways != 0) {
        const double *m = plan->shape_turn, *o = plan->layer->outlet.offset;
        double r[3] = {at.place[0] - o[0], at.place[1] - o[1], at.place[2] - o[2]};
        double t[3] = {m[4] * r[2] - m[7] * r[1], m[7] * r[0] - m[1] * r[2], m[1] * r[1] - m[4] * r[0]};
        unit_or(t, 0, 0, 0);
        for (int i = 0; i < 3; i++) v[i] += t[i] * sideways;
    }
    turned(frame->axes, at.place[0], at.place[1], at.place[2], p);
    turned(frame->axes, v[0], v[1], v[2], d);
    table->px[row] = (float)(p[0] + frame->place[0]); table->py[row] = (float)(p[1] + frame->place[1]); table->pz[row] = (float)(p[2] + frame->place[2]);
    table->vx[row] = (float)(d[0] + carried[0]); table->vy[row] = (float)(d[1] + carried[1]); table->vz[row] = (float)(d[2] + carried[2]);
    table->born[row] = born; table->number[row] = number;
    table->life[row] = of_range(&birth->lifetime, key, own, 6);
    if (table->aged) table->aged[row] = 0;
    if (table->travelled) table->travelled[row] = 0;
    if (table->turned) table->turned[row] = 0;
    if (table->touches) table->touches[row] = 0;
    if (table->held) table->held[row] = 0;
    if (table->slot) table->slot[row] = -1;
    if (table->kin_rule) table->kin_rule[row] = -1;
    if (table->plus_x) table->plus_x[row] = table->plus_y[row] = table->plus_z[row] = 0;
}

/* Copies what only some layers have. */
static void copy_further(const Table *t, int from, int to) {
    if (t->aged) t->aged[to] = t->aged[from];
    if (t->travelled) t->travelled[to] = t->travelled[from];
    if (t->turned) t->turned[to] = t->turned[from];
    if (t->touches) t->touches[to] = t->touches[from];
    if (t->held) t->held[to] = t->held[from];
    if (t->slot) t->slot[to] = t->slot[from];
    if (t->kin_rule) {
        t->kin_rule[to] = t->kin_rule[from]; t->kin_size[to] = t->kin_size[from];
        t->kin_red[to] = t->kin_red[from]; t->kin_green[to] = t->kin_green[from]; t->kin_blue[to] = t->kin_blue[from];
    }
    if (t->plus_x) { t->plus_x[to] = t->plus_x[from]; t->plus_y[to] = t->plus_y[from]; t->plus_z[to] = t->plus_z[from]; }
}

static void copy_row(const Table *t, int from, int to) {
    if (from == to) return;
    t->px[to] = t->px[from]; t->py[to] = t->py[from]; t->pz[to] = t->pz[from];
    t->vx[to] = t->vx[from]; t->vy[to] = t->vy[from]; t->vz[to] = t->vz[from];
    t->born[to] = t->born[from]; t->life[to] = t->life[from]; t->number[to] = t->number[from];
    copy_further(t, from, to);
}

/* ---- births of an outlet by itself ---- */

static u64 numbered(u64 spawner, i64 loop, i64 ordinal) {
    return spawner << 48 | ((u64)loop & 0xFFFF) << 32 | ((u64)ordinal & 0xFFFFFFFFull);
}

typedef struct { PalePlay *play; const Plan *plan; i64 step; int count, room; } Births;

static void ask(Births *births, double born, u64 number) {
    PalePlay *play = births->play;
    int limit = births->plan->layer->outlet.limit;
    if (ceiled(born / births->plan->h - 1e-6) != births->step) return;
    if (play->strength < 1 && !(draw(births->plan->key, number, 40) < play->strength)) return;
    if (births->count >= births->room) {
        if (births->plan->layer->outlet.at_limit == 0 || births->room <= limit) return;
        /* Of more than can live the last do. */
        memmove(play->born, play->born + births->count - limit, (size_t)limit * sizeof *play->born);
        births->count = limit;
    }
    Born *made = &play->born[births->count];
    made->born = born; made->number = number; made->pending = -1; made->turn = 0;
    births->count++;
}

static double rate_in(const Births *births, i64 loop) {
    const Plan *plan = births->plan;
    const Document *document = &births->play->effect->document;
    int same = document->loop && document->identical;
    const PaleRange *rate = &plan->layer->outlet.rate;
    double value = drawn_range(rate) ? range_at(rate, draw(plan->key, numbered(0, same ? 0 : loop, 0), 26)) : rate->low;
    return value > 0 ? (plan->waits ? 1 / most(value, 1e-4) : value * plan->rate_share) : 0;
}

static double base_of(Births *births, Track *track, i64 loop) {
    const Plan *plan = births->plan;
    const Document *document = &births->play->effect->document;
    if (document->loop && document->identical) return 0;
    if (!drawn_range(&plan->layer->outlet.rate)) return (double)loop * rate_in(births, 0) * plan->flow_whole;
    if (loop <= 0 && loop > -2000) { /* summed from loop 0 each time, so that loop 0 begins with nothing, to the bit */
        if (track->base_loop == loop) return track->base;
        track->base_loop = 0;
        track->base = 0;
    }
    if (loop > 0 && track->base_loop < 0) { track->base_loop = 0; track->base = 0; }
    while (track->base_loop < loop) track->base += rate_in(births, track->base_loop++) * plan->flow_whole;
    while (track->base_loop > loop) track->base -= rate_in(births, --track->base_loop) * plan->flow_whole;
    return track->base;
}

static void ask_rate(Births *births, Track *track, i64 loop) {
    const Plan *plan = births->plan;
    const Outlet *outlet = &plan->layer->outlet;
    double rate = rate_in(births, loop), begin = (double)loop * plan->whole + plan->start;
    if (rate <= 0 || plan->flow_whole <= 0) return;
    double base = base_of(births, track, loop), before = flow_until(plan, (double)(births->step - 1) * plan->h - begin);
    double after = flow_until(plan, (double)births->step * plan->h - begin);
    double lowest = ceil(base), low = most(lowest, floor(base + rate * before));
    double high = least(ceil(base + rate * plan->flow_whole - 1e-9) - 1, floor(base + rate * after) + 1);
    if (high - low > outlet->limit + 4) { if (outlet->at_limit == 0) high = low + outlet->limit + 4; else low = high - outlet->limit - 4; }
    for (double k = low; k <= high; k++) ask(births, begin + flow_when(plan, (k - base) / rate), numbered(0, loop, (i64)(k - lowest)));
}

static double gap(const Plan *plan, i64 i) { return most(range_at(&plan->layer->outlet.rate, draw(plan->key, (u64)i, 25)), 1e-4); }

/* Births by waits. Identical loops begin them anew each; else they go on from loop to loop, counted in the time that flows. */
static void ask_waits(Births *births, Track *track, i64 first, i64 last) {
    const Plan *plan = births->plan;
    const Document *document = &births->play->effect->document;
    double low = (double)(births->step - 1) * plan->h, high = (double)births->step * plan->h;
    if (most_of(&plan->layer->outlet.rate) <= 0 || plan->span <= 0) return;
    int looked = 0;
    if (document->loop && document->identical) {
        for (i64 loop = first; loop <= last; loop++) {
            if ((double)loop * plan->whole > high) break;
            if (loop > track->base_loop) { track->base_loop = loop; track->wait = 0; track->wait_at = gap(plan, 0); }
            for (; track->base_loop == loop && track->wait_at < plan->span && looked < MOST_LOOKED_AT; looked++) {
                double born = (double)loop * plan->whole + plan->start + track->wait_at;
                if (born > high + plan->h) break;
                if (born > low - plan->h) ask(births, born, numbered(0, loop, track->wait));
                if (ceiled(born / plan->h - 1e-6) > births->step) break;
                track->wait_at += gap(plan, ++track->wait);
            }
        }
        return;
    }
    for (; looked < MOST_LOOKED_AT; looked++) {
        i64 loop = document->loop ? floored(track->wait_at / plan->span) : 0;
        if (!document->loop && track->wait_at >= plan->span) return;
        double born = (double)loop * plan->whole + plan->start + track->wait_at - (double)loop * plan->span;
        if (ceiled(born / plan->h - 1e-6) > births->step) return;
        ask(births, born, numbered(0, loop, track->wait));
        track->wait++;
        /* Birth -1 - j comes a gap of number -1 - j before birth -j; gap 0 begins with the span of loop 0. */
        if (track->wait == -1) track->wait_at = 0;
        else if (track->wait < 0) track->wait_at += gap(plan, track->wait - 1);
        else if (track->wait == 0) track->wait_at = gap(plan, 0);
        else track->wait_at += gap(plan, track->wait);
    }
}

static void begin_waits(const PaleEffect *effect, const Plan *plan, Track *track) {
    const Document *document = &effect->document;
    if (!plan->waits) return;
    track->base_loop = INT64_MIN / 4;
    if (document->loop && document->identical) return;
    track->wait = 0;
    track->wait_at = plan->span > 0 ? gap(plan, 0) : 0;
    if (!document->loop || !document->warm || plan->first >= 0 || plan->span <= 0 || most_of(&plan->layer->outlet.rate) <= 0) return;
    double lowest = (double)floored((double)(plan->first - 1) * plan->h / plan->whole) * plan->span, at = 0;
    i64 j = 0;
    for (; at > lowest && j < MOST_LOOKED_AT; j++) at -= gap(plan, -2 - j);
    track->wait = -1 - j;
    track->wait_at = at;
}

static void ask_burst(Births *births, const Burst *burst, i64 loop) {
    const Plan *plan = births->plan;
    const Document *document = &births->play->effect->document;
    int same = document->loop && document->identical, limit = plan->layer->outlet.limit;
    double from = (double)(births->step - 1) * plan->h - (double)loop * plan->whole - burst->first_at;
    i64 q = floored((from - plan->h) / burst->every), last = ceiled((from + 2 * plan->h) / burst->every);
    if (q < 0) q = 0;
    if (last > burst->times - 1) last = burst->times - 1;
    for (; q <= last; q++) {
        if (document->loop && (double)q * burst->every >= plan->whole) return;
        double born = (double)loop * plan->whole + burst->first_at + (double)q * burst->every;
        if (ceiled(born / plan->h - 1e-6) != births->step) continue;
        u64 at = numbered((u64)burst->key + 1, same ? 0 : loop, q << 21), own = numbered((u64)burst->key + 1, loop, q << 21);
        if (!(draw(plan->key, at, 27) < burst->chance)) continue;
        i64 count = count_of(&burst->count, draw(plan->key, at, 28)), i = 0;
        if (count > limit + 4 && plan->layer->outlet.at_limit == 1) i = count - limit - 4;
        for (; i < count; i++) ask(births, born, own + (u64)i);
    }
}

/* Births at every so many metres of the layer's way, measured in quarters of a step. */
static void ask_way(Births *births, Track *track) {
    const Plan *plan = births->plan;
    const PalePlay *play = births->play;
    const Document *document = &play->effect->document;
    double per = plan->layer->outlet.per_metre;
    for (int i = 0; i < 4; i++) {
        double mark = (double)(births->step - 1) * 4 + i, piece_time = plan->h / 4 / plan->layer->tempo, from = mark * piece_time;
        i64 loop;
        looped(document, from, &loop);
        PaleFrame a = layer_in(play, plan, from, loop), b = layer_in(play, plan, from + piece_time, loop);
        double x = b.place[0] - a.place[0], y = b.place[1] - a.place[1], z = b.place[2] - a.place[2];
        double before = track->come * per, after = (track->come + sqrt(x * x + y * y + z * z)) * per;
        if (mark == -1) after = 0; /* what comes before the start counts up to nothing, to the bit */
        track->come = after / per;
        int looked = 0;
        for (double k = floor(before) + 1; k <= after && looked < MOST_LOOKED_AT; k++, looked++) {
            double born = (mark + (k - before) / (after - before)) * (plan->h / 4);
            i64 in = document->loop ? floored(born / plan->whole + 1e-9) : 0;
            double time = born - (double)in * plan->whole - plan->start;
            if (time < 0 || time >= plan->span || (!(document->loop && document->warm) && born <= 0)) continue;
            ask(births, born, numbered(65535, in, (i64)k));
        }
    }
}

static void ask_outlet(Births *births, Track *track) {
    const Plan *plan = births->plan;
    const Outlet *outlet = &plan->layer->outlet;
    const Document *document = &births->play->effect->document;
    i64 first = 0, last = 0;
    int warm = document->loop && document->warm;
    if (document->loop) {
        double latest = 0;
        for (int i = 0; i < outlet->bursts.count; i++) {
            const Burst *burst = &outlet->bursts.items[i];
            latest = most(latest, burst->first_at + least((burst->times - 1) * burst->every, plan->whole));
        }
        first = floored((double)(births->step - 1) * plan->h / plan->whole) - floored(latest / plan->whole + 1e-6);
        last = floored((double)(births->step + 1) * plan->h / plan->whole);
        if (!warm) { if (first < 0) first = 0; if (last < 0) last = 0; }
        if (last - first > MOST_LOOKED_AT) first = last - MOST_LOOKED_AT;
    }
    int waits = plan->waits, flows = most_of(&outlet->rate) > 0;
    for (i64 loop = first; loop <= last; loop++) {
        if (!waits && flows) ask_rate(births, track, loop);
        for (int i = 0; i < outlet->bursts.count; i++) ask_burst(births, &outlet->bursts.items[i], loop);
    }
    if (waits) ask_waits(births, track, first, last);
    if (outlet->per_metre > 0) ask_way(births, track);
}

/* In order of time; those of one moment as they were asked for. */
static void sort_births(Born *born, int count) {
    for (int start = count / 2 - 1, end = count - 1; end > 0;) {
        int root;
        if (start >= 0) root = start--;
        else {
            Born held = born[end];
            born[end--] = born[0];
            born[0] = held;
            root = 0;
        }
        for (int child; (child = 2 * root + 1) <= end; root = child) {
#define BEFORE(a, b) ((a).born < (b).born || ((a).born == (b).born && (a).turn < (b).turn))
            if (child < end && BEFORE(born[child], born[child + 1])) child++;
            if (!BEFORE(born[root], born[child])) break;
            Born held = born[root];
            born[root] = born[child];
            born[child] = held;
        }
    }
}

/* ---- a step ---- */

/* A, B and G of the exact step; by series where k h is small. */
static void coefficients(double k, double h, double *a, double *b, double *g) {
    double kh = k * h;
    if (kh < 1e-3) {
        *b = h * (1 - kh * (0.5 - kh / 6));
        *g = h * h * (0.5 - kh * (1.0 / 6 - kh / 24));
        *a = 1 - k * *b;
        return;
    }
    *a = exp(-kh);
    *b = (1 - *a) / k;
    *g = (h - *b) / k;
}

static float lane_value(const CLane *lane, float age, float speed, float gone, float clock, u64 key, u64 number) {
    float at = lane->over == O_AGE ? age : lane->over == O_SPEED ? speed : lane->over == O_DISTANCE ? gone : clock;
    float place = (at - lane->low) * lane->scale;
    const PaleCurve *curve = lane->curve;
    float value = table_at(curve->table, place);
    for (int k = 0; k < curve->jump_count; k++) if (place >= curve->jumps[2 * k]) value += curve->jumps[2 * k + 1];
    if (curve->banded) value += (2 * draw(key, number, lane->channel) - 1) * table_at(curve->bands, place);
    return value;
}

typedef struct { float at[4]; } Four;

/* Four numbers from a place on; at the last there are only three. */
static inline Four four(const float *from, int last) {
    Four made;
    if (last) { made.at[0] = from[0]; made.at[1] = from[1]; made.at[2] = from[2]; made.at[3] = 0; }
    else memcpy(made.at, from, sizeof made.at);
    return made;
}

/* The field of eddies at a place in cells, straight between them. */
static inline void air(const float *field, float x, float y, float z, float out[3]) {
    if (!(fabsf(x) + fabsf(y) + fabsf(z) < 5e8f)) { out[0] = out[1] = out[2] = 0; return; }
    int i = (int)x, j = (int)y, k = (int)z;
    i -= (float)i > x; j -= (float)j > y; k -= (float)k > z; /* rounded down, without a call */
    float tx = x - (float)i, ty = y - (float)j, tz = z - (float)k;
    unsigned mask = CELLS - 1, k0 = 3 * ((unsigned)k & mask), k1 = 3 * ((unsigned)(k + 1) & mask);
    const float *row0 = field + ((unsigned)i & mask) * (3 * CELLS * CELLS), *row1 = field + ((unsigned)(i + 1) & mask) * (3 * CELLS * CELLS);
    unsigned j0 = ((unsigned)j & mask) * (3 * CELLS), j1 = ((unsigned)(j + 1) & mask) * (3 * CELLS);
    const float *p00 = row0 + j0, *p01 = row0 + j1, *p10 = row1 + j0, *p11 = row1 + j1;
    float w00 = (1 - tx) * (1 - ty), w01 = (1 - tx) * ty, w10 = tx * (1 - ty), w11 = tx * ty, s = 1 - tz;
    /* All but the very last have a fourth number behind them: four are mixed at once, a fifth faster than three. */
    int last = ((unsigned)i & (unsigned)j & (unsigned)k & mask) >= CELLS - 2;
    Four a0 = four(p00 + k0, last), a1 = four(p00 + k1, last), b0 = four(p01 + k0, last), b1 = four(p01 + k1, last), mixed;
    Four c0 = four(p10 + k0, last), c1 = four(p10 + k1, last), d0 = four(p11 + k0, last), d1 = four(p11 + k1, last);
    for (int n = 0; n < 4; n++)
        mixed.at[n] = w00 * (s * a0.at[n] + tz * a1.at[n]) + w01 * (s * b0.at[n] + tz * b1.at[n]) +
                      w10 * (s * c0.at[n] + tz * c1.at[n]) + w11 * (s * d0.at[n] + tz * d1.at[n]);
    out[0] = mixed.at[0]; out[1] = mixed.at[1]; out[2] = mixed.at[2];
}

/* Eddies of one size at one time: cells a metre, how far they have drifted, and what finer ones count. */
typedef struct { const float *field; float scale, drifted[3], weight, norm; } Eddies;

static Eddies eddies_of(const float *field, double eddy, const double drift[3], float time, float detail) {
    Eddies made = {field, (float)(EDDY_CELLS / eddy), {0, 0, 0}, 0.5f * detail, 1 / sqrtf(1 + 0.25f * detail * detail)};
    for (int c = 0; c < 3; c++) made.drifted[c] = (float)drift[c] * time;
    return made;
}

static inline void eddies_at(const Eddies *eddies, float x, float y, float z, float out[3]) {
    float qx = (x - eddies->drifted[0]) * eddies->scale, qy = (y - eddies->drifted[1]) * eddies->scale, qz = (z - eddies->drifted[2]) * eddies->scale;
    air(eddies->field, qx, qy, qz, out);
    if (!(eddies->weight > 0)) return;
    float small[3];
    /* Other axes and another corner of the field, so that the finer eddies are not the large ones again. */
    air(eddies->field, qy * 2.17f + 17.3f, qz * 2.17f + 5.1f, qx * 2.17f, small);
    out[0] = (out[0] + eddies->weight * small[2]) * eddies->norm;
    out[1] = (out[1] + eddies->weight * small[0]) * eddies->norm;
    out[2] = (out[2] + eddies->weight * small[1]) * eddies->norm;
}

/* What a step of one layer is taken with. */
typedef struct {
    PalePlay *play;
    const PaleWorld *world;
    const Plan *plan;
    Track *track;
    int layer;
    i64 step;
    double begin, time;
    float clock; /* effect seconds in the loop, at the step's end */
    float gravity[3], wind[3];
    int surface_count;
    PaleFrame stands;
    int still;
} Now;

/* A place or axis of a force, in the axes of the simulation. */
typedef struct { float place[3], axis[3]; int inside; } Placed;

static int force_inside(const Now *now, int j, float x, float y, float z) {
    const Force *force = now->plan->forces[j];
    if (force->region == 0) return 1;
    const PaleFrame *frame = &now->track->frames[j];
    double middle[3], size = cbrt(determinant(frame->axes)), b[3];
    turned(frame->axes, force->region_place[0], force->region_place[1], force->region_place[2], middle);
    double d[3] = {x - middle[0] - frame->place[0], y - middle[1] - frame->place[1], z - middle[2] - frame->place[2]};
    for (int i = 0; i < 3; i++)
        b[i] = (frame->axes[i] * d[0] + frame->axes[3 + i] * d[1] + frame->axes[6 + i] * d[2]) / size / most(0.5 * force->region_size[i] * size, 1e-9);
    if (force->region == 1) return b[0] * b[0] + b[1] * b[1] + b[2] * b[2] <= 1;
    return fabs(b[0]) <= 1 && fabs(b[1]) <= 1 && fabs(b[2]) <= 1;
}

static void force_placed(const Now *now, int j, Placed *out) {
    const Force *force = now->plan->forces[j];
    const PaleFrame *frame = &now->track->frames[j];
    const float *own = now->plan->axes[j];
    double place[3], axis[3], size = now->plan->world ? cbrt(determinant(frame->axes)) : 1;
    turned(frame->axes, force->place[0], force->place[1], force->place[2], place);
    turned(frame->axes, own[0], own[1], own[2], axis);
    for (int i = 0; i < 3; i++) { out->place[i] = (float)(place[i] + frame->place[i]); out->axis[i] = (float)(axis[i] / size); }
}

typedef struct { float age, quick, gone; u64 own; } Self; /* what lanes of a particle run over, and its number for draws */

static float strength_of(const Now *now, int j, const Self *self) {
    const Plan *plan = now->plan;
    const Force *force = plan->forces[j];
    float s = of_range(&force->strength, plan->key, self->own, (1u << 20) + (u64)force->key);
    for (int k = 0; plan->laned[j] && k < plan->moving.count; k++) {
        const CLane *lane = &plan->moving.items[k];
        if (lane->drives == D_FORCE && lane->target == j) s *= lane_value(lane, self->age, self->quick, self->gone, now->clock, plan->key, self->own);
    }
    return s;
}

/* Turns a place and a velocity for `span` s by all that circle and work at `at`. */
static void circle(const Now *now, const Self *self, float span, const float at[3], float p[3], float v[3]) {
    for (int j = 0; j < now->plan->force_count; j++) {
        if (now->plan->forces[j]->kind != CIRCLING || !force_inside(now, j, at[0], at[1], at[2])) continue;
        Placed force;
        force_placed(now, j, &force);
        float angle = (float)(2 * PI) * strength_of(now, j, self) * span, half = sinf(0.5f * angle), less = 2 * half * half, sine = sinf(angle);
        const float *a = force.axis;
        float d[3] = {p[0] - force.place[0], p[1] - force.place[1], p[2] - force.place[2]};
        float *turns[2] = {d, v};
        for (int k = 0; k < 2; k++) {
            float *w = turns[k], up = a[0] * w[0] + a[1] * w[1] + a[2] * w[2];
            float t[3] = {sine * (a[1] * w[2] - a[2] * w[1]) - less * (w[0] - up * a[0]), sine * (a[2] * w[0] - a[0] * w[2]) - less * (w[1] - up * a[1]),
                          sine * (a[0] * w[1] - a[1] * w[0]) - less * (w[2] - up * a[2])};
            float *to = k ? v : p;
            for (int c = 0; c < 3; c++) to[c] += t[c];
        }
    }
}

/* What moves a particle besides its own velocity: lanes, and circling at its speed there. */
static void added_velocity(const Now *now, const Self *self, const float at[3], float out[3]) {
    const Plan *plan = now->plan;
    out[0] = out[1] = out[2] = 0;
    for (int k = 0; k < plan->moving.count; k++) {
        const CLane *lane = &plan->moving.items[k];
        if (lane->drives >= D_VELOCITY_X && lane->drives <= D_VELOCITY_Z)
            out[lane->drives - D_VELOCITY_X] += lane_value(lane, self->age, self->quick, self->gone, now->clock, plan->key, self->own);
    }
    for (int j = 0; j < plan->force_count; j++) {
        if (plan->forces[j]->kind != CIRCLING || !force_inside(now, j, at[0], at[1], at[2])) continue;
        Placed force;
        force_placed(now, j, &force);
        float turn = (float)(2 * PI) * strength_of(now, j, self), *a = force.axis;
        float d[3] = {at[0] - force.place[0], at[1] - force.place[1], at[2] - force.place[2]};
        out[0] += turn * (a[1] * d[2] - a[2] * d[1]);
        out[1] += turn * (a[2] * d[0] - a[0] * d[2]);
        out[2] += turn * (a[0] * d[1] - a[1] * d[0]);
    }
}

/* A step on the way: air, acceleration, drag, and what lanes make of it. */
typedef struct { float u[3], g[3], drag, slows, fastest, factor, add[3], kept[3]; } Way;

static void push(const Now *now, int j, float s, const float m[3], const float v[3], float h, Way *way) {
    const Force *force = now->plan->forces[j];
    float *u = way->u, *g = way->g;
    double mid = now->begin + 0.5 * now->plan->h;
    Placed at;
    force_placed(now, j, &at);
    const float *a = at.axis;
    switch (force->kind) {
    case PUSH: for (int c = 0; c < 3; c++) g[c] += s * a[c]; break;
    case THRUST: {
        float size = sqrtf(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]);
        if (size > 1e-6f) {
            s = mostf(s, -size / mostf(h, 1e-6f)) / size; /* held back, it stops and does not turn round */
            for (int c = 0; c < 3; c++) g[c] += s * v[c];
        }
        break;
    }
    case GUST: {
        double place = mid / force->period;
        i64 i = floored(place);
        double t = place - (double)i;
        u64 channel = (1u << 20) + (u64)force->key;
        t = t * t * (3 - 2 * t);
        double here = draw(now->plan->key, (u64)i & 0xFFFFFFFFull, channel), next = draw(now->plan->key, (u64)(i + 1) & 0xFFFFFFFFull, channel);
        s *= (float)(1 + force->gustiness * (2 * (here + (next - here) * t) - 1));
        for (int c = 0; c < 3; c++) u[c] += s * a[c];
        break;
    }
    case BRAKE: way->drag += mostf(s, 0); way->slows += (float)force->quadratic; break;
    case STIR: {
        float e[3];
        if (!now->play->effect->eddies) break;
        Eddies eddies = eddies_of(now->play->effect->eddies, force->eddy, force->drift, (float)mid, 0);
        eddies_at(&eddies, m[0], m[1], m[2], e);
        for (int c = 0; c < 3; c++) u[c] += s * e[c];
        break;
    }
    case SPEED_LIMIT: way->fastest = leastf(way->fastest, mostf(s, 0)); break;
    case CIRCLING: break;
    default: {
        float d[3] = {m[0] - at.place[0], m[1] - at.place[1], m[2] - at.place[2]};
        float t[3] = {a[1] * d[2] - a[2] * d[1], a[2] * d[0] - a[0] * d[2], a[0] * d[1] - a[1] * d[0]};
        if (force->kind == ATTRACTOR) {
            float reach = (float)force->radius, near = mostf(sqrtf(d[0] * d[0] + d[1] * d[1] + d[2] * d[2]), 0.05f * reach);
            float pull = s * powf(reach / near, (float)force->falloff) / near;
            for (int c = 0; c < 3; c++) g[c] -= pull * d[c];
        } else if (force->kind == VORTEX) {
            float up = a[0] * d[0] + a[1] * d[1] + a[2] * d[2];
            for (int c = 0; c < 3; c++) d[c] -= up * a[c];
            float core = mostf(sqrtf(d[0] * d[0] + d[1] * d[1] + d[2] * d[2]), (float)force->radius);
            for (int c = 0; c < 3; c++) g[c] += s / core * t[c] - (float)force->pull / core * d[c];
        } else {
            float away = s / mostf(sqrtf(d[0] * d[0] + d[1] * d[1] + d[2] * d[2]), 1e-3f);
            float round = (float)force->around / mostf(sqrtf(t[0] * t[0] + t[1] * t[1] + t[2] * t[2]), 1e-3f);
            for (int c = 0; c < 3; c++) g[c] += away * d[c] + round * t[c];
        }
    }
    }
}

/* ---- contact: a ball swept along its way against every surface, in the surface's own axes and float64 ---- */

#define NOWHERE 2.0
#define SKIN 5e-4 /* m: a mesh has two sides, so nothing comes nearer than this */

typedef struct { double low[3], high[3]; int first, count, skip; } TreeNode;
struct PaleTree { TreeNode *nodes; double (*triangles)[9]; int node_count, triangle_count; };

static double onto_ball(const double p[3], const double d[3], double radius, double depth) {
    double c = p[0] * p[0] + p[1] * p[1] + p[2] * p[2] - radius * radius, b = p[0] * d[0] + p[1] * d[1] + p[2] * d[2];
    double a = d[0] * d[0] + d[1] * d[1] + d[2] * d[2], core = most(radius - depth, 0);
    if (b >= 0 || a <= 0 || c < core * core - radius * radius) return NOWHERE;
    if (c <= 0) return 0;
    double inside_of = b * b - a * c;
    return inside_of < 0 ? NOWHERE : c / (-b + sqrt(inside_of));
}

static double onto_box(const double p[3], const double d[3], const double half[3], double near, double depth, double n[3]) {
    double enter_at = -1e30, leave = NOWHERE, deep = -1e30, side = 1, deep_side = 1;
    int axis = -1, deep_axis = 0;
    for (int i = 0; i < 3; i++) {
        double out = fabs(p[i]) - half[i];
        if (out > deep) { deep = out; deep_axis = i; deep_side = p[i] > 0 ? 1 : -1; }
        if (fabs(d[i]) < 1e-300) { if (out > 0) return NOWHERE; continue; }
        double first = (-half[i] - p[i]) / d[i], second = (half[i] - p[i]) / d[i];
        if (first > second) { double held = first; first = second; second = held; }
        if (first > enter_at) { enter_at = first; axis = i; side = d[i] > 0 ? -1 : 1; }
        leave = least(leave, second);
    }
    if (deep < -depth) return NOWHERE;
    n[0] = n[1] = n[2] = 0;
    if (deep <= near && deep <= 0) { /* on the face already: only a way inward meets it */
        n[deep_axis] = deep_side;
        return d[deep_axis] * deep_side < 0 ? 0 : NOWHERE;
    }
    if (axis < 0 || enter_at > leave || enter_at < 0) return NOWHERE;
    n[axis] = side;
    return enter_at;
}

static double onto_cylinder(const double p[3], const double d[3], double radius, double half, double depth, double n[3]) {
    double far = sqrt(p[0] * p[0] + p[2] * p[2]), out_round = far - radius, out_flat = fabs(p[1]) - half;
    n[0] = n[2] = 0; n[1] = 1;
    if (out_round < -depth && out_flat < -depth) return NOWHERE;
    if (out_round <= 0 && out_flat <= 0) {
        if (out_flat > out_round) { n[1] = p[1] > 0 ? 1 : -1; return d[1] * n[1] < 0 ? 0 : NOWHERE; }
        n[0] = p[0] / most(far, 1e-30); n[1] = 0; n[2] = p[2] / most(far, 1e-30);
        return d[0] * n[0] + d[2] * n[2] < 0 ? 0 : NOWHERE;
    }
    double enter_at = -1, leave = NOWHERE;
    if (fabs(d[1]) > 1e-300) {
        double first = (-half - p[1]) / d[1], second = (half - p[1]) / d[1];
        if (first > second) { double held = first; first = second; second = held; }
        enter_at = first; leave = second;
        n[1] = d[1] > 0 ? -1 : 1;
    } else if (out_flat > 0) return NOWHERE;
    double a = d[0] * d[0] + d[2] * d[2], b = p[0] * d[0] + p[2] * d[2], c = p[0] * p[0] + p[2] * p[2] - radius * radius;
    if (a > 1e-300) {
        double inside_of = b * b - a * c;
        if (inside_of < 0) return NOWHERE;
        double root = sqrt(inside_of), first = (-b - root) / a, second = (-b + root) / a;
        if (first > enter_at) { enter_at = first; n[0] = (p[0] + first * d[0]) / radius; n[1] = 0; n[2] = (p[2] + first * d[2]) / radius; }
        leave = least(leave, second);
    } else if (c > 0) return NOWHERE;
    return enter_at > leave || enter_at < 0 ? NOWHERE : enter_at;
}

/* The point of a triangle nearest to another (Ericson, Real-Time Collision Detection, 2005, section 5.1.5). */
static void nearest_on(const double t[9], const double q[3], double out[3]) {
    double u[3], v[3], p[3], d1 = 0, d2 = 0, uu = 0, uv = 0, vv = 0, b = 0, c = 0;
    for (int i = 0; i < 3; i++) { u[i] = t[3 + i] - t[i]; v[i] = t[6 + i] - t[i]; p[i] = q[i] - t[i]; }
    for (int i = 0; i < 3; i++) { d1 += u[i] * p[i]; d2 += v[i] * p[i]; uu += u[i] * u[i]; uv += u[i] * v[i]; vv += v[i] * v[i]; }
    double d3 = d1 - uu, d4 = d2 - uv, d5 = d1 - uv, d6 = d2 - vv, vc = d1 * d4 - d3 * d2, vb = d5 * d2 - d1 * d6, va = d3 * d6 - d5 * d4;
    if (d1 <= 0 && d2 <= 0) b = c = 0;
    else if (d3 >= 0 && d4 <= d3) { b = 1; c = 0; }
    else if (vc <= 0 && d1 >= 0 && d3 <= 0) { b = d1 / most(d1 - d3, 1e-300); c = 0; }
    else if (d6 >= 0 && d5 <= d6) { b = 0; c = 1; }
    else if (vb <= 0 && d2 >= 0 && d6 <= 0) { b = 0; c = d2 / most(d2 - d6, 1e-300); }
    else if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) { c = (d4 - d3) / most((d4 - d3) + (d5 - d6), 1e-300); b = 1 - c; }
    else { double k = 1 / most(va + vb + vc, 1e-300); b = vb * k; c = vc * k; }
    for (int i = 0; i < 3; i++) out[i] = t[i] + b * u[i] + c * v[i];
}

/* The distance to a triangle is a convex function of the way: Newton's method comes to the touch from before it and never past it. */
static double onto_triangle(const double t[9], const double p[3], const double d[3], double reach, double best, double n[3]) {
    double u[3], v[3];
    for (int i = 0; i < 3; i++) { u[i] = t[3 + i] - t[i]; v[i] = t[6 + i] - t[i]; }
    double f[3] = {u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]};
    double area = sqrt(f[0] * f[0] + f[1] * f[1] + f[2] * f[2]);
    if (!(area >= 1e-30)) return NOWHERE;
    double away = (f[0] * (p[0] - t[0]) + f[1] * (p[1] - t[1]) + f[2] * (p[2] - t[2])) / area;
    double toward = (f[0] * d[0] + f[1] * d[1] + f[2] * d[2]) / area, when = 0;
    if (least(away, away + toward) > reach || most(away, away + toward) < -reach) return NOWHERE;
    for (int i = 0; i < 40; i++) {
        double q[3] = {p[0] + when * d[0], p[1] + when * d[1], p[2] + when * d[2]}, c[3];
        nearest_on(t, q, c);
        for (int k = 0; k < 3; k++) n[k] = q[k] - c[k];
        double far = sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2]);
        for (int k = 0; k < 3; k++) n[k] = far > 1e-12 ? n[k] / far : (toward > 0 ? -1 : 1) * f[k] / area;
        double speed = n[0] * d[0] + n[1] * d[1] + n[2] * d[2];
        if (speed >= 0) return NOWHERE;
        if (far - reach <= 1e-9) return when;
        when -= (far - reach) / speed;
        if (when >= best) return NOWHERE;
    }
    return when;
}

static double onto_tree(const PaleTree *tree, const double p[3], const double d[3], double reach, double best, double n[3]) {
    double found = NOWHERE, m[3];
    for (int at = 0; at < tree->node_count;) {
        const TreeNode *node = &tree->nodes[at];
        double enter_at = 0, leave = best;
        for (int i = 0; i < 3; i++) {
            double low = node->low[i] - reach, high = node->high[i] + reach;
            if (fabs(d[i]) < 1e-300) { if (p[i] < low || p[i] > high) leave = -1; continue; }
            double first = (low - p[i]) / d[i], second = (high - p[i]) / d[i];
            enter_at = most(enter_at, least(first, second));
            leave = least(leave, most(first, second));
        }
        if (enter_at > leave + 1e-9) { at = node->skip; continue; }
        at++;
        for (int k = node->first; k < node->first + node->count; k++) {
            double when = onto_triangle(tree->triangles[k], p, d, reach, best, m);
            if (when < best) { best = found = when; memcpy(n, m, sizeof m); }
        }
    }
    return found;
}

/* A point of the simulation in the surface's axes, a share of the step after its beginning. */
static void in_surface(const Surface *surface, double share, const double p[3], double out[3]) {
    double one[3], two[3];
    turned(surface->in1.axes, p[0], p[1], p[2], two);
    for (int i = 0; i < 3; i++) two[i] += surface->in1.place[i];
    if (!surface->moves) { memcpy(out, two, sizeof two); return; }
    turned(surface->in0.axes, p[0], p[1], p[2], one);
    for (int i = 0; i < 3; i++) out[i] = (1 - share) * (one[i] + surface->in0.place[i]) + share * two[i];
}

static int first_met(const Now *now, const double p[3], const double to[3], double share, double *when, double n[3]) {
    int which = -1;
    double best = 1 + 1e-12, touch = now->plan->touch, near = 1e-4 + 1e-6 * (fabs(p[0]) + fabs(p[1]) + fabs(p[2]));
    for (int j = 0; j < now->surface_count; j++) {
        const Surface *surface = &now->play->surfaces[j];
        double a[3], b[3], d[3], m[3] = {0, 1, 0}, at = NOWHERE, reach = touch / surface->size, depth = near + reach;
        if (surface->shape == PALE_SWEEP) {
            PaleFrame out = now->plan->world ? HERE : now->stands, back;
            double from[3], end[3];
            for (int side = 0; side < 2; side++) {
                const double *q = side ? to : p;
                double *w = side ? end : from;
                turned(out.axes, q[0], q[1], q[2], w);
                for (int i = 0; i < 3; i++) w[i] += out.place[i];
            }
            double size = cbrt(determinant(out.axes)), w[3] = {0, 1, 0};
            if (!surface->told->sweep(surface->told->user, from, end, touch * size, &at, w) || !(at >= 0 && at <= 1)) continue;
            back = back_from(&out);
            turned(back.axes, w[0] * size, w[1] * size, w[2] * size, m);
            if (at < best) { best = at; which = j; memcpy(n, m, sizeof m); }
            continue;
        }
        in_surface(surface, share, p, a);
        in_surface(surface, 1, to, b);
        for (int i = 0; i < 3; i++) d[i] = b[i] - a[i];
        if (surface->shape == PALE_PLANE) {
            double before = a[1] - reach, after = b[1] - reach;
            at = before < -depth || after >= 0 || after >= before ? NOWHERE : most(before, 0) / (before - after);
        } else if (surface->shape == PALE_SPHERE) {
            double radius = surface->half[0] + reach;
            at = onto_ball(a, d, radius, depth);
            for (int i = 0; i < 3; i++) m[i] = (a[i] + at * d[i]) / radius;
        } else if (surface->shape == PALE_BOX) {
            double half[3] = {surface->half[0] + reach, surface->half[1] + reach, surface->half[2] + reach};
            at = onto_box(a, d, half, near, depth, m);
        } else if (surface->shape == PALE_CYLINDER) at = onto_cylinder(a, d, surface->half[0] + reach, surface->half[1] + reach, depth, m);
        else if (surface->told->tree) at = onto_tree(surface->told->tree, a, d, most(touch, SKIN) / surface->size, best, m);
        if (at < best) { best = at; which = j; turned(surface->out1.axes, m[0], m[1], m[2], n); }
    }
    unit_or(n, 0, 1, 0);
    *when = least(best, 1);
    return which;
}

/* m/s of a surface where it is touched; `step`: the whole step, s. */
static void surface_speed(const Surface *surface, const double p[3], double step, double out[3]) {
    double a[3], b[3];
    out[0] = out[1] = out[2] = 0;
    if (!surface->moves) return;
    in_surface(surface, 1, p, a);
    in_surface(surface, 0, p, b);
    turned(surface->out1.axes, (b[0] - a[0]) / step, (b[1] - a[1]) / step, (b[2] - a[2]) / step, out);
}

typedef struct { double at, normal[3], impact, place[3]; int surface; } Touch; /* at: s after the way's beginning */

/* The rest of a step in which surfaces may be met; how many touches count. p, v: place and velocity, in and out; h: s left; share: of the
 * step already gone. */
static int meet(const Now *now, const Way *way, double p[3], double v[3], double h, double share, Touch *touch, int *ended, int *stuck) {
    const Plan *plan = now->plan;
    const Contact *contact = &plan->layer->contact;
    double step = plan->h, drag = way->drag, gone = 0, u[3], g[3], start[3], a, b, k, n[3] = {0, 1, 0}, when, ground[3];
    int counted = 0, rubbed = 0;
    *ended = 0; *stuck = -1;
    for (int i = 0; i < 3; i++) { u[i] = way->u[i]; g[i] = way->g[i]; start[i] = p[i]; }
    for (int hits = 0; hits < 6; hits++) {
        double to[3], m[3], w[3], hit[3], t, gap_left = 0;
        coefficients(drag, h, &a, &b, &k);
        for (int i = 0; i < 3; i++) to[i] = p[i] + (double)way->kept[i] * way->factor * (v[i] * b + u[i] * (h - b) + g[i] * k) + way->add[i] * h;
        int which = first_met(now, p, to, share, &when, n);
        if (which < 0) {
            for (int i = 0; i < 3; i++) { v[i] = v[i] * a + u[i] * (1 - a) + g[i] * b; p[i] = to[i]; }
            return counted;
        }
        const Surface *surface = &now->play->surfaces[which];
        t = when * h;
        for (int i = 0; i < 3; i++) hit[i] = p[i] + when * (to[i] - p[i]);
        surface_speed(surface, hit, step, ground);
        double first = t;
        /* The way is an arc, met a little later or earlier than its chord: one step of Newton's method to the touch. */
        for (int newton = 0; newton < 2; newton++) {
            coefficients(drag, t, &a, &b, &k);
            double inward = 0;
            gap_left = 0;
            for (int i = 0; i < 3; i++) {
                m[i] = p[i] + (double)way->kept[i] * way->factor * (v[i] * b + u[i] * (t - b) + g[i] * k) + way->add[i] * t;
                w[i] = v[i] * a + u[i] * (1 - a) + g[i] * b;
                gap_left += n[i] * (m[i] - hit[i] - ground[i] * (t - first));
                inward += n[i] * (way->factor * w[i] - ground[i]);
            }
            if (newton == 1 || when <= 0 || inward > -1e-9 || fabs(gap_left) > 0.5 * fabs(inward) * h) break;
            t = within(t - gap_left / inward, 0, h);
        }
        double into = 0, pull = 0, r[3], away = 0;
        for (int i = 0; i < 3; i++) {
            p[i] = m[i] - gap_left * n[i];
            v[i] = w[i];
            r[i] = v[i] - ground[i];
            into += n[i] * r[i];
            pull += n[i] * g[i];
        }
        gone += t;
        h = most(h - t, 0);
        share = least(share + t / step, 1);
        double impact = most(-into, 0), press = most(-pull, 0) * step;
        int rests = contact->bounce * impact <= press || impact < contact->minimum_speed, strikes = impact > press * 1.5 + 1e-6;
        if (impact >= contact->minimum_speed && (strikes || contact->meets != 1)) {
            if (!counted) {
                touch->at = gone; touch->impact = impact; touch->surface = surface->index;
                for (int i = 0; i < 3; i++) { touch->normal[i] = n[i]; touch->place[i] = p[i] - n[i] * plan->touch; }
            }
            counted++;
            if (contact->meets == 3) { *ended = 1; return counted; }
            if (contact->meets == 2) { memcpy(v, ground, sizeof ground); *stuck = which; return counted; }
        }
        double thrown = rests ? 0 : contact->bounce * impact, slide = log(most(contact->slide, 1e-300));
        double keep = exp(slide * least((impact + thrown) / 0.981, 1));
        for (int i = 0; i < 3; i++) { v[i] = ground[i] + (r[i] - into * n[i]) * keep + thrown * n[i]; away += (p[i] - start[i]) * (p[i] - start[i]); }
        if (rests) {
            double blow = 0;
            pull = least(pull, 0);
            for (int i = 0; i < 3; i++) { g[i] -= pull * n[i]; blow += n[i] * (u[i] - ground[i]); }
            blow = least(blow, 0);
            for (int i = 0; i < 3; i++) u[i] -= blow * n[i];
            if (!rubbed) {
                double rub = -slide * (drag * -blow - pull) / 0.981, both = most(drag + rub, 1e-30);
                for (int i = 0; i < 3; i++) u[i] = (drag * u[i] + rub * ground[i]) / both;
                drag += rub;
                rubbed = 1;
            }
        }
        if (h <= 0 || away > 1e24) break;
    }
    return counted;
}

/* Where something moves in this step; before the start all stands as it does then. */
static PaleMoving told_moving(const PalePlay *play, const PaleMoving *told) {
    PaleMoving made = *told;
    if (play->before) made.is = made.was;
    return made;
}

/* The surfaces that a layer meets in this step, as they stand in its axes. */
static void take_surfaces(Now *now, const PaleWorld *world, const PaleFrame *was, const PaleFrame *is) {
    const Plan *plan = now->plan;
    const Contact *contact = &plan->layer->contact;
    now->surface_count = 0;
    if (contact->meets == 0 || !world) return;
    PaleFrame from0 = back_from(was), from1 = back_from(is);
    for (int i = 0; i < world->surface_count && now->surface_count < now->play->effect->surfaces; i++) {
        const PaleSurface *told = &world->surfaces[i];
        int wanted = contact->surfaces.count == 0;
        for (int k = 0; k < contact->surfaces.count && !wanted; k++) wanted = told->name && !strcmp(contact->surfaces.items[k], told->name);
        if (!wanted) continue;
        Surface *surface = &now->play->surfaces[now->surface_count++];
        PaleMoving moving = told_moving(now->play, &told->moving);
        PaleFrame a = plan->world ? moving.was : inside(&from0, &moving.was), b = plan->world ? moving.is : inside(&from1, &moving.is);
        memset(surface, 0, sizeof *surface);
        surface->told = told; surface->shape = told->shape; surface->index = i;
        surface->in0 = back_from(&a); surface->in1 = back_from(&b); surface->out1 = b;
        surface->size = most(cbrt(fabs(determinant(b.axes))), 1e-12);
        surface->moves = memcmp(&a, &b, sizeof a) != 0;
        for (int c = 0; c < 3; c++) surface->half[c] = 0.5 * told->size[c];
        if (told->shape == PALE_SPHERE) surface->half[1] = surface->half[2] = surface->half[0];
        if (told->shape == PALE_CYLINDER) surface->half[2] = surface->half[0];
        for (int c = 0; c < 3; c++) {
            surface->up[c] = (float)(b.axes[3 * c + 1] / surface->size);
            surface->level += b.axes[3 * c + 1] / surface->size * b.place[c];
            surface->low[c] = 3e38f; surface->high[c] = -3e38f;
        }
        double low[3], high[3];
        for (int c = 0; c < 3; c++) { low[c] = -surface->half[c]; high[c] = surface->half[c]; }
        if (told->shape == PALE_TRIANGLES && told->tree)
            for (int c = 0; c < 3; c++) { low[c] = told->tree->nodes[0].low[c]; high[c] = told->tree->nodes[0].high[c]; }
        for (int corner = 0; corner < 16; corner++) {
            double p[3];
            const PaleFrame *frame = corner & 8 ? &b : &a;
            turned(frame->axes, corner & 1 ? high[0] : low[0], corner & 2 ? high[1] : low[1], corner & 4 ? high[2] : low[2], p);
            for (int c = 0; c < 3; c++) {
                surface->low[c] = leastf(surface->low[c], (float)(p[c] + frame->place[c]) - 0.02f);
                surface->high[c] = mostf(surface->high[c], (float)(p[c] + frame->place[c]) + 0.02f);
            }
        }
    }
}

static int nearby(const Now *now, const float p[3], const float to[3]) {
    float touch = now->plan->touch;
    for (int j = 0; j < now->surface_count; j++) {
        const Surface *s = &now->play->surfaces[j];
        if (s->shape == PALE_SWEEP) return 1;
        if (s->shape == PALE_PLANE) {
            if (s->up[0] * to[0] + s->up[1] * to[1] + s->up[2] * to[2] < (float)s->level + touch) return 1;
            continue;
        }
        int near = 1;
        for (int c = 0; c < 3; c++) near &= leastf(p[c], to[c]) - touch <= s->high[c] && mostf(p[c], to[c]) + touch >= s->low[c];
        if (near) return 1;
    }
    return 0;
}

/* ---- what happens to particles, and whom it spawns ---- */

typedef struct {
    double time;
    u64 number;
    int occurrence, rule, row, surface;
    double place[3], velocity[3], normal[3];
} Event;

static void look_of(const PalePlay *play, const Plan *plan, const Track *track, int row, double time, const double velocity[3], float *size, float colour[3]);

/* The births that one event asks of a layer. */
static void ask_children(Now *now, const Event *event) {
    PalePlay *play = now->play;
    const Plan *plan = now->plan;
    const Rule *rule = &plan->layer->offspring.rules.items[event->rule];
    if (rule->child < 0) return;
    const PaleEffect *effect = play->effect;
    const Plan *child = &effect->plans[rule->child];
    Track *into = &play->tracks[rule->child];
    u64 key = plan->rule_keys[event->rule], occasion = mix(key ^ mix((event->number & plan->mask) + (u64)event->occurrence * STRIDE));
    i64 count = count_of(&rule->count, draw(key, occasion, 30));
    if (count <= 0) return;
    double moment = event->time / plan->layer->tempo, p[3], v[3], n[3];
    memcpy(p, event->place, sizeof p); memcpy(v, event->velocity, sizeof v); memcpy(n, event->normal, sizeof n);
    if (!plan->world) {
        PaleFrame outer = layer_at(play, plan, moment);
        turned(outer.axes, event->place[0], event->place[1], event->place[2], p);
        for (int i = 0; i < 3; i++) p[i] += outer.place[i];
        turned(outer.axes, event->velocity[0], event->velocity[1], event->velocity[2], v);
        turned(outer.axes, event->normal[0], event->normal[1], event->normal[2], n);
    }
    double tempo = child->layer->tempo / plan->layer->tempo, time = event->time * tempo;
    for (int i = 0; i < 3; i++) v[i] /= tempo;
    PaleFrame own = layer_at(play, child, moment), frame = own;
    double size = sqrt(own.axes[1] * own.axes[1] + own.axes[4] * own.axes[4] + own.axes[7] * own.axes[7]);
    for (int i = 0; i < 3; i++) frame.place[i] = own.place[i] + (p[i] - own.place[i]) * rule->place;
    if (rule->facing == 1) upright(frame.axes, v[0], v[1], v[2], size);
    else if (rule->facing == 2) upright(frame.axes, -v[0], -v[1], -v[2], size);
    else if (rule->facing == 3) upright(frame.axes, n[0], n[1], n[2], size);
    i64 step = now->step;
    if (most_of(&rule->delay) > 0) {
        time += drawn_range(&rule->delay) || rule->delay.count ? range_at(&rule->delay, draw(key, occasion, 31)) : rule->delay.low;
        i64 due = ceiled(time / child->h - 1e-6);
        if (due > step) step = due;
    }
    float kin_size = 0, colour[3] = {0, 0, 0};
    if (rule->size > 0 || rule->colour > 0) look_of(play, plan, now->track, event->row, event->time, event->velocity, &kin_size, colour);
    int feed = 0;
    while (feed < child->feed_count && (child->feeds[feed].parent != now->layer || child->feeds[feed].rule != event->rule)) feed++;
    for (i64 c = 0; c < count; c++) {
        if (into->pending_count >= child->pending) { play->left_out += count - c; return; }
        Pending *made = &into->pending[into->pending_count++];
        made->born = time + (rule->goes_on > 0 ? rule->goes_on * (double)c / (double)count : 0);
        made->step = step;
        if (rule->goes_on > 0) { i64 due = ceiled(made->born / child->h - 1e-6); if (due > step) made->step = due; }
        made->number = (mix(occasion + (u64)(c + 1) * 0xD1B54A32D192ED03ull) & ~LOOP_BITS) | (event->number & LOOP_BITS);
        memcpy(made->axes, frame.axes, sizeof made->axes);
        memcpy(made->place, frame.place, sizeof made->place);
        for (int i = 0; i < 3; i++) { made->velocity[i] = (float)(v[i] * rule->motion); made->colour[i] = colour[i]; }
        made->size = kin_size;
        made->feed = feed;
        made->surface = rule->goes_on > 0 ? event->surface : -1;
        made->since = moment;
    }
}

/* Whether a rule's event happens: by its threshold, its caps and its chance. */
static int happens(Now *now, int r, u64 own, int occurrence, double impact) {
    const Rule *rule = &now->plan->layer->offspring.rules.items[r];
    if ((rule->when == 1 && (float)impact < (float)rule->minimum_impact) || (rule->most_per_parent > 0 && occurrence >= rule->most_per_parent)) return 0;
    if (rule->most_per_step > 0 && now->track->per_step[r] >= rule->most_per_step) return 0;
    if (rule->chance < 1 && draw(now->plan->rule_keys[r], own, 64 + (u64)occurrence) >= (float)rule->chance) return 0;
    now->track->per_step[r]++;
    return 1;
}

static void tell(Now *now, int r, double time, int row, int occurrence, const double place[3], const double velocity[3], const double normal[3], int surface) {
    Event event;
    event.time = time; event.number = now->track->table.number[row]; event.occurrence = occurrence; event.rule = r; event.row = row;
    event.surface = surface;
    memcpy(event.place, place, sizeof event.place); memcpy(event.velocity, velocity, sizeof event.velocity); memcpy(event.normal, normal, sizeof event.normal);
    ask_children(now, &event);
}

/* ---- beams, and where they strike ---- */

static int place_named(const PalePlay *play, const char *name) {
    for (int i = 0; *name && i < play->effect->document.places.count; i++) if (!strcmp(play->effect->document.places.items[i], name)) return i;
    return -1;
}

static PaleFrame named_at(const PalePlay *play, const Plan *plan, const char *name, double time) {
    int place = place_named(play, name);
    return place >= 0 ? moving_at(play, &play->places[place], time) : layer_at(play, plan, time);
}

static void cross(const double a[3], const double b[3], double out[3]) {
    out[0] = a[1] * b[2] - a[2] * b[1]; out[1] = a[2] * b[0] - a[0] * b[2]; out[2] = a[0] * b[1] - a[1] * b[0];
}

static double length_of(const double v[3]) { return sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]); }


/* Pieces that keep a beam within 2 mm of its curve; its control points. */
static int beam_pieces(const PalePlay *play, const Plan *plan, double time, double control[4][3], PaleFrame ends[2]) {
    const PaleBeamLook *beam = &plan->layer->look.beam;
    PaleFrame own = layer_at(play, plan, time);
    ends[0] = named_at(play, plan, beam->start, time);
    ends[1] = own;
    if (place_named(play, beam->end) >= 0) ends[1] = named_at(play, plan, beam->end, time);
    else {
        double reach[3];
        turned(own.axes, beam->reach[0], beam->reach[1], beam->reach[2], reach);
        for (int c = 0; c < 3; c++) ends[1].place[c] = own.place[c] + reach[c];
    }
    for (int e = 0; e < 2; e++) {
        double way[3] = {ends[e].axes[1], ends[e].axes[4], ends[e].axes[7]}, size;
        if (beam->bows == 1) memcpy(way, beam->axis, sizeof way);
        size = most(sqrt(way[0] * way[0] + way[1] * way[1] + way[2] * way[2]), 1e-12);
        for (int c = 0; c < 3; c++) {
            control[e ? 3 : 0][c] = ends[e].place[c];
            control[e ? 2 : 1][c] = ends[e].place[c] + beam->bow[e] * way[c] / size;
        }
    }
    double second[2] = {0, 0}, lengths[4] = {0, 0, 0, 0};
    for (int c = 0; c < 3; c++) {
        second[0] += pow(control[0][c] - 2 * control[1][c] + control[2][c], 2);
        second[1] += pow(control[1][c] - 2 * control[2][c] + control[3][c], 2);
        for (int k = 0; k < 4; k++) lengths[k] += pow(control[k == 3 ? 3 : k + 1][c] - control[k == 3 ? 0 : k][c], 2);
    }
    double pieces = sqrt(6 * sqrt(most(second[0], second[1])) / (8 * 0.002));
    double length = 0.5 * (sqrt(lengths[0]) + sqrt(lengths[1]) + sqrt(lengths[2]) + sqrt(lengths[3]));
    if (beam->sway > 0) pieces = most(pieces, 6 * length / beam->sway_size);
    if (beam->width || beam->colours) pieces = most(pieces, 32);
    if (beam->kinks > 0) {
        int deep = (int)ceil(log2(within(pieces, 1, 1e6)));
        if (deep < 6) deep = 6;
        return deep > 9 ? MOST_POINTS : 1 << deep;
    }
    pieces = ceil(within(pieces, 0, MOST_POINTS));
    return pieces < 1 ? 1 : (int)pieces;
}

/* Metres along a path to each of its points. */
static void come_along(const Point *points, int count, double *come) {
    come[0] = 0;
    for (int i = 1; i < count; i++) {
        double d[3] = {points[i].place[0] - points[i - 1].place[0], points[i].place[1] - points[i - 1].place[1], points[i].place[2] - points[i - 1].place[2]};
        come[i] = come[i - 1] + length_of(d);
    }
}

/* How far points evenly along a line are thrown aside, -1 to 1 at first, held at both ends: midpoint displacement (Fournier, Fussell and
 * Carpenter, Communications of the ACM 25, 1982). points: one more than a power of two. */
static void kinks_of(u64 number, int points, float (*out)[2]) {
    double reach = 1;
    memset(out, 0, (size_t)points * sizeof *out);
    for (int step = points - 1; step > 1; step /= 2, reach *= 0.5)
        for (int middle = step / 2; middle < points - 1; middle += step) {
            u64 place = join(0, (u64)middle);
            for (int c = 0; c < 2; c++) {
                double chance = 2.0 * draw((u64)c, number ^ place, 41) - 1;
                out[middle][c] = (float)(0.5 * ((double)out[middle - step / 2][c] + (double)out[middle + step / 2][c]) + reach * chance);
            }
        }
}

/* Which strike a beam or ribbon is in at a moment, what its draws hang on, and how much of its light is left. */
static i64 strike_at(const Plan *plan, double strikes, double fade, u64 number, double time, u64 *strike, float *light) {
    double since = time * strikes + draw(plan->key, number, 41), which = floor(since);
    if (strike) *strike = join(plan->key, join(41, number) ^ (u64)floored(which));
    if (light) *light = (float)(strikes > 0 ? 1 - fade * (since - which) : 1);
    return floored(which);
}

/* Two directions across a path at a point of it, between its neighbours. */
static void across_path(const double before[3], const double next[3], double side[3], double rise[3]) {
    double way[3], level[3] = {0, 1, 0}, size;
    for (int c = 0; c < 3; c++) way[c] = next[c] - before[c];
    size = most(length_of(way), 1e-12);
    for (int c = 0; c < 3; c++) way[c] /= size;
    if (!(fabs(way[1]) < 0.95)) { level[0] = 1; level[1] = 0; }
    cross(way, level, side);
    size = most(length_of(side), 1e-12);
    for (int c = 0; c < 3; c++) side[c] /= size;
    cross(side, way, rise);
}

/* Smooth noise, -1 to 1, along a line; its own for each particle. */
static double sway_at(u64 key, u64 number, int which, double along) {
    double cell = floor(along), t = along - cell;
    u64 mixed = number ^ (0x9E3779B9ull * (u64)(which + 1));
    t = t * t * (3 - 2 * t);
    double low = 2.0 * draw(key, mixed ^ (u64)floored(cell), 33) - 1, high = 2.0 * draw(key, mixed ^ (u64)(floored(cell) + 1), 33) - 1;
    return low + (high - low) * t;
}

/* The path of a particle's beam: a cubic, swayed by noise, and thrown aside by the kinks of a strike. come, thrown: room for its points. */
static void beam_path(const Plan *plan, double time, u64 number, u64 strike, double control[4][3], int pieces, Point *path, double *come, float (*thrown)[2]) {
    const PaleBeamLook *beam = &plan->layer->look.beam;
    double before[3], here[3], side[3], rise[3];
    if (beam->kinks > 0) kinks_of(strike, pieces + 1, thrown);
    for (int k = 0; k <= pieces; k++) {
        double t = (double)k / pieces, s = 1 - t;
        memset(&path[k], 0, sizeof path[k]);
        for (int c = 0; c < 3; c++)
            path[k].place[c] = s * s * s * control[0][c] + 3 * s * s * t * control[1][c] + 3 * s * t * t * control[2][c] + t * t * t * control[3][c];
    }
    come_along(path, pieces + 1, come);
    /* Thrown aside from the smooth curve: each point hangs on those beside it, so the curve is read before it is changed. */
    memcpy(before, path[0].place, sizeof before);
    for (int k = 0; k <= pieces; k++) {
        double t = (double)k / pieces, held_at = sqrt(most(sin(PI * t), 0));
        across_path(before, path[k < pieces ? k + 1 : k].place, side, rise);
        memcpy(here, path[k].place, sizeof here);
        double along = (come[k] - beam->sway_speed * time) / beam->sway_size;
        double aside = beam->sway * held_at * sway_at(plan->key, number, 0, along), above = beam->sway * held_at * sway_at(plan->key, number, 1, along);
        if (beam->kinks > 0) { aside += beam->kinks * thrown[k][0]; above += beam->kinks * thrown[k][1]; }
        for (int c = 0; c < 3; c++) path[k].place[c] += side[c] * aside + rise[c] * above;
        memcpy(before, here, sizeof before);
    }
}

/* The path of a branch of a strike; `along` of its points is how far along the beam they count. Returns how many pieces it has. */
static int beam_branch(const PaleBeamLook *beam, u64 strike, int which, const Point *path, int pieces, Point *branch, float (*thrown)[2]) {
    u64 own = join(strike, (u64)(which + 1));
    double chance[6], way[3], other[3], third[3], course[3], whole[3], level[3] = {1, 0, 0};
    int points = pieces + 1;
    for (int k = 0; k < 6; k++) chance[k] = draw(own, (u64)k, 41);
    int leaves = (int)((0.06 + 0.74 * chance[0]) * points);
    if (leaves > points - 3) leaves = points - 3;
    const double *foot = path[leaves].place, *end = path[points - 1].place;
    for (int c = 0; c < 3; c++) { way[c] = end[c] - foot[c]; whole[c] = end[c] - path[0].place[c]; }
    double left = length_of(way), length = left * beam->branch_length * (0.5 + 0.5 * chance[1]);
    double share = length / most(most(length_of(whole), length), 1e-9);
    int deep = (int)ceil(log2(most(pieces * share, 1)));
    int parts = 1 << (deep < 2 ? 2 : deep > 9 ? 9 : deep);
    for (int c = 0; c < 3; c++) way[c] /= most(left, 1e-12);
    if (!(fabs(way[0]) < 0.9)) { level[0] = 0; level[1] = 1; }
    cross(way, level, other);
    double size = most(length_of(other), 1e-12), lean = radians(20 + 40 * chance[2]), round = 2 * PI * chance[3];
    for (int c = 0; c < 3; c++) other[c] /= size;
    cross(way, other, third);
    for (int c = 0; c < 3; c++) course[c] = cos(lean) * way[c] + sin(lean) * (cos(round) * other[c] + sin(round) * third[c]);
    kinks_of(own, parts + 1, thrown);
    double begins = (double)leaves / pieces;
    for (int k = 0; k <= parts; k++) {
        double s = (double)k / parts;
        memset(&branch[k], 0, sizeof branch[k]);
        branch[k].along = (float)(begins + (1 - begins) * beam->branch_length * s);
        branch[k].width = (float)(beam->branch_width * (1 - s));
        for (int c = 0; c < 3; c++)
            branch[k].place[c] = foot[c] + s * length * course[c] + beam->kinks * share * (other[c] * thrown[k][0] + third[c] * thrown[k][1]);
    }
    return parts;
}

/* A strike of a particle's beam tells its rules of its end, or of those of its branches. */
static void tell_strike(Now *now, int r, double time, int row, int occurrence, i64 which, const double velocity[3]) {
    const Plan *plan = now->plan;
    const PaleBeamLook *beam = &plan->layer->look.beam;
    int branches = plan->layer->offspring.rules.items[r].when == 6, many = branches ? beam->branches : 1;
    double moment = time / plan->layer->tempo, control[4][3];
    PaleFrame ends[2], back = HERE;
    Bolt *bolt = now->play->bolt;
    u64 number = now->track->table.number[row], strike = join(plan->key, join(41, number) ^ (u64)which);
    int pieces = beam_pieces(now->play, plan, moment, control, ends), count = pieces;
    beam_path(plan, moment, number, strike, control, pieces, bolt->path, bolt->come, bolt->thrown);
    if (!plan->world) { PaleFrame own = layer_at(now->play, plan, moment); back = back_from(&own); }
    for (int b = 0; b < many; b++) {
        if (branches) count = beam_branch(beam, strike, b, bolt->path, pieces, bolt->branch, bolt->thrown);
        const Point *at = branches ? bolt->branch : bolt->path;
        double end[3], away[3], normal[3], size;
        for (int c = 0; c < 3; c++) away[c] = at[count - 1].place[c] - at[count].place[c];
        size = most(length_of(away), 1e-12);
        turned(back.axes, at[count].place[0], at[count].place[1], at[count].place[2], end);
        turned(back.axes, away[0] / size, away[1] / size, away[2] / size, normal);
        for (int c = 0; c < 3; c++) end[c] += back.place[c];
        tell(now, r, time, row, occurrence * many + b, end, velocity, normal, -1);
    }
}

/* The strikes of a particle's beam while its age goes from `since` to `until`; `until` below 0: that of its birth. */
static void tell_strikes(Now *now, int r, int row, u64 own, double since, double until, const double v[3]) {
    const Plan *plan = now->plan;
    u64 number = now->track->table.number[row];
    double born = now->track->table.born[row], strikes = (float)(plan->layer->look.beam.strikes / plan->layer->tempo), phase = draw(plan->key, number, 41);
    if (plan->layer->look.drawn_as != PALE_BEAM || plan->layer->look.beam.kinks <= 0) return;
    i64 first = floored(born * strikes + phase), k = floored((born + since) * strikes + phase) + 1;
    if (until < 0) { if (happens(now, r, own, 0, 3e38)) tell_strike(now, r, born, row, 0, first, v); return; }
    for (int done = 0; strikes > 0 && ((double)k - phase) / strikes <= born + until && done < 64; k++, done++)
        if (happens(now, r, own, (int)(k - first), 3e38)) tell_strike(now, r, ((double)k - phase) / strikes, row, (int)(k - first), k, v);
}

static const double UP[3] = {0, 1, 0};

static void tell_way(Now *now, int row, u64 own, double start, double h, double since, double until, float gone, float came, const float from[3], const float way[3], const double v[3]) {
    for (int r = 0; r < now->plan->rule_count; r++) {
        const Rule *rule = &now->plan->layer->offspring.rules.items[r];
        if (rule->when >= 5) tell_strikes(now, r, row, own, since, until, v);
        if (rule->when < 3 || rule->when >= 5) continue;
        double interval = (float)rule->interval, low = rule->when == 3 ? gone : since, high = rule->when == 3 ? (float)(gone + came) : until;
        i64 k = floored(low / interval) + 1;
        for (int done = 0; (double)k * interval <= high && done < 64; k++, done++) {
            float part = (float)(((double)k * interval - low) / most(high - low, 1e-12));
            if (!happens(now, r, own, (int)(k - 1), 3e38)) continue;
            double place[3] = {from[0] + part * way[0], from[1] + part * way[1], from[2] + part * way[2]};
            tell(now, r, start + part * h, row, (int)(k - 1), place, v, UP, -1);
        }
    }
}

/* Rounds a place by chance in proportion, so that what is lost far from the origin adds up to nothing (Forsythe, SIAM Review 1(1), 1959). */
static float rounded(double x, double chance) {
    float near = (float)fabs(x), next = nextafterf(near, 3e38f);
    return (float)(x + (chance - 0.5) * ((double)next - near));
}

/* The same for a layer of everyday whose particles, none of them newborn, are near nothing: as below, and no more than that. */
static int advance_plain(Now *now, int count) {
    const Plan *plan = now->plan;
    const Layer *layer = plan->layer;
    const Table *t = &now->track->table;
    float *restrict px = t->px, *restrict py = t->py, *restrict pz = t->pz, *restrict vx = t->vx, *restrict vy = t->vy, *restrict vz = t->vz;
    float h = (float)plan->h, half = 0.5f * h, stir = plan->turbulence, factor = 1;
    Eddies eddies = eddies_of(now->play->effect->eddies, layer->forces.eddy, layer->forces.drift, (float)(now->begin + 0.5 * plan->h), (float)layer->forces.detail);
    float u0 = now->wind[0], u1 = now->wind[1], u2 = now->wind[2];
    double da, db, dg, time = now->time;
    coefficients((float)layer->forces.drag, h, &da, &db, &dg);
    float a = (float)da, b = (float)db, g = (float)dg, rest = h - b, lost = 1 - a;
    float to0 = u0 * rest + now->gravity[0] * g, to1 = u1 * rest + now->gravity[1] * g, to2 = u2 * rest + now->gravity[2] * g;
    float by0 = u0 * lost + now->gravity[0] * b, by1 = u1 * lost + now->gravity[1] * b, by2 = u2 * lost + now->gravity[2] * b;
    int left = 0, further = t->slot || t->kin_rule;
    for (int i = 0; i < count; i++) {
        float elapsed = (float)(time - t->born[i]), life = t->life[i];
        if (elapsed >= life) continue;
        float x = px[i], y = py[i], z = pz[i], v0 = vx[i], v1 = vy[i], v2 = vz[i], e[3] = {0, 0, 0};
        if (stir > 0) {
            eddies_at(&eddies, x + half * v0, y + half * v1, z + half * v2, e);
            e[0] *= stir; e[1] *= stir; e[2] *= stir;
        }
        if (plan->paced) factor = table_at(plan->paced->table, (elapsed - half) / mostf(life, 1e-9f));
        if (i != left) {
            t->born[left] = t->born[i]; t->life[left] = life; t->number[left] = t->number[i];
            if (further) copy_further(t, i, left);
        }
        px[left] = x + factor * (v0 * b + e[0] * rest + to0); py[left] = y + factor * (v1 * b + e[1] * rest + to1); pz[left] = z + factor * (v2 * b + e[2] * rest + to2);
        vx[left] = v0 * a + e[0] * lost + by0; vy[left] = v1 * a + e[1] * lost + by1; vz[left] = v2 * a + e[2] * lost + by2;
        left++;
    }
    return left;
}

/* Moves rows `first` to `count` to the end of the step and writes those still alive from row `left` on; where they end. */
static int advance(Now *now, int first, int count, int left, int newborn) {
    const Plan *plan = now->plan;
    const Layer *layer = plan->layer;
    Table *t = &now->track->table;
    double time = now->time, begin = now->begin;
    float h = (float)plan->h, drag0 = (float)layer->forces.drag;
    Eddies eddies = eddies_of(now->play->effect->eddies, layer->forces.eddy, layer->forces.drift, (float)(begin + 0.5 * plan->h), (float)layer->forces.detail);
    double a0, b0, g0;
    coefficients(drag0, h, &a0, &b0, &g0);
    for (int i = first; i < count; i++) {
        double birth = t->born[i], start = begin;
        float life = t->life[i], elapsed = (float)(time - birth), older = t->aged ? t->aged[i] : 0, span = life * (1 - older), hh = h;
        int dies = elapsed >= span, ended = 0, stuck = -1;
        if (dies && !plan->end_rules) continue;
        float a = (float)a0, b = (float)b0, g = (float)g0;
        if (newborn || dies) {
            double da, db, dg;
            if (newborn) { start = birth; hh = (float)within(time - birth, 0, plan->h); }
            if (dies) { hh = (float)within(birth + span - start, 0, plan->h); elapsed = (float)(start - birth) + hh; }
            coefficients(drag0, hh, &da, &db, &dg);
            a = (float)da; b = (float)db; g = (float)dg;
        }
        float p[3] = {t->px[i], t->py[i], t->pz[i]}, v[3] = {t->vx[i], t->vy[i], t->vz[i]}, to[3], stir = plan->turbulence;
        Way way = {{now->wind[0], now->wind[1], now->wind[2]}, {now->gravity[0], now->gravity[1], now->gravity[2]}, drag0, 0, 3e38f, 1, {0, 0, 0}, {1, 1, 1}};
        Self self = {0, 0, t->travelled ? t->travelled[i] : 0, t->number[i] & plan->mask};
        if (plan->paced) way.factor = table_at(plan->paced->table, (elapsed - 0.5f * hh) / mostf(life, 1e-9f));
        if (t->held && t->held[i] > 0) {
            int which = t->held[i] - 1;
            if (which < now->surface_count && now->play->surfaces[which].moves) {
                double q[3] = {p[0], p[1], p[2]}, w[3];
                const Surface *surface = &now->play->surfaces[which];
                in_surface(surface, 0, q, w);
                turned(surface->out1.axes, w[0], w[1], w[2], q);
                for (int c = 0; c < 3; c++) p[c] = (float)(q[c] + surface->out1.place[c]);
            }
            if (!dies) {
                copy_row(t, i, left);
                t->px[left] = p[0]; t->py[left] = p[1]; t->pz[left] = p[2];
                if (t->plus_x) t->plus_x[left] = t->plus_y[left] = t->plus_z[left] = 0;
                left++;
                continue;
            }
        }
        if (plan->moving.count || plan->adds) {
            float s[3] = {v[0], v[1], v[2]};
            if (t->plus_x) { s[0] = plan->own[0] * s[0] + t->plus_x[i]; s[1] = plan->own[1] * s[1] + t->plus_y[i]; s[2] = plan->own[2] * s[2] + t->plus_z[i]; }
            if (plan->moving.count) {
                self.age = (elapsed - 0.5f * hh) / mostf(life, 1e-9f) + older;
                self.quick = sqrtf(s[0] * s[0] + s[1] * s[1] + s[2] * s[2]);
            }
            for (int k = 0; k < plan->moving.count; k++) {
                const CLane *lane = &plan->moving.items[k];
                if (lane->drives == D_FORCE) continue;
                float value = lane_value(lane, self.age, self.quick, self.gone, now->clock, plan->key, self.own);
                switch (lane->drives) {
                case D_SPEED: way.factor *= value; break;
                case D_GRAVITY: for (int c = 0; c < 3; c++) way.g[c] *= value; break;
                case D_DRAG: way.drag *= mostf(value, 0); break;
                case D_WIND: for (int c = 0; c < 3; c++) way.u[c] *= value; break;
                case D_TURBULENCE: stir *= value; break;
                case D_SPIN: t->turned[i] += value * hh; break;
                default:
                    way.add[lane->drives - D_VELOCITY_X] += value;
                    if (lane->replaces) way.kept[lane->drives - D_VELOCITY_X] = 0;
                }
            }
        }
        float half = 0.5f * hh, c0[3] = {p[0], p[1], p[2]};
        if (plan->circles) circle(now, &self, half, p, c0, v);
        float m[3] = {c0[0] + half * v[0], c0[1] + half * v[1], c0[2] + half * v[2]};
        if (plan->turbulence > 0) {
            float e[3];
            eddies_at(&eddies, m[0], m[1], m[2], e);
            for (int c = 0; c < 3; c++) way.u[c] += stir * e[c];
        }
        for (int j = 0; j < plan->force_count; j++)
            if (plan->forces[j]->kind != CIRCLING && force_inside(now, j, m[0], m[1], m[2])) push(now, j, strength_of(now, j, &self), m, v, hh, &way);
        if (way.slows > 0 || way.drag != drag0) {
            double da, db, dg;
            if (way.slows > 0) {
                float r[3] = {v[0] - way.u[0], v[1] - way.u[1], v[2] - way.u[2]};
                coefficients(way.drag + way.slows * sqrtf(r[0] * r[0] + r[1] * r[1] + r[2] * r[2]), half, &da, &db, &dg);
                for (int c = 0; c < 3; c++) r[c] = r[c] * (float)da + way.g[c] * (float)db;
                way.drag += way.slows * sqrtf(r[0] * r[0] + r[1] * r[1] + r[2] * r[2]);
            }
            coefficients(way.drag, hh, &da, &db, &dg);
            a = (float)da; b = (float)db; g = (float)dg;
        }
        float rest = hh - b;
        for (int c = 0; c < 3; c++) to[c] = p[c] + way.kept[c] * (way.factor * (v[c] * b + way.u[c] * rest + way.g[c] * g)) + way.add[c] * hh;
        float c1[3];
        if (plan->circles) {
            /* Half the turn was before the way, half comes after it; for all that follows it is a velocity that adds to it. */
            float turned_to[3], none[3] = {0, 0, 0}, per = 1 / mostf(hh, 1e-9f);
            for (int c = 0; c < 3; c++) turned_to[c] = c1[c] = to[c] + (c0[c] - p[c]);
            circle(now, &self, half, c1, turned_to, none);
            for (int c = 0; c < 3; c++) { way.add[c] += per * (turned_to[c] - to[c]); to[c] = turned_to[c]; }
        }
        double exact[3];
        u64 tick = self.own ^ (((u64)now->step & 0xFFFFFF) << 24);
        if (now->track->far)
            for (int c = 0; c < 3; c++) {
                exact[c] = p[c] + (double)way.kept[c] * way.factor * ((double)v[c] * b + (double)way.u[c] * rest + (double)way.g[c] * g) + (double)way.add[c] * hh;
                to[c] = rounded(exact[c], draw(plan->key, tick, 35 + (u64)c));
            }
        Touch touch = {0, {0, 1, 0}, 0, {0, 0, 0}, -1};
        int counted = 0, near = now->surface_count && nearby(now, p, to);
        if (near) {
            double q[3] = {p[0], p[1], p[2]}, w[3] = {v[0], v[1], v[2]};
            counted = meet(now, &way, q, w, hh, (start - begin) / plan->h, &touch, &ended, &stuck);
            for (int c = 0; c < 3; c++) {
                to[c] = now->track->far ? rounded(q[c], draw(plan->key, tick, 35 + (u64)c)) : (float)q[c];
                v[c] = (float)w[c];
            }
            if (counted) {
                if (t->aged) {
                    older = leastf(older + (float)layer->contact.ageing * (float)counted, 2);
                    ended = ended || elapsed >= life * (1 - older);
                }
                if (t->touches) {
                    double told[3] = {way.kept[0] * w[0] + way.add[0], way.kept[1] * w[1] + way.add[1], way.kept[2] * w[2] + way.add[2]};
                    for (int r = 0; r < plan->rule_count; r++)
                        if (layer->offspring.rules.items[r].when == 1 && happens(now, r, self.own, t->touches[i], touch.impact))
                            tell(now, r, start + touch.at, i, t->touches[i], touch.place, told, touch.normal, touch.surface);
                    t->touches[i] += counted;
                }
            }
        } else {
            float lost = 1 - a;
            for (int c = 0; c < 3; c++) v[c] = v[c] * a + way.u[c] * lost + way.g[c] * b;
        }
        if (plan->circles && stuck < 0) { float none[3] = {0, 0, 0}; circle(now, &self, half, c1, none, v); }
        if (way.fastest < 3e38f) {
            float size = sqrtf(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]);
            if (size > way.fastest) for (int c = 0; c < 3; c++) v[c] *= way.fastest / size;
        }
        float plus[3] = {0, 0, 0}, came = 0, d[3] = {to[0] - p[0], to[1] - p[1], to[2] - p[2]};
        double shown[3] = {v[0], v[1], v[2]};
        if (plan->adds && stuck < 0) {
            self.age = elapsed / mostf(life, 1e-9f) + older;
            added_velocity(now, &self, to, plus);
            for (int c = 0; c < 3; c++) shown[c] = plan->own[c] * v[c] + plus[c];
        }
        if (plan->travels || plan->rule_count) came = sqrtf(d[0] * d[0] + d[1] * d[1] + d[2] * d[2]);
        if (plan->rule_count) {
            tell_way(now, i, self.own, start, hh, start - birth, dies ? span : time - birth, self.gone, came, p, d, shown);
            if (dies || ended) {
                double q[3] = {to[0], to[1], to[2]};
                int alone = dies || !near;
                for (int r = 0; r < plan->rule_count; r++)
                    if (layer->offspring.rules.items[r].when == 2 && happens(now, r, self.own, 0, 3e38))
                        tell(now, r, start + hh, i, 0, q, shown, alone ? UP : touch.normal, alone ? -1 : touch.surface);
            }
        }
        if (dies || ended) continue;
        copy_row(t, i, left);
        t->px[left] = to[0]; t->py[left] = to[1]; t->pz[left] = to[2];
        t->vx[left] = v[0]; t->vy[left] = v[1]; t->vz[left] = v[2];
        if (t->plus_x) { t->plus_x[left] = plus[0]; t->plus_y[left] = plus[1]; t->plus_z[left] = plus[2]; }
        if (t->travelled) t->travelled[left] += came;
        if (t->aged) t->aged[left] = older;
        if (t->held) t->held[left] = stuck + 1;
        left++;
    }
    return left;
}

/* ---- a step of all ---- */

static int take_births(Now *now) {
    PalePlay *play = now->play;
    const Plan *plan = now->plan;
    Track *track = now->track;
    Births births = {play, plan, now->step, 0, plan->room - plan->pending};
    ask_outlet(&births, track);
    int own = births.count, all = own;
    for (int i = 0; i < own; i++) play->born[i].turn = (uint32_t)i;
    for (int feed = 0; feed < plan->feed_count; feed++)
        for (int i = 0; i < track->pending_count && all < plan->room; i++)
            if (track->pending[i].feed == feed && track->pending[i].step <= now->step) {
                Born *made = &play->born[all];
                made->born = track->pending[i].born; made->number = track->pending[i].number; made->pending = i; made->turn = (uint32_t)all++;
            }
    for (int i = 0; i < all; i++) play->born[i].born = within(play->born[i].born, now->begin, now->time);
    if (all > 1 && (plan->mixes || own == all)) sort_births(play->born, all);
    return all;
}

/* Carries the frame of a birth that waits along with the surface that was touched, to a moment of the effect. */
static void carry(Now *now, Pending *pending, double to) {
    if (!now->world || pending->surface >= now->world->surface_count) return;
    PaleMoving moving = told_moving(now->play, &now->world->surfaces[pending->surface].moving);
    if (!memcmp(&moving.was, &moving.is, sizeof moving.was)) return;
    PaleFrame from = moving_at(now->play, &moving, pending->since), there = moving_at(now->play, &moving, to), frame, back = back_from(&from);
    memcpy(frame.axes, pending->axes, sizeof frame.axes);
    memcpy(frame.place, pending->place, sizeof frame.place);
    frame = inside(&back, &frame);
    frame = inside(&there, &frame);
    memcpy(pending->axes, frame.axes, sizeof frame.axes);
    memcpy(pending->place, frame.place, sizeof frame.place);
    pending->since = to;
}

/* Takes births into the table, as far as the limit lets; where the newborn begin. */
static int admit(Now *now, int asked) {
    PalePlay *play = now->play;
    const Plan *plan = now->plan;
    const Layer *layer = plan->layer;
    Track *track = now->track;
    Table *t = &track->table;
    int limit = plan->capacity, first = 0, full = layer->outlet.limit;
    if (layer->outlet.at_limit == 1) {
        if (asked > full) first = asked - full;
        int over = track->count + (asked - first) - full;
        if (over > track->count) over = track->count;
        if (over > 0) {
            for (int row = 0; row < track->count - over; row++) copy_row(t, row + over, row);
            track->count -= over;
        }
    }
    int begun = track->count;
    double share = layer->birth.inherited;
    for (int i = first; i < asked && track->count < limit; i++) {
        const Born *born = &play->born[i];
        double carried[3] = {0, 0, 0}, moment = born->born / layer->tempo;
        PaleFrame frame = HERE;
        int row = track->count;
        if (born->pending >= 0) {
            Pending *pending = &track->pending[born->pending];
            if (pending->surface >= 0) carry(now, pending, moment);
            memcpy(frame.axes, pending->axes, sizeof frame.axes);
            memcpy(frame.place, pending->place, sizeof frame.place);
            for (int c = 0; c < 3; c++) carried[c] = pending->velocity[c];
            if (!plan->world) {
                PaleFrame stands = now->still ? now->stands : layer_at(play, plan, moment), back = back_from(&stands);
                frame = inside(&back, &frame);
                turned(back.axes, carried[0], carried[1], carried[2], carried);
            }
            give_birth(plan, t, row, born->born, born->number, &frame, carried);
            const Rule *rule = &play->effect->layers[plan->feeds[pending->feed].parent]->offspring.rules.items[plan->feeds[pending->feed].rule];
            if (rule->size > 0 || rule->colour > 0) {
                t->kin_rule[row] = pending->feed; t->kin_size[row] = pending->size;
                t->kin_red[row] = pending->colour[0]; t->kin_green[row] = pending->colour[1]; t->kin_blue[row] = pending->colour[2];
            }
        } else {
            if (plan->world) frame = now->still ? now->stands : layer_at(play, plan, moment);
            give_birth(plan, t, row, born->born, born->number, &frame, carried);
            if (share != 0 && plan->world && !now->still) {
                double point[3], own[3], v[3];
                PaleFrame back = back_from(&frame);
                for (int c = 0; c < 3; c++) point[c] = (c == 0 ? t->px : c == 1 ? t->py : t->pz)[row] - frame.place[c];
                turned(back.axes, point[0], point[1], point[2], own);
                velocity_at(play, plan, moment, own, v);
                t->vx[row] += (float)(share * v[0] / layer->tempo); t->vy[row] += (float)(share * v[1] / layer->tempo); t->vz[row] += (float)(share * v[2] / layer->tempo);
            }
        }
        track->count++;
    }
    return begun;
}

/* Forgets what is born, and carries on what waits on a surface that moves. */
static void keep_pending(Now *now) {
    Track *track = now->track;
    int left = 0;
    for (int i = 0; i < track->pending_count; i++) {
        if (track->pending[i].step <= now->step) continue;
        if (track->pending[i].surface >= 0) carry(now, &track->pending[i], now->play->end);
        track->pending[left++] = track->pending[i];
    }
    track->pending_count = left;
}

static void tell_births(Now *now, int first) {
    const Plan *plan = now->plan;
    const Document *document = &now->play->effect->document;
    Table *t = &now->track->table;
    for (int i = first; i < now->track->count; i++) {
        float at[3] = {t->px[i], t->py[i], t->pz[i]};
        double v[3] = {t->vx[i], t->vy[i], t->vz[i]}, p[3] = {at[0], at[1], at[2]};
        u64 own = t->number[i] & plan->mask;
        if (plan->adds) {
            float plus[3], held = now->clock;
            i64 loop;
            Self self = {0, (float)sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]), 0, own};
            double moment = t->born[i] * plan->clock;
            looped(document, moment, &loop);
            now->clock = (float)(document->loop ? moment - floor(moment / document->duration) * document->duration : moment);
            added_velocity(now, &self, at, plus);
            now->clock = held;
            t->plus_x[i] = plus[0]; t->plus_y[i] = plus[1]; t->plus_z[i] = plus[2];
            for (int c = 0; c < 3; c++) v[c] = plan->own[c] * v[c] + plus[c];
        }
        for (int r = 0; r < plan->rule_count; r++) {
            int when = plan->layer->offspring.rules.items[r].when;
            if (when == 0 && happens(now, r, own, 0, 3e38)) tell(now, r, t->born[i], i, 0, p, v, UP, -1);
            if (when >= 5) tell_strikes(now, r, i, own, 0, -1, v);
        }
    }
}

/* Remembers where each particle is, for the ribbons behind it. */
static void remember(Now *now) {
    Track *track = now->track;
    const Plan *plan = now->plan;
    Table *t = &track->table;
    memset(track->used, 0, (size_t)plan->capacity);
    for (int i = 0; i < track->count; i++) if (t->slot[i] >= 0) track->used[t->slot[i]] = 1;
    int free_slot = 0;
    for (int i = 0; i < track->count; i++) {
        if (t->slot[i] < 0) {
            while (track->used[free_slot]) free_slot++;
            t->slot[i] = free_slot;
            track->used[free_slot] = 1;
            track->trail_since[free_slot] = (int32_t)now->step;
        }
        float *at = track->trail[(size_t)t->slot[i] * (size_t)plan->trail_steps + (size_t)((now->step % plan->trail_steps + plan->trail_steps) % plan->trail_steps)];
        at[0] = t->px[i]; at[1] = t->py[i]; at[2] = t->pz[i];
    }
}

static void step_layer(PalePlay *play, int index, i64 step, const PaleWorld *world) {
    const Plan *plan = &play->effect->plans[index];
    const Document *document = &play->effect->document;
    Track *track = &play->tracks[index];
    Now now;
    memset(&now, 0, sizeof now);
    now.play = play; now.world = world; now.plan = plan; now.track = track; now.layer = index; now.step = step;
    now.begin = (double)(step - 1) * plan->h; now.time = (double)step * plan->h;
    double moment = now.time * plan->clock;
    now.clock = (float)(document->loop ? moment - floor(moment / document->duration) * document->duration : moment);
    now.still = is_still(play, plan);
    PaleFrame was = layer_at(play, plan, play->begin), is = now.still ? was : layer_at(play, plan, play->end);
    now.stands = is;
    if (step == play->effect->first + 1 || step == plan->first + 1) {
        for (int c = 0; c < 3; c++) track->far |= plan->world && fabs(is.place[c]) > 256;
    }
    for (int c = 0; c < 3; c++) {
        now.gravity[c] = (float)(plan->layer->forces.gravity[c] + (plan->world ? play->gravity[c] : 0));
        now.wind[c] = (float)(plan->layer->forces.wind[c] + (plan->world ? play->wind[c] : 0));
    }
    PaleFrame middle = plan->world && plan->force_count && !now.still ? layer_at(play, plan, 0.5 * (play->begin + play->end)) : is;
    for (int j = 0; j < plan->force_count; j++) track->frames[j] = plan->world ? middle : HERE;
    for (int r = 0; r < plan->rule_count; r++) track->per_step[r] = 0;
    take_surfaces(&now, world, &was, &is);
    int plain = plan->everyday && !now.surface_count && !track->far;
    track->count = plain ? advance_plain(&now, track->count) : advance(&now, 0, track->count, 0, 0);
    int asked = take_births(&now);
    if (asked) {
        int kept = admit(&now, asked);
        tell_births(&now, kept);
        track->count = advance(&now, kept, track->count, kept, 1);
    }
    if (track->pending_count) keep_pending(&now);
    if (plan->layer->outlet.anew) {
        PaleFrame frame = plan->world ? is : HERE;
        for (int i = 0; i < track->count; i++) {
            Spot at;
            double p[3];
            birth_spot(plan, (track->table.number[i] & plan->mask) ^ ((u64)step * STRIDE), &at);
            turned(frame.axes, at.place[0], at.place[1], at.place[2], p);
            track->table.px[i] = (float)(p[0] + frame.place[0]); track->table.py[i] = (float)(p[1] + frame.place[1]); track->table.pz[i] = (float)(p[2] + frame.place[2]);
        }
    }
    if (plan->trail_steps) remember(&now);
    if (plan->history) {
        const PaleRibbonLook *ribbon = &plan->layer->look.ribbon;
        for (int which = 0; which < 2; which++) {
            PaleFrame frame = named_at(play, plan, which ? ribbon->second : ribbon->first, play->end);
            for (int c = 0; c < 3; c++) track->history[(step % plan->history + plan->history) % plan->history][which][c] = (float)frame.place[c];
        }
    }
}

static void take_world(PalePlay *play, const PaleWorld *world, i64 step) {
    const Document *document = &play->effect->document;
    PaleMoving here = {HERE, HERE};
    play->begin = (double)(step - 1) * document->tempo / document->steps;
    play->end = (double)step * document->tempo / document->steps;
    play->stands = world ? told_moving(play, &world->effect) : here;
    for (int i = 0; i < document->places.count; i++) play->places[i] = world && world->places ? told_moving(play, &world->places[i]) : play->stands;
    for (int c = 0; c < 3; c++) { play->gravity[c] = world ? world->gravity[c] : 0; play->wind[c] = world ? world->wind[c] : 0; }
}

void pale_step(PalePlay *play, const PaleWorld *world) {
    const PaleEffect *effect = play->effect;
    i64 step = ++play->step;
    take_world(play, world, step);
    for (int i = 0; i < effect->count; i++) {
        int index = effect->order[i];
        if (step > effect->plans[index].first) step_layer(play, index, step, world);
    }
}

/* world: as it stands all the time before the start; or world_at gives it step by step. */
static PalePlay *begin(const PaleEffect *effect, const PaleWorld *world, PaleWorldAt world_at, void *user, void *memory, size_t bytes) {
    if (!memory || bytes < pale_play_memory(effect)) return NULL;
    Room room = {memory, 0};
    PalePlay *play = lay_out(effect, &room);
    play->before = !world_at;
    for (int i = 0; i < effect->count; i++) {
        const Plan *plan = &effect->plans[i];
        begin_waits(effect, plan, &play->tracks[i]);
        play->tracks[i].history_since = plan->first + 1;
        if (plan->layer->outlet.per_metre <= 0) continue;
        double piece_time = plan->h / 4 / plan->layer->tempo;
        for (i64 mark = plan->first * 4; mark < 0; mark++) {
            i64 loop, step = mark / 4 + (mark % 4 == 0);
            if (mark == plan->first * 4 || mark % 4 == 0) take_world(play, world_at ? world_at(step, user) : world, step);
            looped(&effect->document, (double)mark * piece_time, &loop);
            PaleFrame a = layer_in(play, plan, (double)mark * piece_time, loop), b = layer_in(play, plan, (double)(mark + 1) * piece_time, loop);
            play->tracks[i].come -= sqrt(pow(b.place[0] - a.place[0], 2) + pow(b.place[1] - a.place[1], 2) + pow(b.place[2] - a.place[2], 2));
        }
    }
    play->step = effect->first;
    while (play->step < 0) pale_step(play, world_at ? world_at(play->step + 1, user) : world);
    play->before = 0;
    return play;
}

PalePlay *pale_begin(const PaleEffect *effect, const PaleWorld *world, void *memory, size_t bytes) {
    return begin(effect, world, NULL, NULL, memory, bytes);
}

PalePlay *pale_begin_moving(const PaleEffect *effect, PaleWorldAt world_at, void *user, void *memory, size_t bytes) {
    return begin(effect, NULL, world_at, user, memory, bytes);
}

double pale_time(const PalePlay *play) { return (double)play->step / play->effect->document.steps; }
void pale_strength(PalePlay *play, double share) { play->strength = within(share, 0, 1); }
i64 pale_left_out(const PalePlay *play) { return play->left_out; }

int pale_alive(const PalePlay *play, int layer) {
    int sum = 0;
    for (int i = 0; i < play->effect->count; i++) if (layer < 0 || layer == i) sum += play->tracks[i].count;
    return sum;
}

int pale_finished(const PalePlay *play) {
    const PaleEffect *effect = play->effect;
    if (pale_alive(play, -1)) return 0;
    for (int i = 0; i < effect->count; i++) {
        const Plan *plan = &effect->plans[i];
        const Outlet *outlet = &plan->layer->outlet;
        double now = (double)play->step * plan->h, last = most_of(&outlet->rate) > 0 || outlet->per_metre > 0 ? plan->start + plan->span : 0;
        if (play->tracks[i].pending_count) return 0;
        for (int b = 0; b < outlet->bursts.count; b++) last = most(last, outlet->bursts.items[b].first_at + (outlet->bursts.items[b].times - 1) * outlet->bursts.items[b].every);
        if (play->strength > 0 && last > 0 && (effect->document.loop || now < last)) return 0;
    }
    return 1;
}

/* ---- looks: sizes, colours and pictures from a particle's age and number; nothing of it is kept ---- */

typedef struct {
    float wide, high, deep, width, bright, solid, factor, turned, frames, hue[3], aside[9], named[8]; /* aside: streak to scroll y */
} Shown;

static void show_lane(const CLane *lane, float value, Shown *shown) {
    switch (lane->drives) {
    case D_SIZE: shown->width *= value; break;
    case D_WIDTH: shown->wide *= value; break;
    case D_HEIGHT: shown->high *= value; break;
    case D_DEPTH: shown->deep *= value; break;
    case D_BRIGHTNESS: shown->bright *= value; break;
    case D_OPACITY: shown->solid *= value; break;
    case D_SPEED: shown->factor *= value; break;
    case D_ANGLE: shown->turned += value; break;
    case D_FRAME: shown->frames += value; break;
    case D_NAMED: if (lane->name >= 0) shown->named[lane->name] += value; break;
    case D_DISSOLVE: case D_SCROLL_X: case D_SCROLL_Y: shown->aside[lane->drives - D_STREAK] += value; break;
    default:
        if (lane->drives >= D_STREAK && lane->drives <= D_SHIMMER) /* factors, told as change on top of 1 */
            shown->aside[lane->drives - D_STREAK] = (shown->aside[lane->drives - D_STREAK] + 1) * value - 1;
    }
}

static float frame_of(const Plan *plan, u64 number, float age, double elapsed) {
    const PaleLook *look = &plan->layer->look;
    float frames = (float)plan->frames;
    if (look->play == PALE_ONE_AT_RANDOM) return floorf(draw(plan->key, number, 14) * frames);
    if (look->play == PALE_BY_CLOCK) {
        double turns = elapsed * look->fps / plan->frames;
        return (float)((turns - floor(turns)) * plan->frames);
    }
    if (look->play == PALE_FLICKER) return floorf(draw(plan->key, number ^ ((u64)floored(most(elapsed * look->fps, 0)) << 20), 14) * frames);
    return leastf(age * frames, frames - 1e-3f);
}

static float round_about(float frame, int frames) {
    float total = (float)frames;
    return leastf(frame - floorf(frame / total) * total, total - 1e-3f);
}

/* What one row of a table looks like `ahead` s of the layer after `time`. velocity: what it is at an event, else NULL. pose: of a local
 * layer, else NULL. */
static void appear(const PalePlay *play, const Plan *plan, const Track *track, int i, double time, double ahead, const PaleFrame *pose, const double *velocity, PaleParticle *out) {
    const Table *t = &track->table;
    const Layer *layer = plan->layer;
    const Birth *birth = &layer->birth;
    const Document *document = &play->effect->document;
    u64 key = plan->key, number = t->number[i] & plan->mask;
    double now = time * plan->clock, elapsed = time + ahead - t->born[i];
    float clock = (float)(document->loop ? now - floor(now / document->duration) * document->duration : now), step = (float)ahead;
    float share = (float)elapsed / mostf(t->life[i], 1e-9f);
    memset(out, 0, sizeof *out);
    if (t->aged) share += t->aged[i];
    share = withinf(share, 0, 1);
    float v[3] = {t->vx[i], t->vy[i], t->vz[i]}, plus[3] = {0, 0, 0}, s[3];
    if (velocity) for (int c = 0; c < 3; c++) v[c] = (float)velocity[c];
    else if (t->plus_x) {
        for (int c = 0; c < 3; c++) v[c] *= plan->own[c];
        plus[0] = t->plus_x[i]; plus[1] = t->plus_y[i]; plus[2] = t->plus_z[i];
    }
    for (int c = 0; c < 3; c++) s[c] = v[c] + plus[c];
    float gone = t->travelled ? t->travelled[i] : 0, quick = sqrtf(s[0] * s[0] + s[1] * s[1] + s[2] * s[2]);
    Shown shown;
    memset(&shown, 0, sizeof shown);
    shown.factor = 1;
    shown.width = of_range(&birth->size, key, number, 8) * (float)layer->scale;
    shown.bright = of_range(&birth->brightness, key, number, 12);
    shown.solid = of_range(&birth->opacity, key, number, 13);
    shown.turned = of_range(&birth->angle, key, number, 9) + of_range(&birth->spin, key, number, 10) * (float)elapsed + (t->turned ? t->turned[i] : 0);
    shown.wide = of_range(&birth->stretch.x, key, number, 22);
    shown.high = (float)birth->aspect * of_range(&birth->stretch.y, key, number, 23);
    shown.deep = of_range(&birth->stretch.z, key, number, 24);
    const Tints *tint = &birth->tint;
    float pick = draw(key, number, 11);
    if (tint->gradient) hue_at(tint->gradient, pick, shown.hue);
    else for (int c = 0; c < 3; c++) shown.hue[c] = (float)tint->first[c] + ((float)tint->second[c] - (float)tint->first[c]) * pick;
    if (t->kin_rule && t->kin_rule[i] >= 0) {
        const Feed *feed = &plan->feeds[t->kin_rule[i]];
        const Rule *rule = &play->effect->layers[feed->parent]->offspring.rules.items[feed->rule];
        const float of_colour = (float)rule->colour, kin[3] = {t->kin_red[i], t->kin_green[i], t->kin_blue[i]};
        shown.width += (t->kin_size[i] - shown.width) * (float)rule->size;
        for (int c = 0; c < 3; c++) shown.hue[c] += (kin[c] - shown.hue[c]) * of_colour;
    }
    if (plan->sized) shown.width *= table_at(plan->sized->table, share);
    if (plan->lit) shown.bright *= table_at(plan->lit->table, share);
    if (plan->faded) shown.solid *= table_at(plan->faded->table, share);
    if (plan->paced) shown.factor *= table_at(plan->paced->table, share);
    float hue[3];
    if (layer->life.colour) { hue_at(layer->life.colour, share, hue); for (int c = 0; c < 3; c++) shown.hue[c] *= hue[c]; }
    for (int j = 0; j < plan->shown.count; j++) {
        const CLane *lane = &plan->shown.items[j];
        if (lane->drives == D_COLOUR) {
            if (!lane->colours) continue;
            float on = lane->over == O_AGE ? share : lane->over == O_SPEED ? quick : lane->over == O_DISTANCE ? gone : clock;
            hue_at(lane->colours, (on - lane->low) * lane->scale, hue);
            for (int c = 0; c < 3; c++) shown.hue[c] *= hue[c];
        } else show_lane(lane, lane_value(lane, share, quick, gone, clock, key, number), &shown);
    }
    float p[3] = {t->px[i], t->py[i], t->pz[i]};
    for (int c = 0; c < 3; c++) { v[c] = v[c] * shown.factor + plus[c]; p[c] += v[c] * step; }
    if (pose) {
        double w[3];
        turned(pose->axes, p[0], p[1], p[2], w);
        for (int c = 0; c < 3; c++) p[c] = (float)(w[c] + pose->place[c]);
        turned(pose->axes, v[0], v[1], v[2], w);
        for (int c = 0; c < 3; c++) v[c] = (float)w[c];
    }
    float tempo = (float)(document->tempo * layer->tempo), width = mostf(shown.width, 0), bright = mostf(shown.bright, 0);
    out->number = t->number[i]; out->age = share; out->life = t->life[i] / tempo;
    for (int c = 0; c < 3; c++) { out->position[c] = p[c]; out->velocity[c] = v[c] * tempo; out->colour[c] = shown.hue[c] * bright; }
    out->size[0] = width * shown.wide; out->size[1] = width * shown.high; out->size[2] = width * shown.deep;
    out->angle = shown.turned;
    out->colour[3] = withinf(shown.solid, 0, 1);
    float frame = frame_of(plan, number, share, elapsed) + shown.frames;
    if (most_of(&birth->frame) > 0 || birth->frame.count) frame += floorf(of_range(&birth->frame, key, number, 34));
    out->frame = round_about(frame, plan->frames);
    float *aside = &out->streak; /* streak, dissolve, edge glow, burn, self-lit, warp, shimmer, scroll x and y lie side by side */
    for (int c = 0; c < 9; c++) aside[c] = shown.aside[c];
    memcpy(out->named, shown.named, sizeof out->named);
}

static void look_of(const PalePlay *play, const Plan *plan, const Track *track, int row, double time, const double velocity[3], float *size, float colour[3]) {
    PaleParticle shown;
    appear(play, plan, track, row, time, 0, NULL, velocity, &shown);
    *size = shown.size[0];
    memcpy(colour, shown.colour, 3 * sizeof *colour);
}

/* Lanes over the distance to an eye. */
static void seen_from(const Plan *plan, const double eye[3], PaleParticle *p) {
    double x = p->position[0] - eye[0], y = p->position[1] - eye[1], z = p->position[2] - eye[2];
    float away = (float)sqrt(x * x + y * y + z * z), hue[3];
    Shown shown = {1, 1, 1, 1, 1, 1, 1, 0, 0, {1, 1, 1}, {0}, {0}};
    float *aside = &p->streak;
    memcpy(shown.aside, aside, sizeof shown.aside);
    memcpy(shown.named, p->named, sizeof shown.named);
    for (int j = 0; j < plan->far.count; j++) {
        const CLane *lane = &plan->far.items[j];
        if (lane->drives == D_COLOUR) {
            if (!lane->colours) continue;
            hue_at(lane->colours, (away - lane->low) * lane->scale, hue);
            for (int c = 0; c < 3; c++) shown.hue[c] *= hue[c];
        } else show_lane(lane, lane_value(lane, away, away, away, away, plan->key, p->number & plan->mask), &shown);
    }
    float width = mostf(shown.width, 0), bright = mostf(shown.bright, 0);
    p->size[0] *= width * shown.wide; p->size[1] *= width * shown.high; p->size[2] *= width * shown.deep;
    p->angle += shown.turned;
    for (int c = 0; c < 3; c++) p->colour[c] *= shown.hue[c] * bright;
    p->colour[3] = withinf(p->colour[3] * shown.solid, 0, 1);
    p->frame = round_about(p->frame + shown.frames, plan->frames);
    memcpy(aside, shown.aside, sizeof shown.aside);
    memcpy(p->named, shown.named, sizeof p->named);
}

int pale_particles(const PalePlay *play, int layer, double ahead, const double eye[3], PaleParticle *out, int room) {
    if (layer < 0 || layer >= play->effect->count) return 0;
    const Plan *plan = &play->effect->plans[layer];
    const Document *document = &play->effect->document;
    const Track *track = &play->tracks[layer];
    double now = (double)play->step * document->tempo / document->steps, later_by = ahead * document->tempo;
    PaleFrame stands = layer_at(play, plan, now + later_by);
    int count = track->count < room ? track->count : room;
    for (int i = 0; i < count; i++) {
        appear(play, plan, track, i, now * plan->layer->tempo, later_by * plan->layer->tempo, plan->world ? NULL : &stands, NULL, &out[i]);
        if (eye && plan->far.count) seen_from(plan, eye, &out[i]);
    }
    return count;
}

/* ---- a tree of boxes over triangles (Lauterbach et al., Fast BVH Construction on GPUs, Computer Graphics Forum 28, 2009) ---- */

#define LEAF 4

static int nodes_over(int count) { return count <= LEAF ? 1 : 1 + nodes_over(count / 2) + nodes_over(count - count / 2); }

typedef struct { u64 code; int face; } Coded;

size_t pale_tree_memory(int triangles) {
    if (triangles < 0) return 0;
    Room room = {NULL, 0};
    piece(&room, 1, sizeof(PaleTree));
    piece(&room, (size_t)nodes_over(triangles), sizeof(TreeNode));
    piece(&room, (size_t)triangles, sizeof(double[9]));
    piece(&room, (size_t)triangles, sizeof(Coded));
    return room.used;
}

static u64 spread_bits(u64 x) {
    x = (x | x << 32) & 0x1F00000000FFFFull;
    x = (x | x << 16) & 0x1F0000FF0000FFull;
    x = (x | x << 8) & 0x100F00F00F00F00Full;
    x = (x | x << 4) & 0x10C30C30C30C30C3ull;
    return (x | x << 2) & 0x1249249249249249ull;
}

/* Fills the node at `at` and all below it over triangles `first` to `last`; the node behind them. */
static int grow(PaleTree *tree, int at, int first, int last) {
    TreeNode *node = &tree->nodes[at];
    for (int c = 0; c < 3; c++) { node->low[c] = 1e300; node->high[c] = -1e300; }
    for (int i = first; i < last; i++)
        for (int k = 0; k < 9; k++) {
            node->low[k % 3] = least(node->low[k % 3], tree->triangles[i][k]);
            node->high[k % 3] = most(node->high[k % 3], tree->triangles[i][k]);
        }
    int count = last - first, next = at + 1;
    node->first = first;
    node->count = count <= LEAF ? count : 0;
    if (count > LEAF) {
        next = grow(tree, next, first, first + count / 2);
        next = grow(tree, next, first + count / 2, last);
    }
    return tree->nodes[at].skip = next;
}

const PaleTree *pale_tree(const PaleMesh *mesh, const double scale[3], void *memory, size_t bytes) {
    int count = mesh->triangles;
    if (!memory || count < 0 || bytes < pale_tree_memory(count)) return NULL;
    for (int i = 0; i < 3 * count; i++) if (mesh->indices[i] >= (uint32_t)mesh->vertices) return NULL;
    Room room = {memory, 0};
    PaleTree *tree = piece(&room, 1, sizeof *tree);
    tree->nodes = piece(&room, (size_t)nodes_over(count), sizeof *tree->nodes);
    tree->triangles = piece(&room, (size_t)count, sizeof *tree->triangles);
    Coded *codes = piece(&room, (size_t)count, sizeof *codes);
    tree->node_count = nodes_over(count);
    tree->triangle_count = count;
    double low[3] = {1e300, 1e300, 1e300}, high[3] = {-1e300, -1e300, -1e300}, span = 1e-30;
#define CORNER(f, k, c) ((double)mesh->positions[3 * mesh->indices[3 * (f) + (k)] + (uint32_t)(c)] * (scale ? scale[c] : 1))
#define MIDDLE(f, c) ((CORNER(f, 0, c) + CORNER(f, 1, c) + CORNER(f, 2, c)) / 3)
    for (int f = 0; f < count; f++)
        for (int c = 0; c < 3; c++) { low[c] = least(low[c], MIDDLE(f, c)); high[c] = most(high[c], MIDDLE(f, c)); }
    for (int c = 0; c < 3; c++) span = most(span, high[c] - low[c]);
    for (int f = 0; f < count; f++) {
        codes[f].code = 0;
        codes[f].face = f;
        for (int c = 0; c < 3; c++) codes[f].code |= spread_bits((u64)within((MIDDLE(f, c) - low[c]) / span * 2097151, 0, 2097151)) << c;
    }
    for (int gap_of = count / 2; gap_of > 0; gap_of = gap_of == 2 ? 1 : (int)(gap_of / 2.2))
        for (int i = gap_of; i < count; i++) {
            Coded one = codes[i];
            int k = i;
            for (; k >= gap_of && (codes[k - gap_of].code > one.code || (codes[k - gap_of].code == one.code && codes[k - gap_of].face > one.face)); k -= gap_of)
                codes[k] = codes[k - gap_of];
            codes[k] = one;
        }
    for (int i = 0; i < count; i++)
        for (int k = 0; k < 9; k++) tree->triangles[i][k] = CORNER(codes[i].face, k / 3, k % 3);
    grow(tree, 0, 0, count);
    return tree;
}

/* ---- drawing ---- */

#define BRIGHTEST 2000.0f /* brighter than this nothing looks any brighter */
#define FINEST (1.0 / 120) /* s between points of a place's way */
#define MOST_LAMPS 8
#define PER_AREA 0.12 /* light received a metre from a square metre of brightness 1 */



typedef struct { /* memory for one picture, and what is made in it */
    const PalePlay *play;
    const PaleCamera *camera;
    double time; /* s of the effect */
    double ahead;
    PaleDraw *draw;
    PaleRun *runs;
    PaleInstance *instances;
    PaleVertex *vertices;
    PaleLamp *lamps;
    PaleParticle *particles;
    Point *points;
    double *come;
    uint32_t *order, *spare;
    uint16_t *keys;
    int lamp_room;
} Picture;

static int solid_look(const PaleLook *look) { return look->blend == PALE_CUT_OUT && look->drawn_as <= PALE_MESH; }
static int trails(const PaleLook *look) { return look->trail && look->drawn_as <= PALE_MESH; }
static int is_strip(const PaleLook *look) { return look->drawn_as >= PALE_RIBBON; }

/* Strips of a layer at most, and points of all of them. */
static void strip_room(const PalePlay *play, int layer, size_t *strips, size_t *points) {
    const Plan *plan = &play->effect->plans[layer];
    const PaleLook *look = &plan->layer->look;
    size_t count = (size_t)play->tracks[layer].count;
    *strips = *points = 0;
    if (look->drawn_as == PALE_BEAM) {
        size_t branches = look->beam.kinks > 0 ? (size_t)look->beam.branches : 0;
        *strips = count * (1 + branches);
        *points = *strips * (MOST_POINTS + 1);
    } else if (trails(look) || (look->drawn_as == PALE_RIBBON && look->ribbon.path == BEHIND_EACH)) {
        *strips = count;
        *points = count * ((size_t)plan->trail_steps + 2);
    } else if (look->drawn_as == PALE_RIBBON) {
        *strips = 1;
        *points = look->ribbon.path == THROUGH_ALL ? count : MOST_POINTS;
    }
    if (look->drawn_as != PALE_BEAM && *strips && look->ribbon.kinks > 0) *points += (*strips + 1) * (MOST_POINTS + 1);
}

static void lay_picture(const PalePlay *play, Picture *picture, Room *room) {
    const PaleEffect *effect = play->effect;
    size_t instances = 0, vertices = 0, widest = 1, points = 1, lamps = 1;
    for (int i = 0; i < effect->count; i++) {
        const PaleLook *look = &effect->plans[i].layer->look;
        size_t count = (size_t)play->tracks[i].count, strips, own;
        if (!effect->layers[i]->drawn) continue;
        strip_room(play, i, &strips, &own);
        if (count > widest) widest = count;
        if (own > points) points = own;
        vertices += 2 * own + 2 * strips;
        if (!is_strip(look)) instances += count;
        lamps += 1 + (size_t)look->light.lamps;
    }
    picture->lamp_room = (int)lamps;
    picture->draw = piece(room, 1, sizeof *picture->draw);
    picture->runs = piece(room, 2 * (size_t)effect->count + 1, sizeof *picture->runs);
    picture->instances = piece(room, instances, sizeof *picture->instances);
    picture->vertices = piece(room, vertices, sizeof *picture->vertices);
    picture->lamps = piece(room, lamps, sizeof *picture->lamps);
    picture->particles = piece(room, widest, sizeof *picture->particles);
    picture->points = piece(room, points, sizeof *picture->points);
    picture->come = piece(room, points > widest ? points : widest, sizeof *picture->come);
    picture->order = piece(room, widest, sizeof *picture->order);
    picture->spare = piece(room, widest, sizeof *picture->spare);
    picture->keys = piece(room, widest, sizeof *picture->keys);
}

size_t pale_draw_memory(const PalePlay *play) {
    Room room = {NULL, 0};
    Picture picture;
    lay_picture(play, &picture, &room);
    return room.used;
}

/* The order of numbers, the greatest first, by the 65,536th part of their span; equal ones stay as they are. */
static void greatest_first(Picture *picture, const float *values, int count) {
    float low = 3e38f, high = -3e38f;
    uint32_t *from = picture->order, *to = picture->spare;
    for (int i = 0; i < count; i++) { low = leastf(low, values[i]); high = mostf(high, values[i]); }
    float scale = (float)(65535.0 / most((double)high - (double)low, 1e-12));
    for (int i = 0; i < count; i++) { picture->keys[i] = (uint16_t)withinf((high - values[i]) * scale, 0, 65535); from[i] = (uint32_t)i; }
    for (int shift = 0; shift < 16; shift += 8) {
        uint32_t starts[257] = {0};
        for (int i = 0; i < count; i++) starts[(picture->keys[from[i]] >> shift & 255) + 1]++;
        for (int i = 0; i < 256; i++) starts[i + 1] += starts[i];
        for (int i = 0; i < count; i++) to[starts[picture->keys[from[i]] >> shift & 255]++] = from[i];
        uint32_t *was = from; from = to; to = was;
    }
}

static float own_share(u64 number) { return (float)((uint32_t)((number * 0x9E3779B1ull) >> 12) % 4096u) / 4096.0f; }

static float streak_of(const Plan *plan, const PaleParticle *p) {
    return of_range(&plan->layer->look.streak, plan->key, p->number & plan->mask, 39) * (1 + p->streak);
}

static double widened(const PaleCamera *camera, double width, double away) {
    return camera->pixels_high > 0 ? most(1.2 * most(away, 0.05) / (camera->pixels_high * most(width, 1e-9)), 1) : 1;
}


/* How a card stands: units across and up. */
static void stand(const Picture *picture, const PaleLook *look, const double *axes, const double place[3], const double motion[3], double across[3], double up[3]) {
    const PaleCamera *camera = picture->camera;
    double speed = length_of(motion), face[3], lean[3] = {0, 1, 0}, size;
    memcpy(across, camera->right, 3 * sizeof *across);
    memcpy(up, camera->up, 3 * sizeof *up);
    switch (look->facing) {
    case PALE_UPRIGHT:
        for (int c = 0; c < 3; c++) { up[c] = c == 1; face[c] = camera->eye[c] - place[c]; }
        cross(up, face, across);
        across[0] += 1e-6;
        size = most(length_of(across), 1e-12);
        for (int c = 0; c < 3; c++) across[c] /= size;
        break;
    case PALE_ALONG_MOTION:
        for (int c = 0; c < 3; c++) { lean[c] = motion[c] / most(speed, 1e-6); face[c] = place[c] - camera->eye[c]; }
        double side[3];
        cross(lean, face, side);
        size = length_of(side);
        if (speed > 1e-4 && size > 1e-5) for (int c = 0; c < 3; c++) { across[c] = side[c] / size; up[c] = lean[c]; }
        break;
    case PALE_ACROSS_MOTION:
        for (int c = 0; c < 3; c++) face[c] = speed > 1e-4 ? motion[c] / speed : camera->forward[c];
        if (!(fabs(face[1]) < 0.99)) { lean[0] = 1; lean[1] = 0; }
        cross(lean, face, across);
        size = most(length_of(across), 1e-12);
        for (int c = 0; c < 3; c++) across[c] /= size;
        cross(face, across, up);
        break;
    case PALE_FLAT:
        for (int c = 0; c < 3; c++) { across[c] = c == 0; up[c] = c == 2 ? -1 : 0; }
        break;
    case PALE_FREE:
        for (int c = 0; c < 3; c++) { across[c] = axes[3 * c]; up[c] = axes[3 * c + 1]; }
        break;
    default: break;
    }
}

static void wear(const PaleLook *look, const PaleParticle *p, float out[4]) {
    out[0] = out[1] = out[2] = out[3] = 0;
    if (!look) return;
    out[0] = (float)look->dissolve.amount + (p ? p->dissolve : 0);
    out[1] = (float)look->dissolve.burn * (1 + (p ? p->burn : 0));
    out[2] = (float)look->surface.edge_glow * (1 + (p ? p->edge_glow : 0));
    out[3] = (float)look->surface.warp_by * (1 + (p ? p->warp : 0));
}

static void grow_bounds(PaleDraw *draw, const float place[3], double reach) {
    for (int c = 0; c < 3; c++) { draw->low[c] = least(draw->low[c], place[c] - reach); draw->high[c] = most(draw->high[c], place[c] + reach); }
}

static void make_instance(Picture *picture, const Plan *plan, const double *axes, const PaleParticle *p, PaleInstance *out) {
    const PaleLook *look = &plan->layer->look;
    const PaleCamera *camera = picture->camera;
    double place[3], motion[3], across[3], up[3], face[3], size[3], angle = radians(p->angle), wider = 1, depth = 0;
    memset(out, 0, sizeof *out);
    for (int c = 0; c < 3; c++) { place[c] = p->position[c]; motion[c] = p->velocity[c]; size[c] = p->size[c]; depth += (place[c] - camera->eye[c]) * camera->forward[c]; }
    stand(picture, look, axes, place, motion, across, up);
    cross(across, up, face);
    float own = own_share(p->number);
    if (look->drawn_as == PALE_SPRITE) {
        if (look->facing == PALE_ALONG_MOTION) size[1] += length_of(motion) * streak_of(plan, p);
        else for (int c = 0; c < 3; c++) {
            double x = across[c] * cos(angle) + up[c] * sin(angle);
            up[c] = up[c] * cos(angle) - across[c] * sin(angle);
            across[c] = x;
        }
        if (look->blend != PALE_CUT_OUT) {
            double wide = widened(camera, size[0], depth), high = widened(camera, size[1], depth);
            size[0] *= wide; size[1] *= high;
            wider = wide * high;
        }
        for (int c = 0; c < 3; c++) {
            out->across[c] = (float)(across[c] * size[0]); out->upward[c] = (float)(up[c] * size[1]); out->face[c] = (float)face[c];
            out->place[c] = (float)(place[c] - 0.5 * look->pivot * up[c] * size[1]);
        }
    } else {
        /* An axis of its own from its own number, or its height; turned about it in its own axes, then stood up. */
        double dice = 2 * PI * own, tilt = fmod(own * 97.31, 1) * 2 - 1, flat = sqrt(most(1 - tilt * tilt, 0));
        double a[3] = {0, 1, 0}, s = sin(angle), k = cos(angle), l = 1 - k;
        if (look->solid.tumbles) { a[0] = cos(dice) * flat; a[1] = tilt; a[2] = sin(dice) * flat; }
        double m[9] = {k + a[0] * a[0] * l, a[0] * a[1] * l - a[2] * s, a[0] * a[2] * l + a[1] * s, a[1] * a[0] * l + a[2] * s, k + a[1] * a[1] * l,
                       a[1] * a[2] * l - a[0] * s, a[2] * a[0] * l - a[1] * s, a[2] * a[1] * l + a[0] * s, k + a[2] * a[2] * l};
        for (int c = 0; c < 3; c++) {
            float *columns[3] = {out->across, out->upward, out->face};
            for (int j = 0; j < 3; j++) columns[j][c] = (float)((across[c] * m[j] + up[c] * m[3 + j] + face[c] * m[6 + j]) * size[j]);
            out->place[c] = (float)place[c];
        }
    }
    for (int c = 0; c < 3; c++) out->colour[c] = leastf(p->colour[c], BRIGHTEST);
    out->colour[3] = p->colour[3] / (float)wider;
    float now = floorf(p->frame), frames = (float)plan->frames;
    int follows = plan->frames > 1 && look->drawn_as == PALE_SPRITE && look->play <= PALE_BY_CLOCK && look->between != PALE_CUT;
    out->frame = now;
    out->next_frame = look->play == PALE_BY_CLOCK ? fmodf(now + 1, frames) : leastf(now + 1, frames - 1);
    out->next_share = follows ? p->frame - now : 0;
    wear(look, p, out->wearing);
    double real = picture->time / picture->play->effect->document.tempo;
    out->running[0] = (float)(look->surface.scroll[0] * real + p->scroll[0] + look->surface.scatter * own);
    out->running[1] = (float)(look->surface.scroll[1] * real + p->scroll[1] + look->surface.scatter * own * 1.7);
    out->running[2] = (float)look->surface.shimmer * (1 + p->shimmer);
    out->running[3] = own;
    if (look->light.self_lit > 0) {
        float hue[3];
        hue_at(look->light.self_colour, p->age, hue);
        for (int c = 0; c < 3; c++) out->self_lit[c] = withinf(hue[c] * (float)look->light.self_lit * (1 + p->self_lit), 0, BRIGHTEST);
    }
    out->cools = (float)look->surface.ramp_cools * p->age;
    for (int c = 0; c < 3; c++) out->motion[c] = p->velocity[c];
    out->age = p->age;
    grow_bounds(picture->draw, out->place, 0.5 * sqrt(size[0] * size[0] + size[1] * size[1] + size[2] * size[2]));
}

/* Widths, colours and texture coordinates of a ribbon along its path. p: its particle, or NULL. */
static void lay_ribbon(Picture *picture, const Plan *plan, Point *points, int count, const PaleParticle *p) {
    const PaleRibbonLook *ribbon = &plan->layer->look.ribbon;
    const Birth *birth = &plan->layer->birth;
    double tint[3] = {0, 0, 0};
    if (!p)
        for (int c = 0; c < 3; c++) {
            if (birth->tint.gradient) for (int s = 0; s < SAMPLES; s++) tint[c] += (double)birth->tint.gradient->table[s][c] / SAMPLES;
            else tint[c] = 0.5 * (birth->tint.first[c] + birth->tint.second[c]);
            tint[c] *= middle_of(&birth->brightness);
        }
    come_along(points, count, picture->come);
    for (int i = 0; i < count; i++) {
        double share = picture->come[i] / most(picture->come[count - 1], 1e-12), taper, hue[3];
        pale_curve(ribbon->taper, share, &taper);
        pale_gradient(ribbon->colours, share, hue);
        points[i].width = (float)((p ? (double)p->size[0] : middle_of(&birth->size) * plan->layer->scale) * ribbon->width * taper);
        for (int c = 0; c < 3; c++) points[i].colour[c] = (float)((p ? (double)p->colour[c] : tint[c]) * hue[c]);
        points[i].colour[3] = p ? p->colour[3] : (float)least(middle_of(&birth->opacity), 1);
        points[i].along = (float)(ribbon->texture == 1 ? picture->come[i] / ribbon->tile : share);
    }
}

/* Throws a ribbon aside by its kinks: evenly by metres, in as many pieces as are a power of two, behind its points. */
static int kink_ribbon(Picture *picture, const Plan *plan, Point **points, int count, u64 number) {
    const PaleRibbonLook *ribbon = &plan->layer->look.ribbon;
    Point *from = *points, *to = from + count;
    float thrown[MOST_POINTS + 1][2], light;
    u64 strike;
    if (ribbon->kinks <= 0 || count < 2) return count;
    strike_at(plan, ribbon->strikes, ribbon->fade, number, picture->time, &strike, &light);
    int deep = (int)ceil(log2(count - 1 > 64 ? count - 1 : 64)), pieces = deep > 9 ? MOST_POINTS : 1 << deep, after = 1;
    kinks_of(strike, pieces + 1, thrown);
    come_along(from, count, picture->come);
    for (int k = 0; k <= pieces; k++) {
        double at = picture->come[count - 1] * k / pieces;
        while (after < count - 1 && picture->come[after] <= at) after++;
        const Point *a = &from[after - 1], *b = &from[after];
        double share = least((at - picture->come[after - 1]) / most(picture->come[after] - picture->come[after - 1], 1e-12), 1);
        Point *made = &to[k];
        for (int c = 0; c < 3; c++) {
            made->place[c] = a->place[c] + (b->place[c] - a->place[c]) * share;
            made->side[c] = (float)(a->side[c] + ((double)b->side[c] - a->side[c]) * share);
        }
        for (int c = 0; c < 4; c++) made->colour[c] = (float)(a->colour[c] + ((double)b->colour[c] - a->colour[c]) * share);
        made->colour[3] *= light;
        made->width = (float)(a->width + ((double)b->width - a->width) * share);
        made->along = (float)(a->along + ((double)b->along - a->along) * share);
    }
    double before[3], here[3], side[3], rise[3], reach = least(ribbon->kinks, 0.25 * picture->come[count - 1]);
    memcpy(before, to[0].place, sizeof before);
    for (int k = 0; k <= pieces; k++) {
        across_path(before, to[k < pieces ? k + 1 : k].place, side, rise);
        memcpy(here, to[k].place, sizeof here);
        for (int c = 0; c < 3; c++) to[k].place[c] += reach * (side[c] * thrown[k][0] + rise[c] * thrown[k][1]);
        memcpy(before, here, sizeof before);
    }
    *points = to;
    return pieces + 1;
}

/* Adds a strip of triangles along points, joined to the one before by corners that cover nothing. */
static void add_strip(Picture *picture, const PaleLook *look, const Point *points, int count, const PaleParticle *p) {
    PaleDraw *draw = picture->draw;
    const PaleCamera *camera = picture->camera;
    float worn[4];
    if (count < 2) return;
    wear(look, p, worn);
    PaleVertex *first = &picture->vertices[draw->vertex_count], *at = first + 1;
    for (int i = 0; i < count; i++) {
        const Point *a = &points[i ? i - 1 : 0], *b = &points[i + 1 < count ? i + 1 : i];
        double way[3], side[3], eye[3], depth = 0, size;
        for (int c = 0; c < 3; c++) {
            way[c] = b->place[c] - a->place[c];
            side[c] = points[i].side[c];
            eye[c] = camera->eye[c] - points[i].place[c];
            depth -= eye[c] * camera->forward[c];
        }
        size = most(length_of(way), 1e-12);
        for (int c = 0; c < 3; c++) way[c] /= size;
        if (side[0] * side[0] + side[1] * side[1] + side[2] * side[2] < 1e-6) {
            cross(way, eye, side);
            size = most(length_of(side), 1e-6);
            for (int c = 0; c < 3; c++) side[c] /= size;
        }
        double wider = widened(camera, points[i].width, depth);
        for (int k = 0; k < 2; k++, at++) {
            memset(at, 0, sizeof *at);
            for (int c = 0; c < 3; c++) {
                at->place[c] = (float)(points[i].place[c] + side[c] * points[i].width * wider * (k - 0.5));
                at->colour[c] = leastf(points[i].colour[c], BRIGHTEST);
                at->way[c] = (float)way[c];
                at->side[c] = (float)side[c];
            }
            at->colour[3] = points[i].colour[3] / (float)wider;
            at->width = (float)(points[i].width * wider);
            at->along = points[i].along;
            at->across = (float)k;
            memcpy(at->wearing, worn, sizeof worn);
            grow_bounds(draw, at->place, 0);
        }
    }
    *first = first[1];
    *at = at[-1];
    draw->vertex_count += 2 * count + 2;
}

static void behind_each(Picture *picture, int layer, const PaleLook *look, int count) {
    const PalePlay *play = picture->play;
    const Plan *plan = &play->effect->plans[layer];
    const Track *track = &play->tracks[layer];
    const PaleRibbonLook *ribbon = &plan->layer->look.ribbon;
    double ahead = picture->ahead * play->effect->document.tempo * plan->layer->tempo;
    PaleFrame stands = plan->world ? HERE : layer_at(play, plan, picture->time);
    for (int i = 0; i < count; i++) {
        const PaleParticle *p = &picture->particles[i];
        int slot = track->table.slot[i], many = 1;
        i64 known = play->step - track->trail_since[slot];
        Point *points = picture->points;
        memset(&points[0], 0, sizeof points[0]);
        for (int c = 0; c < 3; c++) points[0].place[c] = p->position[c];
        if (known > plan->trail_steps - 1) known = plan->trail_steps - 1;
        for (i64 back = 1; back <= known; back++) {
            const float *at = track->trail[(size_t)slot * (size_t)plan->trail_steps + (size_t)(((play->step - back) % plan->trail_steps + plan->trail_steps) % plan->trail_steps)];
            double place[3];
            turned(stands.axes, at[0], at[1], at[2], place);
            memset(&points[many], 0, sizeof points[many]);
            for (int c = 0; c < 3; c++) points[many].place[c] = place[c] + stands.place[c];
            many++;
        }
        if (ribbon->measured == 1) come_along(points, many, picture->come);
        else for (int k = 0; k < many; k++) picture->come[k] = k ? k * plan->h + ahead : 0;
        if (picture->come[many - 1] > ribbon->length) {
            int keep = 0;
            while (keep < many && picture->come[keep] < ribbon->length) keep++;
            if (keep < 1) keep = 1;
            double wide = most(picture->come[keep] - picture->come[keep - 1], 1e-12), share = (ribbon->length - picture->come[keep - 1]) / wide;
            for (int c = 0; c < 3; c++) points[keep].place[c] = points[keep - 1].place[c] + (points[keep].place[c] - points[keep - 1].place[c]) * share;
            many = keep + 1;
        }
        lay_ribbon(picture, plan, points, many, p);
        many = kink_ribbon(picture, plan, &points, many, p->number);
        add_strip(picture, look, points, many, look == &plan->layer->look ? p : NULL);
    }
}

static void through_all(Picture *picture, const Plan *plan, int count) {
    Point *points = picture->points;
    if (count < 2) return;
    for (int i = 0; i < count; i++) {
        memset(&points[i], 0, sizeof points[i]);
        for (int c = 0; c < 3; c++) points[i].place[c] = picture->particles[count - 1 - i].position[c];
    }
    lay_ribbon(picture, plan, points, count, NULL);
    for (int i = 0; i < count; i++) {
        const PaleParticle *p = &picture->particles[count - 1 - i];
        double share = (double)i / (count - 1), taper, hue[3];
        pale_curve(plan->layer->look.ribbon.taper, share, &taper);
        pale_gradient(plan->layer->look.ribbon.colours, share, hue);
        points[i].width = (float)(p->size[0] * plan->layer->look.ribbon.width * taper);
        for (int c = 0; c < 3; c++) points[i].colour[c] = (float)(p->colour[c] * hue[c]);
        points[i].colour[3] = p->colour[3];
    }
    count = kink_ribbon(picture, plan, &points, count, 0);
    add_strip(picture, &plan->layer->look, points, count, NULL);
}

/* Where one of a ribbon's two places was at a moment: as it was remembered, straight between steps. */
static void way_at(const Picture *picture, int layer, int which, double time, double out[3]) {
    const PalePlay *play = picture->play;
    const Plan *plan = &play->effect->plans[layer];
    const Track *track = &play->tracks[layer];
    const PaleRibbonLook *ribbon = &plan->layer->look.ribbon;
    const Document *document = &play->effect->document;
    double at = time * document->steps / document->tempo, before = floor(at);
    if (at >= (double)play->step || !plan->history) {
        PaleFrame frame = named_at(play, plan, which ? ribbon->second : ribbon->first, time);
        memcpy(out, frame.place, 3 * sizeof *out);
        return;
    }
    double oldest = (double)play->step - least(plan->history - 1, (double)(play->step - track->history_since));
    if (before < oldest) { before = oldest; at = oldest; }
    i64 one = (i64)before, two = one + 1 <= play->step ? one + 1 : one;
    const float *a = track->history[(one % plan->history + plan->history) % plan->history][which];
    const float *b = track->history[(two % plan->history + plan->history) % plan->history][which];
    for (int c = 0; c < 3; c++) out[c] = a[c] + ((double)b[c] - a[c]) * (at - before);
}

static void behind_places(Picture *picture, int layer) {
    const PalePlay *play = picture->play;
    const Plan *plan = &play->effect->plans[layer];
    const PaleRibbonLook *ribbon = &plan->layer->look.ribbon;
    const Document *document = &play->effect->document;
    int swept = ribbon->path == BETWEEN_ANCHORS, count, many = 0, own = place_named(play, ribbon->first) < 0 || (swept && place_named(play, ribbon->second) < 0);
    double length = ribbon->measured == 0 ? ribbon->length / plan->layer->tempo : 30.0, now = picture->time;
    if (!document->loop || !document->warm) length = least(length, now);
    count = (int)within(ceil(length / FINEST) + 1, 2, MOST_POINTS);
    i64 loop, first_loop;
    looped(document, now, &first_loop);
    Point *points = picture->points;
    for (int i = 0; i < count; i++, many++) {
        double time = now - length * i / (count - 1), at[3], beside_it[3];
        looped(document, time, &loop);
        if (own && plan->keyed && loop != first_loop) break; /* from a loop's end to the next start nothing flew */
        way_at(picture, layer, 0, time, at);
        memset(&points[i], 0, sizeof points[i]);
        memcpy(points[i].place, at, sizeof at);
        if (!swept) continue;
        way_at(picture, layer, 1, time, beside_it);
        double across[3] = {beside_it[0] - at[0], beside_it[1] - at[1], beside_it[2] - at[2]}, wide = length_of(across);
        for (int c = 0; c < 3; c++) { points[i].place[c] = 0.5 * (at[c] + beside_it[c]); points[i].side[c] = (float)(across[c] / most(wide, 1e-12)); }
        points[i].width = (float)wide;
    }
    if (!swept && ribbon->measured == 1) {
        int keep = 0;
        come_along(points, many, picture->come);
        while (keep < many && picture->come[keep] < ribbon->length) keep++;
        if (keep + 1 < 2) keep = 1;
        if (keep + 1 < many) many = keep + 1;
    }
    float widths[MOST_POINTS];
    for (int i = 0; i < many; i++) widths[i] = points[i].width;
    lay_ribbon(picture, plan, points, many, NULL);
    for (int i = 0; swept && i < many; i++) {
        double taper;
        pale_curve(ribbon->taper, many > 1 ? (double)i / (many - 1) : 0, &taper);
        points[i].width = (float)(widths[i] * ribbon->width * taper);
    }
    many = kink_ribbon(picture, plan, &points, many, 0);
    add_strip(picture, &plan->layer->look, points, many, NULL);
}

/* Widths, colours and texture coordinates of a beam, or of a branch, whose points say how far along they are and how thin. */
static void lay_beam(const Picture *picture, const PaleBeamLook *beam, Point *points, int count, const PaleParticle *p, float light) {
    for (int k = 0; k < count; k++) {
        double along = points[k].along, width, hue[3];
        pale_curve(beam->width, along, &width);
        pale_gradient(beam->colours, along, hue);
        points[k].width *= (float)(p->size[0] * width);
        for (int c = 0; c < 3; c++) points[k].colour[c] = (float)(p->colour[c] * hue[c]);
        points[k].colour[3] = p->colour[3] * light;
        points[k].along = (float)(along - beam->scroll * picture->time);
    }
}

static void beams(Picture *picture, int layer, int count) {
    const PalePlay *play = picture->play;
    const Plan *plan = &play->effect->plans[layer];
    const PaleLook *look = &plan->layer->look;
    const PaleBeamLook *beam = &look->beam;
    double control[4][3];
    PaleFrame ends[2];
    int pieces = beam_pieces(play, plan, picture->time, control, ends), branches = beam->kinks > 0 ? beam->branches : 0;
    float thrown[MOST_POINTS + 1][2];
    Point *path = picture->points, *branch = path + MOST_POINTS + 1;
    /* All beams, and then the branches of all. */
    for (int pass = 0; pass < (branches ? 2 * count : count); pass++) {
        const PaleParticle *p = &picture->particles[pass % count];
        u64 strike = 0;
        float light = 1;
        if (beam->kinks > 0) strike_at(plan, beam->strikes, beam->fade, p->number, picture->time, &strike, &light);
        beam_path(plan, picture->time, p->number, strike, control, pieces, path, picture->come, thrown);
        if (pass < count) {
            for (int k = 0; k <= pieces; k++) { path[k].along = (float)((double)k / pieces); path[k].width = 1; }
            lay_beam(picture, beam, path, pieces + 1, p, light);
            add_strip(picture, look, path, pieces + 1, p);
        }
        for (int b = 0; pass >= count && b < branches; b++) {
            int parts = beam_branch(beam, strike, b, path, pieces, branch, thrown);
            lay_beam(picture, beam, branch, parts + 1, p, light);
            add_strip(picture, look, branch, parts + 1, p);
        }
    }
}

static void add_lamp(Picture *picture, const double place[3], const double power[3]) {
    PaleDraw *draw = picture->draw;
    if (draw->lamp_count >= picture->lamp_room || !(power[0] + power[1] + power[2] > 0)) return;
    int at = draw->lamp_count++;
    double strength = power[0] + power[1] + power[2];
    while (at > 0 && (double)picture->lamps[at - 1].power[0] + (double)picture->lamps[at - 1].power[1] + (double)picture->lamps[at - 1].power[2] < strength) {
        picture->lamps[at] = picture->lamps[at - 1];
        at--;
    }
    for (int c = 0; c < 3; c++) { picture->lamps[at].place[c] = (float)place[c]; picture->lamps[at].power[c] = (float)power[c]; }
}

/* The light of a piece of a strip, from two of its corners to the next two: where, and how much in all; below 0 where two strips are joined. */
static double strip_light(const PaleVertex *a, double casts, double at[3], double power[3]) {
    const PaleVertex *b = a + 2;
    double apart[3], wide[3], strength = 0;
    for (int c = 0; c < 3; c++) {
        at[c] = 0.5 * ((double)a[0].place[c] + (double)a[1].place[c]);
        apart[c] = 0.5 * ((double)b[0].place[c] + (double)b[1].place[c]) - at[c];
        wide[c] = (double)a[1].place[c] - (double)a[0].place[c];
    }
    if (a->across != 0 || b->across != 0 || length_of(wide) <= 0) return -1;
    for (int c = 0; c < 3; c++) { power[c] = casts * a->colour[c] * a->colour[3] * length_of(apart) * length_of(wide); strength += power[c]; }
    return strength;
}

/* The light that a layer casts: of its strongest particles a lamp each, of all others one; strips as many lamps along them. */
static void cast_light(Picture *picture, const Plan *plan, int count, int first_vertex) {
    const PaleLook *look = &plan->layer->look;
    double casts = look->light.casts * (1 - look->light.lit) * PER_AREA, sum[3] = {0, 0, 0}, middle[3] = {0, 0, 0}, whole = 0;
    if (casts <= 0 || (look->blend != PALE_ADDITIVE && look->blend != PALE_PREMULTIPLIED && look->blend != PALE_SCREEN)) return;
    if (is_strip(look)) {
        double all = 0, passed = 0, at[3], power[3], strength;
        int many = look->light.lamps > 0 ? look->light.lamps : 1, part = 0, end = picture->draw->vertex_count - 3;
        for (int i = first_vertex; i < end; i += strength < 0 ? 1 : 2) all += most(strength = strip_light(&picture->vertices[i], casts, at, power), 0);
        for (int i = first_vertex; i < end; i += strength < 0 ? 1 : 2) {
            strength = strip_light(&picture->vertices[i], casts, at, power);
            if (strength < 0) continue;
            passed += strength;
            int mine = (int)((passed - 0.5 * strength) * (many / most(all, 1e-30)));
            if (mine > part && mine < many) { /* what came before is a lamp by itself */
                for (int c = 0; c < 3; c++) middle[c] /= most(whole, 1e-30);
                add_lamp(picture, middle, sum);
                memset(middle, 0, sizeof middle);
                memset(sum, 0, sizeof sum);
                whole = 0;
                part = mine;
            }
            for (int c = 0; c < 3; c++) { sum[c] += power[c]; middle[c] += strength * at[c]; }
            whole += strength;
        }
    } else {
        /* The strongest, as many as the look says, apart. */
        uint16_t *taken = picture->keys;
        for (int i = 0; i < count; i++) taken[i] = 0;
        for (int lamp = 0; lamp <= look->light.lamps; lamp++) {
            double best = 0;
            int which = -1;
            for (int i = 0; i < count; i++) {
                const PaleParticle *p = &picture->particles[i];
                double area = casts * p->colour[3] * p->size[0] * p->size[1], strength = area * ((double)p->colour[0] + (double)p->colour[1] + (double)p->colour[2]);
                if (taken[i]) continue;
                if (lamp < look->light.lamps) { if (strength > best) { best = strength; which = i; } continue; }
                for (int c = 0; c < 3; c++) { sum[c] += area * p->colour[c]; middle[c] += strength * p->position[c]; }
                whole += strength;
            }
            if (which < 0) continue;
            const PaleParticle *p = &picture->particles[which];
            double place[3], power[3];
            for (int c = 0; c < 3; c++) { place[c] = p->position[c]; power[c] = casts * p->colour[3] * p->size[0] * p->size[1] * p->colour[c]; }
            taken[which] = 1;
            add_lamp(picture, place, power);
        }
    }
    if (whole <= 0) return;
    for (int c = 0; c < 3; c++) middle[c] /= whole;
    add_lamp(picture, middle, sum);
}

static void add_run(Picture *picture, int kind, int layer, int first, int count, int blend, int solid, const char *name) {
    if (count <= 0) return;
    PaleRun *run = &picture->runs[picture->draw->run_count++];
    run->kind = kind; run->layer = layer; run->first = first; run->count = count; run->blend = blend; run->solid = solid;
    run->picture = name;
    run->look = &picture->play->effect->plans[layer].layer->look;
}

static void draw_layer(Picture *picture, int layer, int solids) {
    const PalePlay *play = picture->play;
    const Plan *plan = &play->effect->plans[layer];
    const PaleLook *look = &plan->layer->look;
    const PaleCamera *camera = picture->camera;
    PaleDraw *draw = picture->draw;
    int solid = solid_look(look), first_vertex = draw->vertex_count;
    if (solids ? !solid : solid && !trails(look)) return;
    int count = pale_particles(play, layer, picture->ahead, camera->eye, picture->particles, play->tracks[layer].count);
    if (!solids && trails(look)) {
        behind_each(picture, layer, NULL, count);
        add_run(picture, PALE_RUN_STRIPS, layer, first_vertex, draw->vertex_count - first_vertex, look->ribbon.blend, 0, look->ribbon.picture);
        first_vertex = draw->vertex_count;
        if (solid) return;
    }
    if (is_strip(look)) {
        if (look->drawn_as == PALE_BEAM) beams(picture, layer, count);
        else if (look->ribbon.path == BEHIND_EACH) behind_each(picture, layer, look, count);
        else if (look->ribbon.path == THROUGH_ALL) through_all(picture, plan, count);
        else behind_places(picture, layer);
        add_run(picture, PALE_RUN_STRIPS, layer, first_vertex, draw->vertex_count - first_vertex, look->blend, 0, look->picture);
    } else {
        PaleFrame stands = layer_at(play, plan, picture->time);
        double size = cbrt(determinant(stands.axes));
        float *values = (float *)(void *)picture->come;
        int first = draw->instance_count, ordered = 1;
        for (int i = 0; i < 9; i++) stands.axes[i] /= fabs(size) > 1e-12 ? size : 1;
        if ((look->blend == PALE_ALPHA || look->blend == PALE_PREMULTIPLIED) && look->stacking == PALE_NEAR_ON_TOP)
            for (int i = 0; i < count; i++) {
                const float *at = picture->particles[i].position;
                values[i] = at[0] * (float)camera->forward[0] + at[1] * (float)camera->forward[1] + at[2] * (float)camera->forward[2];
            }
        else if (look->stacking == PALE_YOUNG_ON_TOP || look->stacking == PALE_OLD_ON_TOP)
            for (int i = 0; i < count; i++) values[i] = look->stacking == PALE_YOUNG_ON_TOP ? picture->particles[i].age : -picture->particles[i].age;
        else ordered = 0;
        if (ordered) greatest_first(picture, values, count);
        for (int i = 0; i < count; i++) {
            int from = ordered ? (int)picture->order[i] : i;
            make_instance(picture, plan, stands.axes, &picture->particles[from], &picture->instances[draw->instance_count]);
            picture->instances[draw->instance_count++].particle = from;
        }
        add_run(picture, look->drawn_as == PALE_MESH ? PALE_RUN_MESHES : PALE_RUN_SPRITES, layer, first, count, look->blend, solid, look->picture);
    }
    cast_light(picture, plan, count, first_vertex);
}

const PaleDraw *pale_draw(const PalePlay *play, const PaleCamera *camera, double ahead, void *memory, size_t bytes) {
    if (!memory || bytes < pale_draw_memory(play)) return NULL;
    Room room = {memory, 0};
    Picture picture;
    const PaleEffect *effect = play->effect;
    memset(&picture, 0, sizeof picture);
    lay_picture(play, &picture, &room);
    picture.play = play; picture.camera = camera; picture.ahead = ahead;
    picture.time = ((double)play->step / effect->document.steps + ahead) * effect->document.tempo;
    PaleDraw *draw = picture.draw;
    memset(draw, 0, sizeof *draw);
    for (int c = 0; c < 3; c++) { draw->low[c] = 1e300; draw->high[c] = -1e300; }
    for (int solids = 1; solids >= 0; solids--)
        for (int i = 0; i < effect->count; i++)
            if (effect->layers[effect->drawing[i]]->drawn) draw_layer(&picture, effect->drawing[i], solids);
    if (draw->lamp_count > MOST_LAMPS) draw->lamp_count = MOST_LAMPS;
    draw->runs = picture.runs; draw->instances = picture.instances; draw->vertices = picture.vertices; draw->lamps = picture.lamps;
    return draw;
}
