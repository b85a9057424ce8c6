#version 300 es
precision highp float;
precision highp int;
precision highp sampler2D;
// The shaders of looks: what a renderer does with the runs of pale_draw. A shader is these first lines up to the first part and then the
// part of its name, where a line such as `//! light` stands for the part of that name. A look's traits are told by `#define` below the
// version; a page made with `pale page` carries every program with its traits filled in: the best place to see which a look has.
// BLEND: 0 additive, 1 alpha, 1 premultiplied, 2 multiply, 3 screen, 4 cut-out
// FACING: 0 to camera, 1 upright, 2 along motion, 3 across motion, 4 flat, 5 free
#ifndef BLEND
#define BLEND 0
#endif
#ifndef BUMPY
#define BUMPY 0
#endif
#ifndef DRAPED
#define DRAPED 0
#endif
#ifndef FACING
#define FACING 0
#endif
#ifndef FADES
#define FADES 0
#endif
#ifndef FINE
#define FINE 0
#endif
#ifndef FLOWS
#define FLOWS 0
#endif
#ifndef FOG
#define FOG 0
#endif
#ifndef GLOSS
#define GLOSS 0
#endif
#ifndef LEANS
#define LEANS 0
#endif
#ifndef LIT
#define LIT 0
#endif
#ifndef MEETS
#define MEETS 0
#endif
#ifndef MIRRORED
#define MIRRORED 0
#endif
#ifndef RAMP
#define RAMP 0
#endif
#ifndef RICH
#define RICH 0
#endif
#ifndef RIM
#define RIM 0
#endif
#ifndef SECOND
#define SECOND 0
#endif
#ifndef SELF
#define SELF 0
#endif
#ifndef SHADED
#define SHADED 0
#endif
#ifndef SHEET
#define SHEET 0
#endif
#ifndef SIX
#define SIX 0
#endif
#ifndef SLIM
#define SLIM 0
#endif
#ifndef SMEARED
#define SMEARED 0
#endif
#ifndef SOFT
#define SOFT 0
#endif
#ifndef SOLID
#define SOLID 0
#endif
#ifndef THIRD
#define THIRD 0
#endif
#ifndef TILED
#define TILED 0
#endif
#ifndef VECTORS
#define VECTORS 0
#endif
#ifndef VIEW
#define VIEW 0
#endif
#ifndef WARPED
#define WARPED 0
#endif
#ifndef WORN
#define WORN 0
#endif

// ---- sprite.vert ----
// One card for each particle.
in vec3 place;
in vec3 extent;      // metres: width, height, depth
in float angle;      // radians
in vec4 tint;        // linear, not premultiplied, opacity last
in float frame;
in vec3 motion;      // m/s
in float lengthens;  // s, the streak
in vec4 wearing;     // how far it is eaten, how its edge burns, how its rim glows, how far it is warped
in vec4 running;     // where its picture has run to; haze; its own number, 0 to 1
in vec3 own_light;   // of its own, whatever falls on it
in float cools;      // how far down its ramp it is
in vec3 shares;      // what comes here of the light of sun, sky and strongest lamp

uniform mat4 to_clip;
//! shown
uniform float pivot, nearer;
#if SHEET
uniform ivec2 grid;      // columns, rows
#endif
uniform vec2 outline[8]; // corners around all that a frame holds, 0 to 1, top left first, as a strip
//! thin
#if SMEARED
uniform float blur;      // s
flat out vec2 smear;     // how far it moves meanwhile, in cards
#endif
#if DRAPED
uniform vec2 lens;       // half the picture's width and height a metre away
uniform float drape;     // m, up and down
out vec3 ray;            // a metre along the view axis
flat out vec3 middle, axis_x, axis_y, axis_z;  // of the card, the axes as long as one over its sides
#endif
#if LIT
uniform float lit, bulge;
//! light
#endif
#if RAMP
flat out float cooled;
#endif
#if GLOSS
out vec3 standing_at;
flat out vec3 leaning_x, leaning_y, leaning_z;
#endif
//! stand

#if !DRAPED
out vec2 within;     // place in the frame, 0 to 1, top left first
#endif
#if SIX
flat out vec3 from_right, from_left, from_above, from_below, from_front, from_behind;
#endif
#if LIT
out vec4 paint;
#else
flat out vec4 paint;
#endif
#if SHEET
flat out vec2 corner_now, corner_next;
flat out float share;
#endif
#if RICH
flat out vec4 worn, run;
#endif
#if VIEW == 5
flat out float reach;
#endif
#if FACING == 0
flat out float depth;
#elif !DRAPED
out float depth;
#endif

#if SHEET
vec2 corner_of(float index) {
    return vec2(mod(index, float(grid.x)), floor(index / float(grid.x)));
}
#endif

#if FACING == 4
const float ON_GROUND = 0.02;  // m
#endif

void main() {
    vec2 spread = outline[gl_VertexID];
    vec3 across, upward;
    stand(place, motion, across, upward);
    vec2 size = extent.xy;
#if FACING == 2
    size.y += length(motion) * lengthens;
#else
    float s = sin(angle), c = cos(angle);
    vec3 turned = across * c + upward * s;
    upward = upward * c - across * s;
    across = turned;
#endif
#if BLEND != 4
    float around = dot(place - eye, forward);
    vec2 wider = vec2(widened(size.x, around), widened(size.y, around));
    size *= wider;
#endif
#if SMEARED
    smear = vec2(dot(motion, across), -dot(motion, upward)) * blur / max(size, vec2(1e-4));
    smear *= min(1.0, 16.0 / max(length(smear), 1e-4));
    spread += sign(spread - 0.5) * 0.5 * abs(smear);
#endif
    vec2 corner = vec2(spread.x - 0.5, 0.5 - spread.y - 0.5 * pivot);
    vec3 at = place + across * (corner.x * size.x) + upward * (corner.y * size.y);
#if FACING == 4
    // What lies on the ground is lifted off it by as much as depth can tell apart there.
    if (abs(place.y) < ON_GROUND) at.y = max(at.y, 0.002 + 0.0008 * distance(at, eye));
#endif
    if (nearer != 0.0) at += normalize(eye - at) * min(nearer, 0.9 * length(eye - at));
#if DRAPED && MIRRORED
    gl_ClipDistance[0] = 1.0;   // the ground mirrors no ground, so nothing that lies on it is found
#elif MIRRORED
    gl_ClipDistance[0] = at.y;  // the ground mirrors what is above it alone
#endif
    gl_Position = to_clip * vec4(at, 1.0);
#if DRAPED
    // The box that the card reaches through covers so much of the picture; the card is found again for each point of the stage.
    middle = place - upward * (0.5 * pivot * size.y);
    vec3 face_on = normalize(cross(across, upward));
    vec2 low = vec2(1.0), high = vec2(-1.0);
    for (int i = 0; i < 8; i++) {
        vec3 side = vec3(i & 1, (i >> 1) & 1, i >> 2) * 2.0 - 1.0;
        vec4 seen = to_clip * vec4(middle + 0.5 * (across * size.x * side.x + upward * size.y * side.y) + face_on * drape * side.z, 1.0);
        bool before = seen.w > 0.02;
        low = before ? min(low, seen.xy / seen.w) : vec2(-1.0);
        high = before ? max(high, seen.xy / seen.w) : vec2(1.0);
    }
    vec2 spot = clamp(mix(low, high, spread), -1.0, 1.0);
    gl_Position = vec4(spot, 0.0, 1.0);
    ray = forward + right * (spot.x * lens.x) + up * (spot.y * lens.y);
    axis_x = across / max(size.x, 1e-5);
    axis_y = upward / max(size.y, 1e-5);
    axis_z = face_on / drape;
    float depth = dot(middle - eye, forward);
#else
    within = spread;
    depth = dot(at - eye, forward);
#endif
    paint = tint;
    paint.a = shown(paint.a, depth);
#if BLEND != 4
    paint.a /= wider.x * wider.y;
#endif
#if LIT
    // The card bulges towards the eye; its corners lean outward.
    vec3 face = normalize(cross(across, upward));
    face *= dot(face, eye - place) < 0.0 ? -1.0 : 1.0;
#if DRAPED
    vec3 normal = face;
#else
    vec3 normal = normalize(face + bulge * 1.6 * (across * (within.x - 0.5) * 2.0 + upward * (0.5 - within.y) * 2.0));
#endif
#if SHADED
    reaches = shares;
#endif
    // Asked at its middle: a large card has its corners far from a lamp that is close to it.
#if SIX
    // Its own picture knows how it shades itself.
    from_right = from_side(place, across) * lit;
    from_left = from_side(place, -across) * lit;
    from_above = from_side(place, upward) * lit;
    from_below = from_side(place, -upward) * lit;
    from_front = from_side(place, face) * lit;
    from_behind = from_side(place, -face) * lit;
#else
    paint.rgb *= mix(vec3(1.0), received(place, normal, 0.35), lit);
#endif
#endif
#if SELF
    paint.rgb += own_light;
#endif
#if RAMP
    cooled = cools;
#endif
#if GLOSS
    standing_at = at;
    leaning_x = across;
    leaning_y = upward;
    leaning_z = normalize(cross(across, upward));
    leaning_z *= dot(leaning_z, eye - place) < 0.0 ? -1.0 : 1.0;
#endif
#if RICH
    worn = wearing;
    run = running;
#endif
#if VIEW == 5
    reach = running.z * 0.25 * max(size.x, size.y) * pixels_high / max(depth, 0.05);
#endif
#if SHEET
    float frames = float(grid.x * grid.y);
    float now = floor(frame);
    corner_now = corner_of(now);
    corner_next = corner_of(LOOPED == 1 ? mod(now + 1.0, frames) : min(now + 1.0, frames - 1.0));
    share = frame - now;
#endif
}

// ---- stand ----
// How a particle stands: its axes for each FACING: 0 to the camera, 1 upright, 2 along motion, 3 across motion, 4 flat,
// 5 free.
uniform vec3 eye, forward, right, up;
uniform mat3 turn;       // the layer's axes

void stand(vec3 place, vec3 motion, out vec3 across, out vec3 upward) {
    across = right;
    upward = up;
#if FACING == 1
    upward = vec3(0.0, 1.0, 0.0);
    across = normalize(cross(upward, eye - place) + vec3(1e-6, 0.0, 0.0));
#elif FACING == 2
    float speed = length(motion);
    vec3 way = motion / max(speed, 1e-6);
    vec3 side = cross(way, place - eye);
    float slant = length(side);
    if (speed > 1e-4 && slant > 1e-5) {
        across = side / slant;
        upward = way;
    }
#elif FACING == 3
    float speed = length(motion);
    vec3 face = speed > 1e-4 ? motion / speed : forward;
    across = normalize(cross(abs(face.y) < 0.99 ? vec3(0.0, 1.0, 0.0) : vec3(1.0, 0.0, 0.0), face));
    upward = cross(face, across);
#elif FACING == 4
    across = vec3(1.0, 0.0, 0.0);
    upward = vec3(0.0, 0.0, -1.0);
#elif FACING == 5
    across = turn[0];
    upward = turn[1];
#endif
}

// ---- light ----
// What light falls on a point of the stage.
uniform vec3 sun_way, sun_power;                // towards the sun, a unit; light received square to it
uniform vec3 sky_light, earth_light;            // from above and from below
uniform int lamp_count;
uniform vec4 lamp_place[8];                     // m; 1 last for a lamp of the stage, 0 for light that the effect casts
uniform vec3 lamp_power[8];                     // light received a metre away

vec3 reaches = vec3(1.0);                       // what comes here of sun, sky and the first lamp

vec3 lamp_at(int i, vec3 place, vec3 normal, float wrap) {
    vec3 way = lamp_place[i].xyz - place;
    float d2 = dot(way, way) + 0.12;
    float share = i == 0 ? reaches.z : 1.0;
    return lamp_power[i] * (share * max((dot(normal, way) * inversesqrt(d2) + wrap) / (1.0 + wrap), 0.0) / d2);
}

vec3 lamps_at(vec3 place, vec3 normal, float wrap) {
    vec3 sum = vec3(0.0);
    for (int i = 0; i < lamp_count; i++) sum += lamp_at(i, place, normal, wrap);
    return sum;
}

// The light that comes to a point from one side of six. A light between two sides is shared out among them by the squares of
// what it has of each, which together are 1.
vec3 from_side(vec3 place, vec3 side) {
    vec3 sum = mix(earth_light, sky_light, 0.5 + 0.5 * side.y) * (reaches.y / 6.0);
    float share = max(dot(side, sun_way), 0.0);
    sum += sun_power * (share * share * reaches.x);
    for (int i = 0; i < lamp_count; i++) {
        vec3 way = lamp_place[i].xyz - place;
        float d2 = dot(way, way) + 0.12;
        float s = max(dot(side, way) * inversesqrt(d2), 0.0);
        sum += lamp_power[i] * (s * s * (i == 0 ? reaches.z : 1.0) / d2);
    }
    return sum;
}

// `wrap` lets light reach round a soft body.
vec3 received(vec3 place, vec3 normal, float wrap) {
    vec3 around = mix(earth_light, sky_light, 0.5 + 0.5 * normal.y) * reaches.y;
    float sun = max((dot(normal, sun_way) + wrap) / (1.0 + wrap), 0.0);
    return around + sun_power * (sun * reaches.x) + lamps_at(place, normal, wrap);
}

// ---- thin ----
uniform float pixels_high;   // pixels of a metre a metre away

// How many times as wide something `width` metres wide must be drawn `away` metres from the eye, so that no pixel of it is missed: what
// is thinner than that falls into dots. It is as many times fainter.
float widened(float width, float away) {
    const float LEAST = 1.2;  // pixels
    return max(LEAST * max(away, 0.05) / (pixels_high * max(width, 1e-9)), 1.0);
}

// ---- shown ----
uniform float strength;   // how much of the layer is drawn at all
uniform float near_rate;  // 1/m: how fast it fades close to the eye

// How solid a particle `depth` metres away is drawn.
float shown(float solid, float depth) {
    return solid * strength * clamp(depth * near_rate, 0.0, 1.0);
}

// ---- sprite.frag ----
#if DRAPED
vec2 within;
float depth;
in vec3 ray;
flat in vec3 middle, axis_x, axis_y, axis_z;
uniform vec3 eye;
#if FINE
uniform sampler2DMS fine_depth;
#endif
#else
in vec2 within;
#endif
#if SMEARED
flat in vec2 smear;
#endif
#if LIT
in vec4 paint;
#else
flat in vec4 paint;
#endif
#if SHEET
flat in vec2 corner_now, corner_next;
flat in float share;
uniform ivec2 grid;
#endif
#if RICH
flat in vec4 worn, run;
#endif
#if RAMP
flat in float cooled;
#endif
#if GLOSS
in vec3 standing_at;
flat in vec3 leaning_x, leaning_y, leaning_z;
#if !DRAPED
uniform vec3 eye;
#endif
#define ALL_LAMPS 1
//! light
//! gloss
#endif
#if LEANS
uniform sampler2D normals;
#endif
#if SIX
uniform sampler2D six;
uniform float lit;
flat in vec3 from_right, from_left, from_above, from_below, from_front, from_behind;
#endif
#if TILED
uniform vec2 tiling;
#endif
#if VECTORS
uniform sampler2D vectors;
uniform float vectors_reach;
#endif
#if SECOND || WARPED || WORN
uniform vec2 second_run, warp_run, wear_run;
uniform vec3 scatters;   // of the second, warping and eating pictures
#endif
#if VIEW == 5
flat in float reach;
#endif
#if FACING == 0
flat in float depth;  // square to the camera: the same all over
#elif !DRAPED
in float depth;
#endif

//! surface

#if SHEET
vec2 in_sheet(vec2 corner, vec2 at) {
    // Half a pixel inside the frame, so that neighbours in the sheet never bleed in.
    vec2 rim = 0.5 * vec2(grid) / vec2(textureSize(picture, 0));
    return (corner + clamp(at, rim, 1.0 - rim)) / vec2(grid);
}
#endif

#if SIX
// The light that a place of a sheet throws back: three sides in its upper half, three in its lower.
vec3 thrown_back(vec2 in_sheet_at) {
    vec2 at = in_sheet_at * vec2(1.0, 0.5);
    vec3 first = texture(six, at).rgb, second = texture(six, at + vec2(0.0, 0.5)).rgb;
    return first.r * from_right + first.g * from_above + first.b * from_front
         + second.r * from_left + second.g * from_below + second.b * from_behind;
}
#endif

#if VIEW == 5
// How thick the air is, softly: light and cover of a smaller level of the picture.
float thick_at(vec2 at) {
#if SHEET && FLOWS
    vec4 soft = mix(textureLod(picture, in_sheet(corner_now, at), 3.0), textureLod(picture, in_sheet(corner_next, at), 3.0), share);
#elif SHEET
    vec4 soft = textureLod(picture, in_sheet(corner_now, at), 3.0);
#else
    vec4 soft = textureLod(picture, at, 3.0);
#endif
    return soft.a + soft.r;
}
#endif

// Light and cover of a place of the card.
vec4 pictured(vec2 at) {
#if TILED
    vec4 drawn = texture(picture, at * tiling - run.xy);
#elif SHEET
#if VECTORS
    vec2 go = (texture(vectors, in_sheet(corner_now, at)).rg - 0.5) * 2.0 * vectors_reach;
    vec2 come = (texture(vectors, in_sheet(corner_next, at)).rg - 0.5) * 2.0 * vectors_reach;
    vec4 drawn = mix(texture(picture, in_sheet(corner_now, at - go * share)),
                     texture(picture, in_sheet(corner_next, at + come * (1.0 - share))), share);
#else
    vec4 drawn = texture(picture, in_sheet(corner_now, at));
#if FLOWS
    drawn = mix(drawn, texture(picture, in_sheet(corner_next, at)), share);
#endif
#endif
#else
    vec4 drawn = texture(picture, at);
#endif
    return drawn;
}

#if SLIM
// The same over a pixel. A card that is long and a few pixels thin is looked at eight times across within each: what its picture shows may
// be narrower still, as a streak of rain, and would fall into dots.
vec4 pictured_within(vec2 at) {
    vec2 wide = vec2(length(vec2(dFdx(at.x), dFdy(at.x))), length(vec2(dFdx(at.y), dFdy(at.y))));
    bool upright = wide.x > wide.y;
    float thin = max(wide.x, wide.y);
    if (thin < 0.22 || thin < 3.0 * min(wide.x, wide.y)) return pictured(at);
    vec2 across = upright ? vec2(min(thin, 1.0), 0.0) : vec2(0.0, min(thin, 1.0));
    vec4 sum = vec4(0.0);
    for (int i = 0; i < 8; i++) sum += pictured(clamp(at + ((float(i) + 0.5) / 8.0 - 0.5) * across, 0.0, 1.0));
    return sum / 8.0;
}
#endif

#if SMEARED
const int TAPS = 16;

// The mean of the picture over the way that it moves; beyond the card there is nothing.
vec4 smeared(vec2 at) {
    vec4 sum = vec4(0.0);
    for (int i = 0; i < TAPS; i++) {
        vec2 there = at + smear * ((float(i) + 0.5) / float(TAPS) - 0.5);
        vec2 on = step(vec2(0.0), there) * step(there, vec2(1.0));
        sum += pictured(there) * (on.x * on.y);
    }
    return sum / float(TAPS);
}
#endif

#if LEANS
// Which way the surface leans there: across, up, towards the eye.
vec3 lean_at(vec2 at) {
#if SHEET
    return texture(normals, in_sheet(corner_now, at)).rgb * 2.0 - 1.0;
#else
    return texture(normals, at).rgb * 2.0 - 1.0;
#endif
}
#endif

#if DRAPED
vec3 spot_at(ivec2 off, vec3 across, vec3 downward) {
    ivec2 pixel = ivec2(gl_FragCoord.xy * depth_scale) + off;
    return (ray + across * float(off.x) + downward * float(off.y)) * texelFetch(scene_depth, pixel, 0).r;
}

// How flat the card lies on what is seen a pixel aside: the most that any two neighbours say.
float flat_at(ivec2 off, vec3 across, vec3 downward) {
    vec3 here = spot_at(off, across, downward), face = normalize(axis_z);
    vec3 after = spot_at(off + ivec2(1, 0), across, downward) - here, before = spot_at(off - ivec2(1, 0), across, downward) - here;
    vec3 below = spot_at(off + ivec2(0, 1), across, downward) - here, above = spot_at(off - ivec2(0, 1), across, downward) - here;
    return max(max(abs(dot(normalize(cross(after, below)), face)), abs(dot(normalize(cross(after, above)), face))),
               max(abs(dot(normalize(cross(before, below)), face)), abs(dot(normalize(cross(before, above)), face))));
}

// The same around a pixel, so that edges do not fray.
float flatness(vec3 across, vec3 downward) {
    float sum = 2.0 * flat_at(ivec2(0), across, downward);
    for (int i = 0; i < 4; i++) sum += flat_at(ivec2((i & 1) * 2 - 1, (i >> 1) * 2 - 1), across, downward);
    return sum / 6.0;
}
#endif

void main() {
#if DRAPED
    // Which place of the card lies on what is seen here.
    depth = texelFetch(scene_depth, ivec2(gl_FragCoord.xy * depth_scale), 0).r;
    vec3 spot = eye + ray * depth;
    vec3 to_right = dFdx(ray) / depth_scale.x, to_below = dFdy(ray) / depth_scale.y;
    vec3 away = spot - middle;
    vec3 own = vec3(dot(away, axis_x), dot(away, axis_y), dot(away, axis_z));
    if (any(greaterThan(abs(own), vec3(0.5, 0.5, 1.0)))) discard;
    within = vec2(own.x + 0.5, 0.5 - own.y);
    // It fades where it would be drawn out over a side, and at its reach.
    float solid = paint.a * smoothstep(0.1, 0.5, flatness(to_right, to_below)) * (1.0 - smoothstep(0.75, 1.0, abs(own.z)));
#if FINE
    // At the edge of what it lies on, as much of it as there is of that in the pixel.
    float here = 0.0;
    for (int i = 0; i < 4; i++) here += float(texelFetch(fine_depth, ivec2(gl_FragCoord.xy), i).r < depth + 0.03 * depth + 0.02);
    solid *= 0.25 * here;
#endif
#else
    float solid = paint.a * seen_at(depth);
#endif
    vec2 at = within;
#if WARPED
    at = warped(at, worn.w, warp_run + scatters.y * run.w * vec2(1.0, 1.7));
#endif
#if SMEARED
    vec4 drawn = smeared(at);
#elif SLIM
    vec4 drawn = pictured_within(at);
#else
    vec4 drawn = pictured(at);
#endif
#if SIX
#if SHEET
    vec3 back = thrown_back(in_sheet(corner_now, at));
#if FLOWS
    back = mix(back, thrown_back(in_sheet(corner_next, at)), share);
#endif
#else
    vec3 back = thrown_back(at);
#endif
    drawn.rgb = drawn.rgb * (1.0 - lit) + drawn.a * back;
#endif
#if SECOND
    drawn *= texture(second, at * second_tiling - second_run - scatters.x * run.w * vec2(1.0, 1.7));
#endif
#if THIRD
    drawn *= texture(third, at * third_tiling - third_run - third_scatter * run.w * vec2(1.0, 1.7));
#endif
#if RAMP
    drawn = ramped(drawn, cooled);
#endif
#if WORN
    drawn = eaten_away(drawn, at, wear_run + scatters.z * run.w * vec2(1.0, 1.7), worn.x, worn.y);
#endif
#if RIM
    // A card is a ball to its edge glow.
    vec2 off = (within - 0.5) * 2.0;
    vec2 edge = edged(1.0 - sqrt(max(1.0 - dot(off, off), 0.0)), worn.z);
    float inside = 1.0 - smoothstep(0.94, 1.0, dot(off, off));
    drawn = vec4(drawn.rgb * edge.x, drawn.a * edge.y) * inside;
#endif
#if FADES
    vec2 apart = (within - 0.5) * 2.0;
    drawn *= faded(1.0 - sqrt(max(1.0 - dot(apart, apart), 0.0)));
#endif
#if GLOSS
#if LEANS
    vec3 lean = lean_at(at);
#else
    vec3 lean = vec3((within.x - 0.5) * 2.0, (0.5 - within.y) * 2.0, 0.0);
    lean.z = sqrt(max(1.0 - dot(lean.xy, lean.xy), 0.04));
#endif
    vec3 turned_to = normalize(leaning_x * lean.x + leaning_y * lean.y + leaning_z * lean.z);
    vec3 shone = highlights(standing_at, normalize(eye - standing_at), turned_to, gloss_rough) * gloss_by * drawn.a;
#else
    const vec3 shone = vec3(0.0);
#endif
#if VIEW == 5 && LEANS
    paint_haze(clamp(drawn.a * solid * 2.0, 0.0, 1.0), -lean_at(at).xy * reach * 4.0 * solid);
#elif VIEW == 5
    const vec2 d = vec2(0.07, 0.0);
    vec2 slope = vec2(thick_at(at + d.xy) - thick_at(at - d.xy), thick_at(at - d.yx) - thick_at(at + d.yx)) / (2.0 * d.x);
    paint_haze(clamp(thick_at(at) * solid * 2.0, 0.0, 1.0), slope * reach * solid);
#else
    paint_over(drawn, paint.rgb, solid, depth, shone);
#endif
}

// ---- surface ----
// What sprites, meshes and strips share: how a point of their picture is made, dissolved, lit, seen and blended.
//   BLEND 0 additive, 1 alpha, 2 multiply, 3 screen, 4 cut-out
//   VIEW  0 the picture, 1 how often a pixel is painted, 2 what shows at all, 3 opacity alone, 4 what glows, 5 haze
uniform sampler2D picture;      // premultiplied linear light
#if !SOLID
uniform sampler2D scene_depth;  // metres along the view axis
uniform vec2 depth_scale;       // its pixels for one of these
#if SOFT
uniform float soft_rate;        // 1/m
#endif
#endif
#if SECOND
uniform sampler2D second;
uniform vec2 second_tiling;
#endif
#if THIRD
uniform sampler2D third;
uniform vec2 third_tiling, third_run;
uniform float third_scatter;
#endif
#if WARPED
uniform sampler2D warp;
uniform vec2 warp_tiling;
#endif
#if WORN
uniform sampler2D wear;         // what eats it: its light parts last longest
uniform vec2 wear_tiling;
uniform float wear_soft, wear_contrast, burn_width;
uniform vec3 burn_tint;
#endif
#if RIM
uniform float edge_width, edge_floor;
#endif
#if FADES
uniform float fade_power, fade_floor;
#endif
#if RAMP
uniform sampler2D ramp;         // colours from dark to light
#endif
#if GLOSS
uniform float gloss_by, gloss_rough;
#endif
#if MEETS
uniform float meet_glow, meet_rate;  // 1/m
#endif
#if BLEND == 4
uniform float cut;
#endif
#if FOG
uniform float fog;
uniform vec3 fog_tint;
#endif
#if VIEW == 5
uniform sampler2D behind;       // the picture so far
uniform vec2 pixel_size;        // of it, as a share
#endif
layout(location = 0) out vec4 colour;
#if SOLID
layout(location = 1) out float depth_out;
#endif

// How much of a point `depth` metres away is seen: less where it meets the stage.
float seen_at(float depth) {
#if SOLID || DRAPED
    return 1.0;
#else
    float room = texelFetch(scene_depth, ivec2(gl_FragCoord.xy * depth_scale), 0).r - depth;
#if SOFT
    float meeting = clamp(room * soft_rate, 0.0, 1.0);
#else
    float meeting = step(0.0, room);
#endif
    return meeting;
#endif
}

#if WARPED
// Where to look instead, `by` of a card aside.
vec2 warped(vec2 at, float by, vec2 run) {
    vec2 one = vec2(texture(warp, at * warp_tiling - run).r, texture(warp, at.yx * warp_tiling + 0.37 - run).r);
    return at + (one - 0.5) * by;
}
#endif

#if WORN
// Light and cover of a drawn point after it is eaten: `gone` from 0 to 1, its edge `burn` times brighter.
vec4 eaten_away(vec4 drawn, vec2 at, vec2 run, float gone, float burn) {
    float lasts = clamp((texture(wear, at * wear_tiling - run).r - 0.5) * wear_contrast + 0.5, 0.0, 1.0);
    float line = gone * (1.0 + wear_soft) - wear_soft;
    float left = clamp((lasts - line) / max(wear_soft, 1e-4), 0.0, 1.0);
    if (gone >= 1.0) left = 0.0;
    float rim = 1.0 - clamp((lasts - line - wear_soft * 0.5) / max(burn_width, 1e-4), 0.0, 1.0);
    vec3 hot = 1.0 + burn * rim * step(1e-4, gone) * burn_tint;
    return vec4(drawn.rgb * left * hot, drawn.a * left);
}
#endif

#if RIM
// Factors on light and on cover where a surface turns away: `turned` is 0 face on, 1 at the edge.
vec2 edged(float turned, float glow) {
    float rim = clamp((turned - 1.0 + edge_width) / edge_width, 0.0, 1.0);
    rim *= rim;
    return vec2(edge_floor + glow * rim, clamp(edge_floor + rim, 0.0, 1.0));
}
#endif

#if FADES
// How much is left where a surface turns away.
float faded(float turned) {
    return mix(fade_floor, 1.0, pow(clamp(1.0 - turned, 0.0, 1.0), fade_power));
}
#endif

#if RAMP
// Light and cover in the colours of the ramp, by how light the picture is as it would be shown, and how much of it there is.
vec4 ramped(vec4 drawn, float cools) {
    vec3 own = drawn.rgb / max(drawn.a, 1e-4);
    float light = max(own.r, max(own.g, own.b));
    light = light <= 0.0031308 ? 12.92 * light : 1.055 * pow(light, 1.0 / 2.4) - 0.055;
    return vec4(texture(ramp, vec2(clamp(light * drawn.a - cools, 0.002, 0.998), 0.5)).rgb * drawn.a, drawn.a);
}
#endif

// Blends light and cover (both premultiplied) painted over with a colour, `solid` of it. shone : highlights on top.
void paint_over(vec4 drawn, vec3 tint, float solid, float depth, vec3 shone) {
    vec3 light = (drawn.rgb * tint + shone) * solid;
    float cover = drawn.a * solid;
#if MEETS
    float room = texelFetch(scene_depth, ivec2(gl_FragCoord.xy * depth_scale), 0).r - depth;
    float meets = clamp(1.0 - room * meet_rate, 0.0, 1.0);
    light *= 1.0 + meet_glow * meets * meets;
#endif
#if BLEND == 4
    if (drawn.a < cut || solid <= 0.0) discard;
    light = (drawn.rgb * tint + shone) / max(drawn.a, 1e-4);
    cover = 1.0;
#endif
#if FOG
    float clear = exp(-fog * depth);
    light *= clear;
#if BLEND == 1 || BLEND == 4
    light += fog_tint * cover * (1.0 - clear);
#elif BLEND == 2
    cover *= clear;
#endif
#endif
#if VIEW == 1
    colour = vec4(1.0, 1.0, 1.0, 0.0);
#elif VIEW == 2
    float shows = max(cover, max(light.r, max(light.g, light.b)));
    if (shows < 0.02) discard;
    colour = vec4(1.0, 1.0, 1.0, 0.0);
#elif VIEW == 3
    colour = vec4(vec3(cover), cover);
#elif BLEND == 0    // additive
    colour = vec4(light, 0.0);
#elif BLEND == 1  // alpha
    colour = vec4(light, cover);
#elif BLEND == 2  // multiply
    colour = vec4(1.0 - cover + light, 1.0);
#elif BLEND == 3  // screen
    colour = vec4(min(light, 1.0), 0.0);
#else             // cut-out
    colour = vec4(light, 1.0);
#endif
#if SOLID
    depth_out = depth;
#endif
}

#if VIEW == 5
// What lies behind, shifted by so many pixels, as through uneven glass.
void paint_haze(float cover, vec2 shift) {
    vec2 at = (gl_FragCoord.xy + clamp(shift, -200.0, 200.0)) * pixel_size;
    colour = vec4(textureLod(behind, at, 0.0).rgb * cover, cover);
}
#endif

// ---- gloss ----
// x to the fifth; cheaper than `pow`.
float fifth(float x) {
    float square = x * x;
    return square * square * x;
}

// Light thrown back as from a smooth skin, by what is not drawn itself: the sun and the lamps of the stage. The lobe is that of Trowbridge
// and Reitz (1975), shadowed after Schlick (1994); `rough` 0 is a mirror.
float gloss(vec3 way, vec3 to_eye, vec3 normal, float rough) {
    vec3 halfway = normalize(way + to_eye);
    float facing = max(dot(normal, way), 0.0), seen = max(dot(normal, to_eye), 0.05), near = max(dot(normal, halfway), 0.0);
    float a2 = rough * rough * rough * rough;
    float spread = near * near * (a2 - 1.0) + 1.0;
    float k = 0.5 * rough * rough;
    float shadowed = 0.25 / ((facing * (1.0 - k) + k) * (seen * (1.0 - k) + k));
    float fresnel = 0.03 + 0.97 * fifth(1.0 - max(dot(halfway, to_eye), 0.0));
    return facing * min(a2 / (3.14159 * spread * spread), 400.0) * shadowed * fresnel;
}

vec3 glossed(vec3 place, vec3 to_eye, vec3 normal, float rough) {
    vec3 sum = sun_power * gloss(sun_way, to_eye, normal, max(rough, 0.16));
    for (int i = 0; i < lamp_count; i++) {
#ifndef ALL_LAMPS
        if (lamp_place[i].w == 0.0) continue;
#endif
        vec3 way = lamp_place[i].xyz - place;
        float d2 = dot(way, way) + 0.12;
        // A lamp is as large as a fist.
        sum += lamp_power[i] / d2 * gloss(way * inversesqrt(d2), to_eye, normal, min(rough + 0.10 * inversesqrt(d2), 1.0));
    }
    return sum;
}

// The same of all light, and of the sky, which is brighter towards the zenith; for what nothing else is mirrored in.
vec3 highlights(vec3 place, vec3 to_eye, vec3 normal, float rough) {
    float grazing = 0.04 + 0.96 * fifth(1.0 - max(dot(normal, to_eye), 0.0));
    vec3 around = mix(earth_light, sky_light, smoothstep(-0.3, 0.9, reflect(-to_eye, normal).y));
    return glossed(place, to_eye, normal, rough) + around * grazing * 1.5;
}

// ---- ribbon.vert ----
// Two corners for each point of a strip, to either side of its path.
in vec3 place, way, across;  // m; the path's direction; where the width lies, or nothing to face the camera
in float width;              // m
in vec4 tint;
in vec2 at;                  // along the strip, and 0 or 1 across it
in vec4 wearing;             // how far it is eaten, how its edge burns, how its rim glows, how far it is warped

uniform mat4 to_clip;
//! shown
//! thin
uniform vec3 eye, forward;
#if LIT
uniform float lit;
//! light
#endif

out vec2 within;
out vec4 paint;
out float depth;
flat out vec4 worn;

void main() {
    vec3 side = across;
    if (dot(side, side) < 1e-6) {
        side = cross(way, eye - place);
        side /= max(length(side), 1e-6);
    }
    float wider = widened(width, dot(place - eye, forward));
    vec3 corner = place + side * (width * wider * (at.y - 0.5));
#if MIRRORED
    gl_ClipDistance[0] = corner.y;  // the ground mirrors what is above it alone
#endif
    gl_Position = to_clip * vec4(corner, 1.0);
    within = at;
    worn = wearing;
    depth = dot(corner - eye, forward);
    paint = tint;
    paint.a = shown(paint.a, depth) / wider;
#if LIT
    vec3 face = normalize(cross(side, way) + vec3(0.0, 1e-6, 0.0));
    if (dot(face, eye - corner) < 0.0) face = -face;
    paint.rgb *= mix(vec3(1.0), received(corner, face, 0.2), lit);
#endif
}

// ---- ribbon.frag ----
in vec2 within;
in vec4 paint;
in float depth;

flat in vec4 worn;
uniform vec2 run, tiling;
uniform vec2 second_run, warp_run, wear_run;
//! surface

void main() {
    float solid = paint.a * seen_at(depth);
    vec2 place = within.yx;  // the picture's height lies along the strip
#if WARPED
    place = warped(place, worn.w, warp_run);
#endif
    vec4 drawn = texture(picture, place * tiling - run);
    // Where it is a few pixels wide, its picture within each of them: it may be narrower still.
    float wide = min(length(vec2(dFdx(within.y), dFdy(within.y))), 1.0);
    if (wide > 0.22) {
        drawn = vec4(0.0);
        for (int i = 0; i < 6; i++) {
            vec2 there = vec2(clamp(place.x + ((float(i) + 0.5) / 6.0 - 0.5) * wide, 0.0, 1.0), place.y);
            drawn += texture(picture, there * tiling - run) / 6.0;
        }
    }
#if SECOND
    drawn *= texture(second, place * second_tiling - second_run);
#endif
#if THIRD
    drawn *= texture(third, place * third_tiling - third_run);
#endif
#if RAMP
    drawn = ramped(drawn, 0.0);
#endif
#if WORN
    drawn = eaten_away(drawn, place, wear_run, worn.x, worn.y);
#endif
#if RIM
    vec2 edge = edged(abs(within.y - 0.5) * 2.0, worn.z);
    drawn = vec4(drawn.rgb * edge.x, drawn.a * edge.y);
#endif
#if FADES
    float off = abs(within.y - 0.5) * 2.0;
    drawn *= faded(1.0 - sqrt(max(1.0 - off * off, 0.0)));
#endif
    paint_over(drawn, paint.rgb, solid, depth, vec3(0.0));
}

// ---- mesh.vert ----
// A mesh for each particle.
in vec3 corner, normal;  // m, as modelled
in vec2 coords;
in vec3 place;
in vec3 extent;          // factors
in float angle;          // radians
in vec4 tint;
in float frame;
in vec3 motion;
in float lengthens;
in vec4 wearing;
in vec4 running;
in vec3 own_light;     // of its own, whatever falls on it
in float cools;        // how far down its ramp it is
in vec3 shares;        // what comes here of the light of sun, sky and strongest lamp

uniform mat4 to_clip;
//! shown
uniform float nearer;
uniform float foot;      // m, height of the pivot in the mesh
uniform bool tumbles;
#if LIT
uniform float lit;
//! light
#endif
#if BUMPY
uniform float bumps, bump_size, bump_run;
//! bumps
#endif
//! stand

out vec2 within;
out vec4 paint;
flat out vec4 worn, run;
#if RIM || FADES || GLOSS || VIEW == 5
out vec3 leaning, seen_from;
#endif
#if VIEW == 5
uniform float pixels_high;
flat out float reach;  // pixels
#endif
#if GLOSS
out vec3 standing_at;
#endif
flat out float cooled;
out float depth;

vec3 about(vec3 v, vec3 axis, float by) {
    return v * cos(by) + cross(axis, v) * sin(by) + axis * dot(axis, v) * (1.0 - cos(by));
}

void main() {
    vec3 across, upward;
    stand(place, motion, across, upward);
    vec3 face = cross(across, upward);
    vec3 modelled = corner, leans = normal;
#if BUMPY
    bump(modelled, leans, bumps, bump_size, bump_run, running.w);
#endif
    vec3 own = (modelled - vec3(0.0, foot, 0.0)) * extent;
    vec3 lean = leans / max(extent, vec3(1e-6));
    // An axis of its own from its own number; else its height.
    float dice = running.w * 6.2831853;
    float tilt = fract(running.w * 97.31) * 2.0 - 1.0;
    float flat_part = sqrt(max(1.0 - tilt * tilt, 0.0));
    vec3 axis = tumbles ? vec3(cos(dice) * flat_part, tilt, sin(dice) * flat_part) : vec3(0.0, 1.0, 0.0);
    own = about(own, axis, angle);
    lean = about(lean, axis, angle);
    vec3 at = place + across * own.x + upward * own.y + face * own.z;
    vec3 outward = normalize(across * lean.x + upward * lean.y + face * lean.z);
    if (nearer != 0.0) at += normalize(eye - at) * min(nearer, 0.9 * length(eye - at));
#if MIRRORED
    gl_ClipDistance[0] = at.y;  // the ground mirrors what is above it alone
#endif
    gl_Position = to_clip * vec4(at, 1.0);
    depth = dot(at - eye, forward);
    within = vec2(coords.x, 1.0 - coords.y);
    paint = tint;
    paint.a = shown(paint.a, depth);
#if LIT
    vec3 lit_side = dot(outward, eye - at) < 0.0 ? -outward : outward;
#if SHADED
    reaches = shares;
#endif
    paint.rgb *= mix(vec3(1.0), received(at, lit_side, 0.0), lit);
#endif
#if SELF
    paint.rgb += own_light;
#endif
#if RIM || FADES || GLOSS || VIEW == 5
    leaning = outward;
    seen_from = eye - at;
#endif
#if VIEW == 5
    reach = running.z * max(extent.x, extent.y) * pixels_high / max(dot(place - eye, forward), 0.05);
#endif
#if GLOSS
    standing_at = at;
#endif
    cooled = cools;
    worn = wearing;
    run = running;
}

// ---- bumps ----
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

// ---- mesh.frag ----
in vec2 within;
in vec4 paint;
flat in vec4 worn, run;
#if RIM || FADES || GLOSS || VIEW == 5
in vec3 leaning, seen_from;
#endif
#if VIEW == 5
flat in float reach;
uniform vec3 right, up;
#endif
flat in float cooled;
#if GLOSS
in vec3 standing_at;
#define ALL_LAMPS 1
//! light
//! gloss
#endif
in float depth;
uniform vec2 tiling;
uniform vec2 second_run, warp_run, wear_run;
uniform vec3 scatters;

//! surface

void main() {
    float solid = paint.a * seen_at(depth);
    vec2 at = within;
#if WARPED
    at = warped(at, worn.w, warp_run + scatters.y * run.w * vec2(1.0, 1.7));
#endif
    vec4 drawn = texture(picture, at * tiling - run.xy);
#if SECOND
    drawn *= texture(second, at * second_tiling - second_run - scatters.x * run.w * vec2(1.0, 1.7));
#endif
#if THIRD
    drawn *= texture(third, at * third_tiling - third_run - third_scatter * run.w * vec2(1.0, 1.7));
#endif
#if RAMP
    drawn = ramped(drawn, cooled);
#endif
#if WORN
    drawn = eaten_away(drawn, at, wear_run + scatters.z * run.w * vec2(1.0, 1.7), worn.x, worn.y);
#endif
#if RIM
    vec2 edge = edged(1.0 - abs(dot(normalize(leaning), normalize(seen_from))), worn.z);
    drawn = vec4(drawn.rgb * edge.x, drawn.a * edge.y);
#endif
#if FADES
    drawn *= faded(1.0 - abs(dot(normalize(leaning), normalize(seen_from))));
#endif
#if GLOSS
    vec3 lean = normalize(leaning), to_eye = normalize(seen_from);
    vec3 shone = highlights(standing_at, to_eye, dot(lean, to_eye) < 0.0 ? -lean : lean, gloss_rough) * gloss_by * drawn.a;
#else
    const vec3 shone = vec3(0.0);
#endif
#if VIEW == 5
    // Glass and water: what lies behind is seen the more aside, the more the surface turns away.
    vec3 turned = normalize(leaning) * sign(dot(leaning, seen_from));
    paint_haze(clamp(solid * 4.0, 0.0, 1.0), -vec2(dot(turned, right), dot(turned, up)) * reach);
#else
    paint_over(drawn, paint.rgb, solid, depth, shone);
#endif
}
