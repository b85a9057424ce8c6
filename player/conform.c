/* Answers `pale conform`: a line of JSON with an effect and a world, a line with its particles. MIT licence, see pale_ember.c.
 *
 *     cc -std=c99 -O2 conform.c -o conform -lm
 *     pale conform PACKAGE --player ./conform
 *
 * Eddies, where a vector needs them, are read from the file that is named as its argument. */
#include "pale_ember.c"

typedef struct { Arena *arena; Json json; PaleSurface *surfaces; int surface_count; PaleMoving *moving; double (*ways)[12]; } Question;

static Node *get(Json *json, Node *node, const char *name) { return node && node->kind == '{' ? member(json, node, name, child_of(json, node)) : NULL; }

static double number_in(Node *node) { return node && node->kind == '0' ? node->number : 0; }

static void vector_in(Json *json, Node *node, double out[3]) {
    Node *each = node && node->kind == '[' && node->count ? child_of(json, node) : NULL;
    for (int i = 0; i < 3; i++, each = each ? beside(json, each) : NULL) out[i] = number_in(each);
}

/* A row of 12 numbers, axes row by row and a place; of several rows the one of a step, the last where there are fewer. */
static void row_in(Json *json, Node *rows, i64 step, PaleFrame *out) {
    Node *row = rows && rows->kind == '[' && rows->count ? child_of(json, rows) : NULL;
    *out = HERE;
    if (!row) return;
    if (row->kind == '[') {
        for (; step > 0 && row->next; step--) row = beside(json, row);
        row = row->count ? child_of(json, row) : NULL;
    }
    for (int i = 0; i < 12 && row; i++, row = beside(json, row)) (i < 9 ? out->axes : out->place - 9)[i] = number_in(row);
}

static void moving_in(Json *json, Node *rows, i64 step, PaleMoving *out) {
    row_in(json, rows, step > 0 ? step - 1 : 0, &out->was);
    row_in(json, rows, step > 0 ? step : 0, &out->is);
}

static const PaleTree *tree_in(Arena *arena, Json *json, Node *told) {
    Node *points = get(json, told, "points"), *faces = get(json, told, "faces");
    if (!points || points->kind != '[' || !faces || faces->kind != '[') return NULL;
    PaleMesh mesh = {(int)points->count / 3, (int)faces->count / 3, NULL, NULL, NULL, NULL};
    float *positions = take_many(arena, points->count, sizeof *positions);
    uint32_t *indices = take_many(arena, faces->count, sizeof *indices);
    int i = 0;
    for (Node *each = points->count ? child_of(json, points) : NULL; each; each = beside(json, each)) positions[i++] = (float)number_in(each);
    i = 0;
    for (Node *each = faces->count ? child_of(json, faces) : NULL; each; each = beside(json, each)) indices[i++] = (uint32_t)number_in(each);
    mesh.positions = positions; mesh.indices = indices;
    size_t bytes = pale_tree_memory(mesh.triangles);
    return pale_tree(&mesh, NULL, take(arena, bytes), bytes);
}

typedef struct { Json *json; Node *meshes, *densities; Arena *arena; } Meshes;

/* The nearest number of the rows that are told, the first row on top. */
static float density_of(void *user, const char *name, float u, float v) {
    Meshes *known = user;
    Node *rows = get(known->json, known->densities, name), *row = rows && rows->count ? child_of(known->json, rows) : NULL, *cell;
    if (!row || row->kind != '[' || !row->count) return 1;
    int y = (int)within(floor((1 - (double)v) * rows->count), 0, rows->count - 1), x = (int)within(floor((double)u * row->count), 0, row->count - 1);
    for (; y > 0; y--) row = beside(known->json, row);
    for (cell = child_of(known->json, row); x > 0; x--) cell = beside(known->json, cell);
    return (float)number_in(cell);
}

static int mesh_of(void *user, const char *name, PaleMesh *out) {
    Meshes *known = user;
    Json *json = known->json;
    Node *told = get(json, known->meshes, name), *points = get(json, told, "points"), *faces = get(json, told, "faces"), *uvs = get(json, told, "coords");
    if (!points || !faces) return 0;
    float *positions = take_many(known->arena, points->count, sizeof *positions), *coords = uvs ? take_many(known->arena, uvs->count, sizeof *coords) : NULL;
    uint32_t *indices = take_many(known->arena, faces->count, sizeof *indices);
    int i = 0;
    for (Node *each = points->count ? child_of(json, points) : NULL; each; each = beside(json, each)) positions[i++] = (float)number_in(each);
    i = 0;
    for (Node *each = faces->count ? child_of(json, faces) : NULL; each; each = beside(json, each)) indices[i++] = (uint32_t)number_in(each);
    i = 0;
    for (Node *each = uvs && uvs->count ? child_of(json, uvs) : NULL; each; each = beside(json, each)) coords[i++] = (float)number_in(each);
    memset(out, 0, sizeof *out);
    out->vertices = (int)points->count / 3; out->triangles = (int)faces->count / 3;
    out->positions = positions; out->indices = indices; out->uvs = coords;
    return 1;
}

static void tell_numbers(const char *name, const float *values, int count) {
    printf("\"%s\": ", name);
    if (count > 1) printf("[");
    for (int i = 0; i < count; i++) printf(i ? ", %.9g" : "%.9g", (double)values[i]);
    if (count > 1) printf("]");
}

static void tell_text(const char *text) {
    printf("\"");
    for (const unsigned char *c = (const unsigned char *)text; *c; c++) {
        if (*c == '"' || *c == '\\') printf("\\%c", *c);
        else if (*c < 32) printf("\\u%04x", *c);
        else printf("%c", *c);
    }
    printf("\"");
}

static void tell_moment(const PaleEffect *effect, const PalePlay *play, const PaleCamera *camera) {
    const PaleAbout *about = pale_about(effect);
    int first = 1;
    for (int order = -1000; order <= 1000; order++)
        for (int layer = 0; layer < about->layer_count; layer++) {
            const PaleLayer *info = &about->layers[layer];
            if (!info->drawn || info->look->order != order) continue;
            int count = pale_alive(play, layer);
            PaleParticle *list = malloc((size_t)(count + 1) * sizeof *list);
            if (!list) exit(2);
            count = pale_particles(play, layer, 0, camera ? camera->eye : NULL, list, count);
            for (int i = 0; i < count; i++) {
                const PaleParticle *p = &list[i];
                printf("%s[\"%s\", \"0x%016llx\", {\"copy\": %d, ", first ? "" : ", ", info->slug, (unsigned long long)p->number, info->copy);
                first = 0;
                tell_numbers("position", p->position, 3); printf(", ");
                tell_numbers("velocity", p->velocity, 3); printf(", ");
                tell_numbers("size", p->size, 3); printf(", ");
                tell_numbers("angle", &p->angle, 1); printf(", ");
                tell_numbers("colour", p->colour, 4); printf(", ");
                tell_numbers("frame", &p->frame, 1); printf(", ");
                tell_numbers("age", &p->age, 1); printf(", ");
                tell_numbers("life", &p->life, 1); printf(", ");
                tell_numbers("driven", &p->streak, 9); printf(", ");
                printf("\"named\": {");
                for (int k = 0; k < info->named_count; k++) {
                    if (k) printf(", ");
                    tell_text(info->named[k]);
                    printf(": %.9g", (double)p->named[k]);
                }
                printf("}}]");
            }
            free(list);
        }
}

static void tell_list(const char *name, const float *values, int count, int last) {
    tell_numbers(name, values, count);
    printf(last ? "}" : ", ");
}

static void tell_word(const char *words, int index) {
    for (; index > 0; index--) words = strchr(words, '|') + 1;
    printf("\"%.*s\"", (int)strcspn(words, "|"), words);
}

/* Every field of a part as it was read: curves and gradients at six even places. */
static void tell_part(const Part *part, const void *from) {
    printf("{");
    for (int i = 0; i < part->count; i++) {
        const Field *field = &part->fields[i];
        const char *at = (const char *)from + field->at;
        const double *numbers = (const double *)(const void *)at;
        printf("%s\"%s\": ", i ? ", " : "", field->name);
        if (field->kind == A_PART) tell_part(field->more, at);
        else if (field->kind == A_BOOL) printf(*(const int *)(const void *)at ? "true" : "false");
        else if (field->kind == A_WHOLE) printf("%d", *(const int *)(const void *)at);
        else if (field->kind == A_WORD) tell_word(field->more, *(const int *)(const void *)at);
        else if (field->kind == A_TEXT) tell_text(*(const char *const *)(const void *)at);
        else if (field->kind == A_RANGE) {
            const PaleRange *range = (const PaleRange *)(const void *)at;
            printf("[%.9g, %.9g", range->low, range->high);
            for (int c = 0; c < range->count; c++) printf(", %.9g", range->choices[c]);
            printf("]");
        } else if (field->kind == A_NUMBER) {
            if (field->count > 1) printf("[");
            for (int c = 0; c < field->count; c++) printf(c ? ", %.9g" : "%.9g", numbers[c]);
            if (field->count > 1) printf("]");
        } else if (*(const void *const *)(const void *)at == NULL) printf("null");
        else {
            double value, hue[3];
            printf("[");
            for (int k = 0; k < 6; k++) {
                if (field->kind == A_CURVE) { pale_curve(*(const PaleCurve *const *)(const void *)at, k / 5.0, &value); printf(k ? ", %.9g" : "%.9g", value); }
                else {
                    pale_gradient(*(const PaleGradient *const *)(const void *)at, k / 5.0, hue);
                    printf(k ? ", %.9g, %.9g, %.9g" : "%.9g, %.9g, %.9g", hue[0], hue[1], hue[2]);
                }
            }
            printf("]");
        }
    }
    printf("}");
}

static void tell_about(const PaleEffect *effect) {
    const PaleAbout *about = pale_about(effect);
    printf("{\"name\": ");
    tell_text(about->name);
    printf(", \"duration\": %.9g, \"loop\": %s, \"steps\": %g, \"layers\": [", about->duration, about->loop ? "true" : "false", about->steps);
    for (int i = 0; i < effect->document.layers.count; i++) {
        printf(i ? ", {\"slug\": " : "{\"slug\": ");
        tell_text(effect->document.layers.items[i].slug);
        printf(", \"name\": ");
        tell_text(effect->document.layers.items[i].name);
        printf("}");
    }
    printf("], \"cues\": [");
    for (int i = 0; i < about->cue_count; i++) {
        const PaleCue *cue = &about->cues[i];
        printf(i ? ", {\"name\": " : "{\"name\": ");
        tell_text(cue->name);
        printf(", \"what\": "); tell_text(cue->what);
        printf(", \"sound\": "); tell_text(cue->sound);
        printf(", \"at\": %.9g, \"strength\": %.9g}", cue->at, cue->strength);
    }
    printf("], \"answers\": ");
    tell_part(&answers_part, &effect->document.answers);
    printf("}");
}

/* What a renderer takes: runs in their order, with their instances or the corners of their strips, and the lamps. */
static void tell_drawing(const PaleEffect *effect, const PalePlay *play, const PaleCamera *camera) {
    static const char *const kinds[] = {"sprites", "meshes", "strips"}, *const blends[] = {"additive", "alpha", "multiply", "premultiplied", "screen", "cut-out"};
    size_t bytes = pale_draw_memory(play);
    void *memory = malloc(bytes);
    const PaleDraw *draw = memory ? pale_draw(play, camera, 0, memory, bytes) : NULL;
    if (!draw) exit(2);
    printf("{\"runs\": [");
    for (int r = 0; r < draw->run_count; r++) {
        const PaleRun *run = &draw->runs[r];
        const PaleLayer *info = &pale_about(effect)->layers[run->layer];
        printf("%s{\"layer\": \"%s\", \"copy\": %d, \"kind\": \"%s\", \"blend\": \"%s\", \"solid\": %s, \"picture\": \"%s\", \"items\": [", r ? ", " : "", info->slug,
               info->copy, kinds[run->kind], blends[run->blend], run->solid ? "true" : "false", run->picture);
        for (int i = run->first; i < run->first + run->count; i++) {
            printf(i > run->first ? ", {" : "{");
            if (run->kind == PALE_RUN_STRIPS) {
                const PaleVertex *v = &draw->vertices[i];
                tell_list("place", v->place, 3, 0); tell_list("colour", v->colour, 4, 0); tell_list("along", &v->along, 1, 0);
                tell_list("across", &v->across, 1, 0); tell_list("wearing", v->wearing, 4, 1);
                continue;
            }
            const PaleInstance *p = &draw->instances[i];
            tell_list("place", p->place, 3, 0); tell_list("across", p->across, 3, 0); tell_list("upward", p->upward, 3, 0);
            tell_list("face", p->face, 3, 0); tell_list("colour", p->colour, 4, 0); tell_list("frame", &p->frame, 1, 0);
            tell_list("next_frame", &p->next_frame, 1, 0); tell_list("next_share", &p->next_share, 1, 0); tell_list("wearing", p->wearing, 4, 0);
            tell_list("running", p->running, 4, 0); tell_list("self_lit", p->self_lit, 3, 0); tell_list("cools", &p->cools, 1, 1);
        }
        printf("], \"look\": ");
        tell_part(&look_part, run->look);
        printf("}");
    }
    printf("], \"lamps\": [");
    for (int i = 0; i < draw->lamp_count; i++) {
        printf(i ? ", {" : "{");
        tell_list("place", draw->lamps[i].place, 3, 0);
        tell_list("power", draw->lamps[i].power, 3, 1);
    }
    printf("]}");
    free(memory);
}

static void answer(char *line, size_t length, const float *eddies) {
    Arena arena = {plain_allocate, plain_release, NULL, NULL, 0, 0};
    Json json;
    PaleFault fault;
    memset(&json, 0, sizeof json);
    size_t values = 2;
    for (size_t i = 0; i < length; i++) values += line[i] == ',' || line[i] == '{' || line[i] == '[';
    json.begin = json.at = line; json.end = line + length; json.room = (uint32_t)values;
    json.nodes = take_many(&arena, values, sizeof(Node));
    if (!json.nodes || json_value(&json, 0) < 0) { printf("{\"error\": \"no JSON\"}\n"); let_go(&arena); return; }
    Node *top = json.nodes, *play_node = get(&json, top, "play"), *moments = get(&json, top, "moments"), *world_node = get(&json, top, "world");
    Node *ground = get(&json, top, "ground"), *told = get(&json, world_node, "surfaces"), *strengths = get(&json, top, "strength");
    /* The effect's own text: from its brace to where the next member begins. */
    const char *begin = strstr(line, "\"play\":"), *from = begin ? strchr(begin, '{') : NULL, *to = from;
    for (int deep = 0, quoted = 0; to && to < line + length; to++) {
        if (quoted) { if (*to == '\\') to++; else if (*to == '"') quoted = 0; continue; }
        quoted = *to == '"';
        deep += (*to == '{') - (*to == '}');
        if (*to == '}' && !deep) { to++; break; }
    }
    Meshes meshes = {&json, get(&json, top, "meshes"), get(&json, top, "densities"), &arena};
    PaleOptions options = {NULL, NULL, eddies, mesh_of, density_of, number_in(get(&json, top, "beyond")), 0, &meshes};
    PaleEffect *effect = play_node && from ? pale_load(from, (size_t)(to - from), &options, &fault) : NULL;
    if (!effect) { printf("{\"error\": "); tell_text(play_node ? fault.text : "expected an effect to play, found none"); printf("}\n"); let_go(&arena); return; }
    const PaleAbout *about = pale_about(effect);
    PaleWorld world;
    memset(&world, 0, sizeof world);
    int many = (told && told->kind == '[' ? (int)told->count : 0) + 1;
    PaleSurface *surfaces = take_many(&arena, (size_t)many, sizeof *surfaces);
    PaleMoving *places = take_many(&arena, (size_t)about->place_count + 1, sizeof *places);
    if (ground && ground->kind == 't') {
        surfaces[0].name = "ground"; surfaces[0].shape = PALE_PLANE; surfaces[0].moving.was = surfaces[0].moving.is = HERE;
        world.surface_count = 1;
    }
    static const char *const shapes = "plane|sphere|box|cylinder|mesh";
    int grounds = world.surface_count;
    Reader reader;
    memset(&reader, 0, sizeof reader);
    reader.fault = &fault; reader.arena = &arena;
    for (Node *each = told && told->count ? child_of(&json, told) : NULL; each; each = beside(&json, each)) {
        PaleSurface *surface = &surfaces[world.surface_count++];
        surface->name = text_of(&reader, get(&json, each, "name"));
        surface->shape = word_of(&reader, get(&json, each, "shape"), shapes);
        vector_in(&json, get(&json, each, "size"), surface->size);
        if (surface->shape == PALE_TRIANGLES) surface->tree = tree_in(&arena, &json, each);
    }
    world.surfaces = surfaces;
    vector_in(&json, get(&json, world_node, "gravity"), world.gravity);
    vector_in(&json, get(&json, world_node, "wind"), world.wind);
    PaleCamera camera;
    memset(&camera, 0, sizeof camera);
    Node *view = get(&json, top, "camera");
    vector_in(&json, get(&json, view, "eye"), camera.eye);
    vector_in(&json, get(&json, view, "right"), camera.right);
    vector_in(&json, get(&json, view, "up"), camera.up);
    vector_in(&json, get(&json, view, "forward"), camera.forward);
    camera.pixels_high = number_in(get(&json, view, "pixels_high"));
    size_t bytes = pale_play_memory(effect);
    void *memory = malloc(bytes);
    PalePlay *play = NULL;
    printf("{\"rows\": [");
    int first = 1;
    i64 step = 0;
    for (Node *moment = moments && moments->count ? child_of(&json, moments) : NULL; moment; moment = beside(&json, moment)) {
        i64 wanted = (i64)nearbyint(moment->number * about->steps);
        while (!play || step < wanted) {
            i64 next = play ? ++step : 0;
            moving_in(&json, get(&json, world_node, "effect"), next, &world.effect);
            for (int i = 0; i < about->place_count; i++) {
                Node *rows = get(&json, get(&json, world_node, "places"), about->places[i]);
                if (rows) moving_in(&json, rows, next, &places[i]);
                else places[i] = world.effect;
            }
            int i = grounds;
            for (Node *each = told && told->count ? child_of(&json, told) : NULL; each; each = beside(&json, each), i++)
                moving_in(&json, get(&json, each, "rows"), next, &surfaces[i].moving);
            world.places = places;
            if (!play) { play = pale_begin(effect, &world, memory, bytes); if (!play) exit(2); continue; }
            for (Node *each = strengths && strengths->count ? child_of(&json, strengths) : NULL; each; each = beside(&json, each)) {
                Node *at = child_of(&json, each);
                if (at && (i64)number_in(at) == next) pale_strength(play, number_in(beside(&json, at)));
            }
            pale_step(play, &world);
        }
        printf(first ? "[" : ", [");
        first = 0;
        tell_moment(effect, play, view ? &camera : NULL);
        printf("]");
    }
    printf("]");
    if (view && play) { printf(", \"drawing\": "); tell_drawing(effect, play, &camera); }
    printf(", \"about\": ");
    tell_about(effect);
    printf("}\n");
    free(memory);
    pale_free(effect);
    let_go(&arena);
}

int main(int argc, char **argv) {
    size_t room = 1 << 20, length = 0;
    char *line = malloc(room);
    float *eddies = NULL;
    if (argc > 1) {
        FILE *file = fopen(argv[1], "rb");
        size_t count = 3 * CELLS * CELLS * CELLS;
        eddies = malloc(count * sizeof *eddies);
        if (!file || !eddies || fread(eddies, sizeof *eddies, count, file) != count) { fprintf(stderr, "%s: expected eddies.f32, found another file\n", argv[1]); return 2; }
        fclose(file);
    }
    for (int c; line && (c = getchar()) != EOF;) {
        if (length + 1 >= room) { char *more = realloc(line, room *= 2); if (!more) break; line = more; }
        line[length++] = (char)c;
        if (c != '\n') continue;
        line[length] = 0;
        answer(line, length, eddies);
        fflush(stdout);
        length = 0;
    }
    free(line);
    free(eddies);
    return 0;
}
