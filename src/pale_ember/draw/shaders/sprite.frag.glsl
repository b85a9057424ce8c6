#version 330 core
in vec2 within;
flat in vec4 paint;
#if SHEET
flat in vec2 corner_now, corner_next;
flat in float share;
uniform ivec2 grid;
#endif
#if WORN
flat in vec2 eaten;          // how far, and how bright its edge
#endif
#if WORN || TILED
flat in vec2 shift;          // where the picture has run to
#endif
#if TILED
uniform vec2 tiling;
#endif
in float depth;

//! surface

#if SHEET
vec4 frame_at(vec2 corner) {
    // Half a pixel inside the frame, so that neighbours in the sheet never bleed in.
    vec2 rim = 0.5 * vec2(grid) / vec2(textureSize(picture, 0));
    return texture(picture, (corner + clamp(within, rim, 1.0 - rim)) / vec2(grid));
}
#endif

void main() {
    float solid = paint.a * seen_at(depth);
#if TILED
    vec4 drawn = texture(picture, within * tiling - shift);
#elif SHEET
    vec4 drawn = frame_at(corner_now);
#if FLOWS
    drawn = mix(drawn, frame_at(corner_next), share);
#endif
#else
    vec4 drawn = texture(picture, within);
#endif
#if WORN
    drawn = eaten_away(drawn, within - shift, eaten.x, eaten.y);
#endif
    paint_over(drawn, paint.rgb, solid);
}
