#version 330 core
in vec2 within;
in vec4 paint;
in float depth;

flat in vec4 worn;
uniform vec2 run, tiling;
uniform vec2 second_run, warp_run, wear_run;
//! surface

void main() {
    float solid = paint.a * seen_at(depth);
    vec2 place = within.yx;  // the picture's height lies along the strip
#if WARPED
    place = warped(place, worn.w, warp_run);
#endif
    vec4 drawn = texture(picture, place * tiling - run);
    // Where it is a few pixels wide, its picture within each of them: it may be narrower still.
    float wide = min(length(vec2(dFdx(within.y), dFdy(within.y))), 1.0);
    if (wide > 0.22) {
        drawn = vec4(0.0);
        for (int i = 0; i < 6; i++) {
            vec2 there = vec2(clamp(place.x + ((float(i) + 0.5) / 6.0 - 0.5) * wide, 0.0, 1.0), place.y);
            drawn += texture(picture, there * tiling - run) / 6.0;
        }
    }
#if SECOND
    drawn *= texture(second, place * second_tiling - second_run);
#endif
#if THIRD
    drawn *= texture(third, place * third_tiling - third_run);
#endif
#if RAMP
    drawn = ramped(drawn, 0.0);
#endif
#if WORN
    drawn = eaten_away(drawn, place, wear_run, worn.x, worn.y);
#endif
#if RIM
    vec2 edge = edged(abs(within.y - 0.5) * 2.0, worn.z);
    drawn = vec4(drawn.rgb * edge.x, drawn.a * edge.y);
#endif
#if FADES
    float off = abs(within.y - 0.5) * 2.0;
    drawn *= faded(1.0 - sqrt(max(1.0 - off * off, 0.0)));
#endif
    paint_over(drawn, paint.rgb, solid, depth, vec3(0.0));
}
