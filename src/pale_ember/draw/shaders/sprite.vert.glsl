#version 330 core
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
