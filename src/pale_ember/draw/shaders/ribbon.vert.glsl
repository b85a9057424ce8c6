#version 330 core
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
