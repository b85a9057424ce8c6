#version 330 core
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
