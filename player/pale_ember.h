/* Pale Ember: plays effects that were handed over. C99, libc and libm alone. MIT licence, see pale_ember.c.
 *
 * Metres, seconds, degrees; Y up, right-handed; colours linear with sRGB primaries, not limited to 1.
 * Nothing here is global, reads a file or a clock, or takes memory after loading: the caller gives it, and is told how much beforehand.
 * An effect may be played by many threads at once, a play by one at a time. */
#ifndef PALE_EMBER_H
#define PALE_EMBER_H

#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct PaleEffect PaleEffect; /* an effect as it was loaded; never changes */
typedef struct PalePlay PalePlay;     /* one playing of it */

typedef struct { char text[320]; } PaleFault; /* one sentence: where, what was expected, what came */

/* Axes and an origin: a point p of the thing itself is at axes * p + place. axes: row by row, a rotation times a scale. */
typedef struct { double axes[9], place[3]; } PaleFrame;

/* Where something stood at the beginning of a step, and where it stands at its end. */
typedef struct { PaleFrame was, is; } PaleMoving;

/* Triangles. positions: 3 a vertex, m. indices: 3 a triangle. uvs: 2 a vertex, or NULL. density: 1 a vertex, 0 to 1, from vertex
 * colours, or NULL. */
typedef struct {
    int vertices, triangles;
    const float *positions, *uvs, *density;
    const uint32_t *indices;
} PaleMesh;

/* ---- the world, as the game tells it for each step ---- */

typedef struct PaleTree PaleTree; /* a tree of boxes over triangles, to be met */

enum { PALE_PLANE, PALE_SPHERE, PALE_BOX, PALE_CYLINDER, PALE_TRIANGLES, PALE_SWEEP };

/* Something particles touch. size: full extents, m; of a sphere and a cylinder the first is the diameter. A plane is y = 0 of its own
 * axes, a cylinder stands along Y. PALE_SWEEP asks the game: `sweep` moves a ball of `radius` from one place to another in the world and
 * gives 1 where it meets something, with the share of the way (0 to 1) and the unit outward there; else 0. */
typedef struct {
    const char *name;
    int shape;
    double size[3];
    PaleMoving moving;
    const PaleTree *tree;
    int (*sweep)(void *user, const double from[3], const double to[3], double radius, double *share, double normal[3]);
    void *user;
} PaleSurface;

/* effect: where the game plays the effect. places: for each of pale_place_name(), where it is; NULL: all where the effect is. gravity
 * (m/s2) and wind (m/s) come on top of each world layer's own. */
typedef struct {
    PaleMoving effect;
    const PaleMoving *places;
    double gravity[3], wind[3];
    int surface_count;
    const PaleSurface *surfaces;
} PaleWorld;

/* ---- loading ---- */

/* allocate, release: memory while loading; NULL: malloc and free. eddies: eddies.f32 of a package, 3 * 64^3 floats that must outlive the
 * effect; NULL: still air. mesh: gives the geometry of a file of the package by its name, 1 where it can; NULL: births on meshes are at a
 * point. density: what a picture has at texture coordinates, 0 to 1; NULL: everywhere 1. beyond: from how far the effect is seen, m: takes
 * the distance step that holds there. surfaces: the most that one step tells; 0: 16. */
typedef struct {
    void *(*allocate)(void *user, size_t bytes);
    void (*release)(void *user, void *block);
    const float *eddies;
    int (*mesh)(void *user, const char *name, PaleMesh *out);
    float (*density)(void *user, const char *picture, float u, float v);
    double beyond;
    int surfaces;
    void *user;
} PaleOptions;

/* Reads effect.json. NULL where it cannot be played, with the reason in `fault`. options, fault: may be NULL. */
PaleEffect *pale_load(const char *json, size_t bytes, const PaleOptions *options, PaleFault *fault);
void pale_free(PaleEffect *effect);
size_t pale_effect_memory(const PaleEffect *effect); /* bytes that it took */

/* ---- what an effect tells ---- */

typedef struct { double low, high; int count; const double *choices; } PaleRange;
typedef struct PaleCurve PaleCurve;
typedef struct PaleGradient PaleGradient;

enum { PALE_SPRITE, PALE_MESH, PALE_RIBBON, PALE_BEAM };
enum { PALE_OVER_LIFE, PALE_BY_CLOCK, PALE_ONE_AT_RANDOM, PALE_FLICKER };
enum { PALE_MIXED, PALE_CUT, PALE_ALONG_VECTORS };
enum { PALE_ADDITIVE, PALE_ALPHA, PALE_MULTIPLY, PALE_PREMULTIPLIED, PALE_SCREEN, PALE_CUT_OUT };
enum { PALE_TO_CAMERA, PALE_UPRIGHT, PALE_ALONG_MOTION, PALE_ACROSS_MOTION, PALE_FLAT, PALE_FREE };
enum { PALE_NEAR_ON_TOP, PALE_YOUNG_ON_TOP, PALE_OLD_ON_TOP, PALE_AS_BORN };
enum { PALE_CHANNEL_ALL, PALE_CHANNEL_RED, PALE_CHANNEL_GREEN, PALE_CHANNEL_BLUE, PALE_CHANNEL_ALPHA };

typedef struct {
    int channel, invert;
    double tile[2], scroll[2], scatter;
    const char *second;
    int second_channel;
    double second_tile[2], second_scroll[2], second_scatter;
    const char *third;
    int third_channel;
    double third_tile[2], third_scroll[2], third_scatter;
    const char *warp;
    int warp_channel;
    double warp_by, warp_tile[2], warp_scroll[2], warp_scatter;
    double shimmer, edge_glow, edge_width, edge_floor, edge_fade, edge_fade_floor, meet_glow, meet_width;
    const PaleGradient *ramp;
    double ramp_cools;
} PaleLookSurface;

typedef struct {
    const char *picture;
    int channel;
    double amount, contrast, softness, tile[2], scroll[2], scatter, burn, burn_width, burn_tint[3];
} PaleDissolve;

typedef struct {
    double lit, bulge, gloss, rough;
    const char *normals, *six;
    double self_lit;
    const PaleGradient *self_colour;
    double casts;
    int lamps;
    double shade, fog, shadow;
} PaleLookLight;

typedef struct { double glow, size, threshold; } PaleHalo;

typedef struct {
    const char *mesh;
    double smooth;
    int sides;
    double bumps, bump_size, bump_speed;
    int tumbles;
} PaleSolid;

typedef struct {
    int path, measured;
    double length, width;
    const char *picture;
    int blend;
    const PaleCurve *taper;
    const PaleGradient *colours;
    int texture;
    double tile;
    const char *first, *second;
    double kinks, strikes, fade;
} PaleRibbonLook;

typedef struct {
    const char *start, *end;
    double reach[3], bow[2];
    int bows;
    double axis[3];
    const PaleCurve *width;
    const PaleGradient *colours;
    double sway, sway_size, sway_speed, kinks, strikes, fade;
    int branches;
    double branch_length, branch_width, scroll;
} PaleBeamLook;

/* Every field of `look` of a layer, by the same name. */
typedef struct {
    int drawn_as, trail;
    const char *picture;
    int columns, rows, play;
    double fps;
    int between;
    const char *vectors;
    double vectors_reach;
    int blend;
    double cut;
    int facing;
    PaleRange streak;
    double blur, drape, soft, fade_near;
    int stacking, order;
    double pivot, pull;
    int corners;
    PaleLookSurface surface;
    PaleDissolve dissolve;
    PaleLookLight light;
    PaleHalo shine;
    PaleSolid solid;
    PaleRibbonLook ribbon;
    PaleBeamLook beam;
} PaleLook;

/* A layer as it is played: one that is on many places is there as often. source: its place among the layers of effect.json. copy: which
 * of its places it is on. most: particles that live at once at most. corners: of the convex outline of its picture, 2 numbers each, from
 * a frame's left and top, 0 to 1; corner_count 0: the whole card. named: the names of lanes of the artist's own. */
typedef struct {
    const char *slug, *name;
    const PaleLook *look;
    int drawn, source, copy, most, corner_count, named_count;
    const double *corners;
    const char *named[8];
} PaleLayer;

typedef struct { const char *name, *what, *sound; double at, strength; } PaleCue; /* at: s of real time */

typedef struct {
    const char *name;
    double duration, steps, tempo; /* duration: of the loop, s of real time; steps a second */
    int loop, by_itself, layer_count, place_count, cue_count;
    double delay;
    const char *start, *stop, *fade, *strength; /* events of the game that it answers */
    const PaleLayer *layers;
    const char *const *places; /* what the game gives, by name: anchors */
    const PaleCue *cues;
} PaleAbout;

const PaleAbout *pale_about(const PaleEffect *effect);

void pale_curve(const PaleCurve *curve, double x, double *out);
void pale_gradient(const PaleGradient *gradient, double x, double out[3]);

/* ---- playing ---- */

size_t pale_play_memory(const PaleEffect *effect); /* bytes that one play takes */

/* Begins a play in memory that the caller gives, aligned as malloc does; NULL where it is too little. world: as it stands then; NULL: an
 * empty one. A warm effect has run before. */
PalePlay *pale_begin(const PaleEffect *effect, const PaleWorld *world, void *memory, size_t bytes);
/* The same where things have moved before the start: world_at gives the world of a step, the last of them 0; it is asked more than once. */
typedef const PaleWorld *(*PaleWorldAt)(int64_t step, void *user);
PalePlay *pale_begin_moving(const PaleEffect *effect, PaleWorldAt world_at, void *user, void *memory, size_t bytes);

/* One step of 1 / steps s. world: may be NULL. */
void pale_step(PalePlay *play, const PaleWorld *world);

double pale_time(const PalePlay *play);                 /* s of real time since it began */
void pale_strength(PalePlay *play, double share);       /* 0 to 1: how much is born from the next step on; 0 lets it end */
int pale_alive(const PalePlay *play, int layer);        /* particles of a layer; -1: of all */
int pale_finished(const PalePlay *play);                /* 1: nothing lives and nothing will be born */
int64_t pale_left_out(const PalePlay *play);            /* births for which there was no room in the memory told */

/* A particle. life: s of real time. velocity: m/s of real time. size: full extents, m. angle: degrees. colour: linear, not
 * premultiplied, opacity last. frame: place in the sheet. driven: what further lanes give, streak to heat shimmer as change on top of
 * 1, the rest as they are; named: those of the artist's own. */
typedef struct {
    uint64_t number;
    float age, life, position[3], velocity[3], size[3], angle, colour[4], frame;
    float streak, dissolve, edge_glow, burn, self_lit, warp, shimmer, scroll[2], named[8];
} PaleParticle;

/* The living of a layer in the order of their birth: how many were written, at most `room`. ahead: s of real time after the last step,
 * for a picture between two. eye: for lanes over the camera's distance; NULL: without them. */
int pale_particles(const PalePlay *play, int layer, double ahead, const double eye[3], PaleParticle *out, int room);

/* ---- drawing ---- */

/* right, up, forward: units. pixels_high: pixels that a metre is high, a metre away; for the least width of what is thin; 0: none. */
typedef struct { double eye[3], right[3], up[3], forward[3], pixels_high; } PaleCamera;

/* A sprite: corners are place + x * across + y * upward, x and y from -1/2 to 1/2; a mesh: place + across * x + upward * y + face * z.
 * Axes are as long as it is wide, high and deep. */
typedef struct {
    float place[3], across[3], upward[3], face[3], colour[4];
    float frame, next_frame, next_share;
    float wearing[4];  /* how far eaten, how its edge burns, how its rim glows, how far it is warped */
    float running[4];  /* where its picture has run to, right and up; heat shimmer; its own share, 0 to 1 */
    float self_lit[3]; /* light of its own */
    float cools;       /* how far down its ramp it is */
    float motion[3];   /* m/s */
    float age;
    int particle; /* its place among the living of its layer */
} PaleInstance;

/* A corner of a ribbon or beam, two for each point of its path; a strip of triangles. */
typedef struct {
    float place[3], colour[4], along, across;
    float wearing[4], way[3], side[3], width;
} PaleVertex;

enum { PALE_RUN_SPRITES, PALE_RUN_MESHES, PALE_RUN_STRIPS };

/* What is drawn at once, in order. first, count: instances, or vertices of one strip of triangles, parts of it joined by corners that cover
 * nothing. blend, picture, look: how. solid: writes depth, before all that is see-through. */
typedef struct {
    int kind, layer, first, count, blend, solid;
    const char *picture;
    const PaleLook *look;
} PaleRun;

typedef struct { float place[3], power[3]; } PaleLamp; /* power: light received a metre away */

typedef struct {
    int run_count, instance_count, vertex_count, lamp_count;
    const PaleRun *runs;
    const PaleInstance *instances;
    const PaleVertex *vertices;
    const PaleLamp *lamps; /* the strongest first, at most 8 */
    double low[3], high[3]; /* around all that is drawn; low > high where nothing is */
} PaleDraw;

size_t pale_draw_memory(const PalePlay *play); /* bytes that drawing what lives now takes */

/* What a renderer takes of the moment, `ahead` s after the last step. It lies in the memory that is given; NULL where that is too little. */
const PaleDraw *pale_draw(const PalePlay *play, const PaleCamera *camera, double ahead, void *memory, size_t bytes);

/* ---- help ---- */

void pale_frame(PaleFrame *out, const double place[3], const double turn[3], double scale); /* turn: degrees, about Z, then X, then Y */
size_t pale_tree_memory(int triangles);
const PaleTree *pale_tree(const PaleMesh *mesh, const double scale[3], void *memory, size_t bytes); /* NULL: too little memory */

#ifdef __cplusplus
}
#endif
#endif
