#version 330 core
in vec2 within;
in vec4 paint;
flat in vec4 worn, run;
#if RIM || FADES || GLOSS || VIEW == 5
in vec3 leaning, seen_from;
#endif
#if VIEW == 5
flat in float reach;
uniform vec3 right, up;
#endif
flat in float cooled;
#if GLOSS
in vec3 standing_at;
#define ALL_LAMPS 1
//! light
//! gloss
#endif
in float depth;
uniform vec2 tiling;
uniform vec2 second_run, warp_run, wear_run;
uniform vec3 scatters;

//! surface

void main() {
    float solid = paint.a * seen_at(depth);
    vec2 at = within;
#if WARPED
    at = warped(at, worn.w, warp_run + scatters.y * run.w * vec2(1.0, 1.7));
#endif
    vec4 drawn = texture(picture, at * tiling - run.xy);
#if SECOND
    drawn *= texture(second, at * second_tiling - second_run - scatters.x * run.w * vec2(1.0, 1.7));
#endif
#if THIRD
    drawn *= texture(third, at * third_tiling - third_run - third_scatter * run.w * vec2(1.0, 1.7));
#endif
#if RAMP
    drawn = ramped(drawn, cooled);
#endif
#if WORN
    drawn = eaten_away(drawn, at, wear_run + scatters.z * run.w * vec2(1.0, 1.7), worn.x, worn.y);
#endif
#if RIM
    vec2 edge = edged(1.0 - abs(dot(normalize(leaning), normalize(seen_from))), worn.z);
    drawn = vec4(drawn.rgb * edge.x, drawn.a * edge.y);
#endif
#if FADES
    drawn *= faded(1.0 - abs(dot(normalize(leaning), normalize(seen_from))));
#endif
#if GLOSS
    vec3 lean = normalize(leaning), to_eye = normalize(seen_from);
    vec3 shone = highlights(standing_at, to_eye, dot(lean, to_eye) < 0.0 ? -lean : lean, gloss_rough) * gloss_by * drawn.a;
#else
    const vec3 shone = vec3(0.0);
#endif
#if VIEW == 5
    // Glass and water: what lies behind is seen the more aside, the more the surface turns away.
    vec3 turned = normalize(leaning) * sign(dot(leaning, seen_from));
    paint_haze(clamp(solid * 4.0, 0.0, 1.0), -vec2(dot(turned, right), dot(turned, up)) * reach);
#else
    paint_over(drawn, paint.rgb, solid, depth, shone);
#endif
}
