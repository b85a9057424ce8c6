#version 330 core
in vec2 within;
in vec4 paint;
in float depth;

uniform vec2 eaten;   // how far, and how bright its edge
uniform vec2 shift;
uniform bool across;  // whether the picture's height lies along the band
//! surface

void main() {
    float solid = paint.a * seen_at(depth);
    if (solid <= 0.0) discard;
    vec2 place = across ? vec2(within.y, within.x) : within;
    vec4 drawn = texture(picture, place - shift);
    paint_over(eaten_away(drawn, place - shift, eaten.x, eaten.y), paint.rgb, solid);
}
