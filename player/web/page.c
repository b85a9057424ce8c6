/* The player kit as a module for pages: what stands in the memory of a page, and what its shaders take. MIT licence, see pale_ember.c. */
#include "../pale_ember.c"

#define ROW 31 /* floats of a card or mesh, as the shaders take them */
#define CORNER 20

static const PaleEffect *loaded; /* one effect a module: a page has a module for each */
static PalePlay *playing;
static void *play_memory, *canvas, *rows, *list_memory;
static size_t canvas_bytes, rows_bytes, list_bytes;
static PaleFault fault_told;
static int run_table[4096], run_rows;
static float filling[600]; /* of each run, how thick its cards make the air, 1/m */
static float shaded[600]; /* of each run, how much its cards hide of each other's light */

void *page_room(size_t bytes) { return malloc(bytes); }
const char *page_fault(void) { return fault_told.text; }

/* most_surfaces: that a step tells. */
int page_load(const char *json, size_t bytes, const float *eddies, int most_surfaces) {
    PaleOptions options = {NULL, NULL, eddies, NULL, NULL, 0, most_surfaces, NULL};
    loaded = pale_load(json, bytes, &options, &fault_told);
    return loaded != NULL;
}

static PaleWorld world;
static const float *ways; /* frames of the effect, its places and the props, 12 numbers each, for `way_steps` steps */
static int way_steps, way_things, way_loops;
static PaleMoving *places;
static PaleSurface *surfaces; /* the ground, and the props that are touched */
static int *surface_props;

/* Where all things stand, step by step from 0 on; `loops`: it begins anew behind the last, else it stays there. */
void page_ways(const float *rows, int steps, int props, int loops) {
    ways = rows; way_steps = steps; way_loops = loops;
    way_things = 1 + pale_about(loaded)->place_count + props;
    surfaces = calloc((size_t)props + 1, sizeof *surfaces);
    surface_props = calloc((size_t)props + 1, sizeof *surface_props);
    surfaces[0].name = "ground"; surfaces[0].shape = PALE_PLANE; surfaces[0].moving.was = surfaces[0].moving.is = HERE;
    world.surfaces = surfaces;
    world.surface_count = 1;
    places = malloc((size_t)way_things * sizeof *places);
    for (int i = 0; i < way_things; i++) places[i].was = places[i].is = HERE;
}

/* A prop that particles touch. name, corners: kept by the caller. corners: of its triangles, for a mesh; size: of its own as well. */
void page_surface(int prop, const char *name, int shape, const double *size, const float *corners, int triangles) {
    PaleSurface *made = &surfaces[world.surface_count];
    surface_props[world.surface_count++] = 1 + pale_about(loaded)->place_count + prop;
    made->name = name; made->shape = shape;
    memcpy(made->size, size, sizeof made->size);
    if (shape != PALE_TRIANGLES) return;
    uint32_t *indices = malloc((size_t)triangles * 3 * sizeof *indices);
    for (int i = 0; i < 3 * triangles; i++) indices[i] = (uint32_t)i;
    PaleMesh mesh = {3 * triangles, triangles, corners, NULL, NULL, indices};
    size_t bytes = pale_tree_memory(triangles);
    made->tree = pale_tree(&mesh, size, malloc(bytes), bytes);
    free(indices);
}

static void stand_at(i64 step) {
    for (int i = 0; i < way_things; i++)
        for (int side = 0; side < 2; side++) {
            i64 at = step - 1 + side;
            /* What runs ahead of the start of a loop has come round from its end. */
            if (step < 1 && way_loops && way_steps > 1) at += (1 + (1 - step) / (way_steps - 1)) * (way_steps - 1);
            if (at < 0) at = 0;
            if (way_loops && at >= way_steps - 1 && way_steps > 1) at = side && at % (way_steps - 1) == 0 ? way_steps - 1 : at % (way_steps - 1);
            if (at > way_steps - 1) at = way_steps - 1;
            const float *row = ways + ((size_t)at * (size_t)way_things + (size_t)i) * 12;
            PaleFrame *frame = side ? &places[i].is : &places[i].was;
            for (int k = 0; k < 12; k++) (k < 9 ? frame->axes : frame->place - 9)[k] = (double)row[k];
        }
    for (int i = 1; i < world.surface_count; i++) surfaces[i].moving = places[surface_props[i]];
    world.effect = places[0];
    world.places = places + 1;
}

static const PaleWorld *stood_at(i64 step, void *user) {
    (void)user;
    stand_at(step);
    return &world;
}

int page_begin(void) {
    size_t bytes = pale_play_memory(loaded);
    if (!play_memory) play_memory = malloc(bytes);
    playing = play_memory ? pale_begin_moving(loaded, stood_at, NULL, play_memory, bytes) : NULL;
    return playing != NULL;
}

void page_steps(int count) {
    while (count-- > 0) {
        stand_at(playing->step + 1);
        pale_step(playing, &world);
    }
}
void page_strength(double share) { pale_strength(playing, share); }
double page_time(void) { return pale_time(playing); }
int page_alive(int layer) { return pale_alive(playing, layer); }
int page_finished(void) { return pale_finished(playing); }

static void *grown(void **block, size_t *has, size_t bytes) {
    if (bytes > *has) { free(*block); *block = malloc(bytes * 2); *has = bytes * 2; }
    return *block;
}

/* Draws, `ahead` s after the last step, from a camera of 13 doubles. Gives an int list: how many runs, then for each its kind, source layer,
 * first float, count, blend, whether it is solid; behind it how many lamps, and at which float they begin (place and power each). */
const int *page_draw(const double *camera, double ahead) {
    PaleCamera eye;
    memcpy(&eye, camera, sizeof eye);
    eye.pixels_high = 0; /* the shaders widen what is thin */
    size_t bytes = pale_draw_memory(playing);
    const PaleDraw *draw = pale_draw(playing, &eye, ahead, grown(&canvas, &canvas_bytes, bytes), bytes);
    if (!draw) return NULL;
    size_t floats = (size_t)draw->instance_count * ROW + (size_t)draw->vertex_count * CORNER + (size_t)draw->lamp_count * 6 + 16;
    float *to = grown(&rows, &rows_bytes, floats * sizeof *to);
    int at = 0, *told = run_table + 1;
    run_rows = 0;
    for (int r = 0; r < draw->run_count && r < 600; r++) {
        const PaleRun *run = &draw->runs[r];
        const Plan *plan = &loaded->plans[run->layer];
        const PaleLook *look = run->look;
        *told++ = run->kind; *told++ = loaded->layers[run->layer]->source; *told++ = at; *told++ = run->count; *told++ = run->blend; *told++ = run->solid;
        filling[run_rows] = run->kind != PALE_RUN_STRIPS ? (float)look->light.fog : 0;
        shaded[run_rows++] = run->kind != PALE_RUN_STRIPS && look->light.lit > 0 ? (float)look->light.shade : 0;
        if (run->kind == PALE_RUN_STRIPS) {
            for (int i = run->first; i < run->first + run->count; i++, at += CORNER) {
                const PaleVertex *v = &draw->vertices[i];
                float *row = to + at;
                for (int c = 0; c < 3; c++) {
                    row[c] = v->place[c] - v->side[c] * v->width * (v->across - 0.5f);
                    row[3 + c] = v->way[c];
                    row[6 + c] = v->side[c];
                }
                row[9] = v->width;
                memcpy(row + 10, v->colour, sizeof v->colour);
                row[14] = v->along; row[15] = v->across;
                memcpy(row + 16, v->wearing, sizeof v->wearing);
            }
            continue;
        }
        int count = pale_alive(playing, run->layer);
        PaleParticle *list = grown(&list_memory, &list_bytes, (size_t)(count + 1) * sizeof *list);
        pale_particles(playing, run->layer, ahead, eye.eye, list, count);
        for (int i = run->first; i < run->first + run->count; i++, at += ROW) {
            const PaleInstance *one = &draw->instances[i];
            const PaleParticle *p = &list[one->particle];
            float *row = to + at;
            memcpy(row, p->position, sizeof p->position);
            memcpy(row + 3, p->size, sizeof p->size);
            row[6] = p->angle * (float)(PI / 180);
            memcpy(row + 7, one->colour, sizeof one->colour);
            row[11] = p->frame;
            memcpy(row + 12, p->velocity, sizeof p->velocity);
            row[15] = streak_of(plan, p);
            memcpy(row + 16, one->wearing, sizeof one->wearing);
            memcpy(row + 20, one->running, sizeof one->running);
            memcpy(row + 24, one->self_lit, sizeof one->self_lit);
            row[27] = one->cools;
            row[28] = row[29] = row[30] = 1;
        }
    }
    run_table[0] = run_rows;
    *told++ = draw->lamp_count;
    *told++ = at;
    for (int i = 0; i < draw->lamp_count; i++, at += 6) { memcpy(to + at, draw->lamps[i].place, 12); memcpy(to + at + 3, draw->lamps[i].power, 12); }
    return run_table;
}

const float *page_rows(void) { return rows; }

/* What a grid of n0 * n1 * n2 cubes holds at a place, straight between their middles; or adds to it there. */
static float cubes(float *grid, const int n[3], const float p[3], float add) {
    int i = (int)p[0], j = (int)p[1], k = (int)p[2];
    float t[3] = {p[0] - (float)i, p[1] - (float)j, p[2] - (float)k}, sum = 0;
    for (int corner = 0; corner < 8; corner++) {
        int a = corner >> 2, b = corner >> 1 & 1, c = corner & 1;
        float share = (a ? t[0] : 1 - t[0]) * (b ? t[1] : 1 - t[1]) * (c ? t[2] : 1 - t[2]), *cell = grid + ((i + a) * n[1] + j + b) * n[2] + k + c;
        *cell += add * share;
        sum += *cell * share;
    }
    return sum;
}

/* Fills in what comes to each card of a layer that shades itself of the light of sun, sky and the strongest lamp: all such layers are one
 * cloud, laid into cubes. sun, lamp: a unit towards the sun, and where the lamp stands. */
void page_shade(const double *sun, const double *lamp) {
    static float *grid;
    static size_t grid_bytes;
    static float *widths;
    static size_t widths_bytes;
    float *all = rows;
    double low[3] = {1e30, 1e30, 1e30}, high[3] = {-1e30, -1e30, -1e30};
    int count = 0, n[3];
#define EACH_SHADED                                                                                                                    \
    for (int r = 0; r < run_rows; r++)                                                                                                     \
        for (int i = 0, *run = run_table + 1 + 6 * r; i < (shaded[r] > 0 ? run[3] : 0); i++)
#define SHADED_ROW float *row = all + run[2] + i * ROW
    EACH_SHADED {
        SHADED_ROW;
        for (int c = 0; c < 3; c++) { low[c] = least(low[c], row[c]); high[c] = most(high[c], row[c]); }
        count++;
    }
    if (!count) return;
    float *wide = grown((void **)&widths, &widths_bytes, (size_t)count * sizeof *wide);
    int at = 0;
    EACH_SHADED { SHADED_ROW; wide[at++] = 0.5f * (row[3] + row[4]); }
    for (int gap_of = count / 2; gap_of > 0; gap_of = gap_of == 2 ? 1 : (int)(gap_of / 2.2))
        for (int i = gap_of; i < count; i++) {
            float one = wide[i];
            int k = i;
            for (; k >= gap_of && wide[k - gap_of] > one; k -= gap_of) wide[k] = wide[k - gap_of];
            wide[k] = one;
        }
    double longest = most(high[0] - low[0], most(high[1] - low[1], high[2] - low[2]));
    double cube = most(most(longest / 24, 0.5 * 0.5 * ((double)wide[count / 2] + (double)wide[(count - 1) / 2])), 1e-3);
    for (int c = 0; c < 3; c++) { low[c] -= 1.5 * cube; n[c] = (int)within(ceil((high[c] - low[c]) / cube) + 2, 3, 64); }
    size_t cells = (size_t)n[0] * (size_t)n[1] * (size_t)n[2];
    float *field = grown((void **)&grid, &grid_bytes, cells * sizeof *field);
    memset(field, 0, cells * sizeof *field);
#define INSIDE(p) for (int c = 0; c < 3; c++) p[c] = (float)within((row[c] - low[c]) / cube, 0, n[c] - 1.5)
    EACH_SHADED { SHADED_ROW; float p[3]; INSIDE(p); cubes(field, n, p, shaded[r] * row[10] * row[3] * row[4]); }
    for (size_t i = 0; i < cells; i++) field[i] *= (float)(0.5 / (cube * cube));
    EACH_SHADED {
        SHADED_ROW;
        float p[3];
        INSIDE(p);
        for (int light = 0; light < 3; light++) {
            float d[3] = {light == 0 ? (float)sun[0] : 0, light == 0 ? (float)sun[1] : 1, light == 0 ? (float)sun[2] : 0}, far = 1e9f, met = 0;
            if (light == 2) {
                for (int c = 0; c < 3; c++) d[c] = (float)((lamp[c] - low[c]) / cube) - p[c];
                far = mostf(sqrtf(d[0] * d[0] + d[1] * d[1] + d[2] * d[2]), 1e-6f);
                for (int c = 0; c < 3; c++) d[c] /= far;
            }
            for (float along = 0.75f; along < far; along += 1) {
                float q[3] = {p[0] + d[0] * along, p[1] + d[1] * along, p[2] + d[2] * along};
                if (!(q[0] >= 0 && q[1] >= 0 && q[2] >= 0 && q[0] < (float)(n[0] - 1) && q[1] < (float)(n[1] - 1) && q[2] < (float)(n[2] - 1))) break;
                met += cubes(field, n, q, 0);
            }
            row[28 + light] = expf(-met);
        }
    }
}

/* A run that is not drawn leaves the air clear. */
void page_clear(int run) { filling[run] = 0; }

/* The air that cards and meshes make thick: the corner of a grid, the side of its cubes, how many there are along x, y and z, and then what
 * each scatters of red, green and blue and keeps back, a metre. NULL where none is. */
const float *page_fog(void) {
    static float *air;
    static size_t air_bytes;
    const float *all = rows;
    double low[3] = {1e30, 1e30, 1e30}, high[3] = {-1e30, -1e30, -1e30}, cube = 1e-3, work = 0;
    int n[3], any = 0;
#define EACH_FILLING                                                                                                                   \
    for (int r = 0; r < run_rows; r++)                                                                                                     \
        for (int i = 0, *run = run_table + 1 + 6 * r; i < (filling[r] > 0 ? run[3] : 0); i++)
#define FILLING_ROW                                                                                                                    \
    const float *row = all + run[2] + i * ROW;                                                                                             \
    double radius[3] = {0.5 * row[3], 0.5 * row[4], 0.5 * row[3]};                                                                         \
    if (!(row[10] > 0 && radius[0] > 0 && radius[1] > 0)) continue
    EACH_FILLING {
        FILLING_ROW;
        for (int c = 0; c < 3; c++) { low[c] = least(low[c], row[c] - radius[c]); high[c] = most(high[c], row[c] + radius[c]); }
        any = 1;
    }
    if (!any) return NULL;
    for (int c = 0; c < 3; c++) cube = most(cube, (high[c] - low[c]) / 40);
    /* Of many that are large the grid is coarser. */
    EACH_FILLING { FILLING_ROW; work += (2 * radius[0] / cube + 2) * (2 * radius[1] / cube + 2) * (2 * radius[2] / cube + 2); }
    cube *= cbrt(most(work / 2e6, 1));
    for (int c = 0; c < 3; c++) { low[c] -= cube; n[c] = (int)within(ceil((high[c] - low[c]) / cube) + 1, 2, 64); }
    size_t floats = 8 + 4 * (size_t)n[0] * (size_t)n[1] * (size_t)n[2];
    float *told = grown((void **)&air, &air_bytes, floats * sizeof *told), *cells = told + 8;
    memset(told, 0, floats * sizeof *told);
    for (int c = 0; c < 3; c++) { told[c] = (float)low[c]; told[4 + c] = (float)n[c]; }
    told[3] = (float)cube;
    EACH_FILLING {
        FILLING_ROW;
        double wide[3], thick = filling[r] * row[10], p[3];
        int from[3], to[3];
        for (int c = 0; c < 3; c++) {
            wide[c] = most(radius[c] / cube, 1);
            thick *= radius[c] / cube / wide[c];
            p[c] = (row[c] - low[c]) / cube - 0.5;
            from[c] = (int)most(p[c] - wide[c], 0);
            to[c] = (int)least(p[c] + wide[c] + 2, n[c]);
        }
        for (int z = from[2]; z < to[2]; z++)
            for (int y = from[1]; y < to[1]; y++)
                for (int x = from[0]; x < to[0]; x++) {
                    double s = ((x - p[0]) * (x - p[0]) + (z - p[2]) * (z - p[2])) / (wide[0] * wide[0]) + (y - p[1]) * (y - p[1]) / (wide[1] * wide[1]);
                    float *cell = cells + 4 * ((size_t)(z * n[1] + y) * (size_t)n[0] + (size_t)x), here = s < 1 ? (float)(thick * (1 - s) * (1 - s)) : 0;
                    for (int c = 0; c < 4; c++) cell[c] = leastf(cell[c] + here * (c < 3 ? row[7 + c] : 1), 6e4f); /* what a texture can hold */
                }
    }
    return told;
}

/* The layer's axes in the world, nine floats column by column, for cards that are free. */
const float *page_axes(int source) {
    static float axes[9];
    for (int i = 0; i < loaded->count; i++) {
        if (loaded->layers[i]->source != source) continue;
        PaleFrame frame = layer_at(playing, &loaded->plans[i], pale_time(playing) * loaded->document.tempo);
        double size = cbrt(determinant(frame.axes));
        for (int k = 0; k < 9; k++) axes[k] = (float)(frame.axes[3 * (k % 3) + k / 3] / size);
        break;
    }
    return axes;
}
