#version 330 core
// One quad for each particle.
in vec3 place;
in vec2 extent;      // metres: width and height
in float angle;      // radians
in vec4 tint;        // linear, not premultiplied, opacity last
in float frame;
in vec3 motion;      // m/s
in vec4 surface;     // how far it is eaten, its edge's brightness, where its picture has run to
in float lengthens;  // factor on the streak

uniform mat4 to_clip;
uniform vec3 eye, forward, right, up;
uniform int facing;      // 0 to the camera, 1 upright, 2 along motion, 3 across motion, 4 flat, 5 free
uniform mat3 turn;       // the layer's axes
uniform float pivot, nearer;
uniform float streak;    // s
#if SHEET
uniform ivec2 grid;      // columns, rows
#endif
uniform vec4 trim;       // the part of a frame with anything in it: left, top, right, bottom, 0 to 1

out vec2 within;     // place in the frame, 0 to 1, top left first
flat out vec4 paint;
#if SHEET
flat out vec2 corner_now, corner_next;
flat out float share;
#endif
#if WORN
flat out vec2 eaten;
#endif
#if WORN || TILED
flat out vec2 shift;
#endif
out float depth;

#if SHEET
vec2 corner_of(float index) {
    return vec2(mod(index, float(grid.x)), floor(index / float(grid.x)));
}
#endif

void main() {
    within = mix(trim.xy, trim.zw, vec2(gl_VertexID & 1, gl_VertexID >> 1));
    vec2 corner = vec2(within.x - 0.5, 0.5 - within.y - 0.5 * pivot);
    vec3 across = right, upward = up;
    vec2 size = extent;
    float speed = length(motion);
    vec3 way = motion / max(speed, 1e-6);
    if (facing == 1) {
        upward = vec3(0.0, 1.0, 0.0);
        across = normalize(cross(upward, eye - place) + vec3(1e-6, 0.0, 0.0));
    } else if (facing == 2) {
        vec3 side = cross(way, place - eye);
        float slant = length(side);
        if (speed > 1e-4 && slant > 1e-5) {
            across = side / slant;
            upward = way;
        }
        size.y += speed * streak * lengthens;
    } else if (facing == 3) {
        vec3 face = speed > 1e-4 ? way : forward;
        across = normalize(cross(abs(face.y) < 0.99 ? vec3(0.0, 1.0, 0.0) : vec3(1.0, 0.0, 0.0), face));
        upward = cross(face, across);
    } else if (facing == 4) {
        across = vec3(1.0, 0.0, 0.0);
        upward = vec3(0.0, 0.0, -1.0);
    } else if (facing == 5) {
        across = turn[0];
        upward = turn[1];
    }
    if (facing != 2) {
        float s = sin(angle), c = cos(angle);
        vec3 turned = across * c + upward * s;
        upward = upward * c - across * s;
        across = turned;
    }
    vec3 at = place + across * (corner.x * size.x) + upward * (corner.y * size.y);
    if (nearer != 0.0) at += normalize(eye - at) * min(nearer, 0.9 * length(eye - at));
    gl_Position = to_clip * vec4(at, 1.0);
    depth = dot(at - eye, forward);
    paint = tint;
#if WORN
    eaten = surface.xy;
#endif
#if WORN || TILED
    shift = surface.zw;
#endif
#if SHEET
    float frames = float(grid.x * grid.y);
    float now = floor(frame);
    corner_now = corner_of(now);
    corner_next = corner_of(min(now + 1.0, frames - 1.0));
    share = frame - now;
#endif
}
