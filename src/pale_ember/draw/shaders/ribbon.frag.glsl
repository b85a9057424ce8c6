#version 330 core
in vec2 within;
in vec4 paint;
in float depth;

#if WORN
uniform vec2 eaten;   // how far, and how bright its edge
#endif
uniform vec2 shift;
//! surface

void main() {
    float solid = paint.a * seen_at(depth);
    vec2 place = within.yx;  // the picture's height lies along the band
    vec4 drawn = texture(picture, place - shift);
#if WORN
    drawn = eaten_away(drawn, place - shift, eaten.x, eaten.y);
#endif
    paint_over(drawn, paint.rgb, solid);
}
