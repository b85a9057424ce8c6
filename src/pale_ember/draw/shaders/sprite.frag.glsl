#version 330 core
in vec2 within;
flat in vec4 paint;
flat in vec2 corner_now, corner_next;
flat in float share;
flat in vec2 eaten;          // how far, and how bright its edge
flat in vec2 shift;          // where the picture has run to
in float depth;

uniform ivec2 grid;
#if TILED
uniform vec2 tiling;
#endif
//! surface

vec4 frame_at(vec2 corner) {
    // Half a pixel inside the frame, so that neighbours in the sheet never bleed in.
    vec2 rim = 0.5 * vec2(grid) / vec2(textureSize(picture, 0));
    return texture(picture, (corner + clamp(within, rim, 1.0 - rim)) / vec2(grid));
}

void main() {
    float solid = paint.a * seen_at(depth);
    if (solid <= 0.0) discard;
#if TILED
    vec4 drawn = texture(picture, within * tiling - shift);
#else
    vec4 drawn = frame_at(corner_now);
#if FLOWS
    drawn = mix(drawn, frame_at(corner_next), share);
#endif
#endif
    paint_over(eaten_away(drawn, within - shift, eaten.x, eaten.y), paint.rgb, solid);
}
