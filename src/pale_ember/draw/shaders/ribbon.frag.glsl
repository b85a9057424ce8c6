#version 330 core
in vec2 within;
in vec4 paint;
in float depth;

uniform vec2 eaten;   // how far, and how bright its edge
uniform vec2 shift;
//! surface

void main() {
    float solid = paint.a * seen_at(depth);
    if (solid <= 0.0) discard;
    vec2 place = within.yx;  // the picture's height lies along the band
    vec4 drawn = texture(picture, place - shift);
    paint_over(eaten_away(drawn, place - shift, eaten.x, eaten.y), paint.rgb, solid);
}
