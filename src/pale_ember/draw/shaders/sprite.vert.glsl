#version 330 core
// One quad for each particle.
in vec3 place;
in vec2 extent;      // metres: width and height
in float angle;      // radians
in vec4 tint;        // linear, not premultiplied, opacity last
in float frame;
in vec3 motion;      // m/s

uniform mat4 to_clip;
uniform vec3 eye, forward, right, up;
uniform bool along_motion;
uniform float streak;    // s
uniform ivec2 grid;      // columns, rows
uniform bool crossfade;  // whether frames flow into each other
uniform vec4 trim;       // the part of a frame with anything in it: left, top, right, bottom, 0 to 1

out vec2 within;     // place in the frame, 0 to 1, top left first
flat out vec4 paint;
flat out vec2 corner_now, corner_next;
flat out float share;
out float depth;

vec2 corner_of(float index) {
    return vec2(mod(index, float(grid.x)), floor(index / float(grid.x)));
}

void main() {
    within = mix(trim.xy, trim.zw, vec2(gl_VertexID & 1, gl_VertexID >> 1));
    vec2 corner = vec2(within.x - 0.5, 0.5 - within.y);
    float s = sin(angle), c = cos(angle);
    vec3 across = right * c + up * s;
    vec3 upward = up * c - right * s;
    vec2 size = extent;
    if (along_motion) {
        float speed = length(motion);
        vec3 way = motion / max(speed, 1e-6);
        vec3 side = cross(way, place - eye);
        float facing = length(side);
        if (speed > 1e-4 && facing > 1e-5) {
            across = side / facing;
            upward = way;
        }
        size.y += speed * streak;
    }
    vec3 at = place + across * (corner.x * size.x) + upward * (corner.y * size.y);
    gl_Position = to_clip * vec4(at, 1.0);
    depth = dot(at - eye, forward);
    paint = tint;
    float frames = float(grid.x * grid.y);
    float now = floor(frame);
    corner_now = corner_of(now);
    corner_next = corner_of(min(now + 1.0, frames - 1.0));
    share = crossfade ? frame - now : 0.0;
}
