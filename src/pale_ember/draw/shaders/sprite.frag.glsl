#version 330 core
#if DRAPED
vec2 within;
float depth;
in vec3 ray;
flat in vec3 middle, axis_x, axis_y, axis_z;
uniform vec3 eye;
#if FINE
uniform sampler2DMS fine_depth;
#endif
#else
in vec2 within;
#endif
#if SMEARED
flat in vec2 smear;
#endif
#if LIT
in vec4 paint;
#else
flat in vec4 paint;
#endif
#if SHEET
flat in vec2 corner_now, corner_next;
flat in float share;
uniform ivec2 grid;
#endif
#if RICH
flat in vec4 worn, run;
#endif
#if RAMP
flat in float cooled;
#endif
#if GLOSS
in vec3 standing_at;
flat in vec3 leaning_x, leaning_y, leaning_z;
#if !DRAPED
uniform vec3 eye;
#endif
#define ALL_LAMPS 1
//! light
//! gloss
#endif
#if LEANS
uniform sampler2D normals;
#endif
#if SIX
uniform sampler2D six;
uniform float lit;
flat in vec3 from_right, from_left, from_above, from_below, from_front, from_behind;
#endif
#if TILED
uniform vec2 tiling;
#endif
#if VECTORS
uniform sampler2D vectors;
uniform float vectors_reach;
#endif
#if SECOND || WARPED || WORN
uniform vec2 second_run, warp_run, wear_run;
uniform vec3 scatters;   // of the second, warping and eating pictures
#endif
#if VIEW == 5
flat in float reach;
#endif
#if FACING == 0
flat in float depth;  // square to the camera: the same all over
#elif !DRAPED
in float depth;
#endif

//! surface

#if SHEET
vec2 in_sheet(vec2 corner, vec2 at) {
    // Half a pixel inside the frame, so that neighbours in the sheet never bleed in.
    vec2 rim = 0.5 * vec2(grid) / vec2(textureSize(picture, 0));
    return (corner + clamp(at, rim, 1.0 - rim)) / vec2(grid);
}
#endif

#if SIX
// The light that a place of a sheet throws back: three sides in its upper half, three in its lower.
vec3 thrown_back(vec2 in_sheet_at) {
    vec2 at = in_sheet_at * vec2(1.0, 0.5);
    vec3 first = texture(six, at).rgb, second = texture(six, at + vec2(0.0, 0.5)).rgb;
    return first.r * from_right + first.g * from_above + first.b * from_front
         + second.r * from_left + second.g * from_below + second.b * from_behind;
}
#endif

#if VIEW == 5
// How thick the air is, softly: light and cover of a smaller level of the picture.
float thick_at(vec2 at) {
#if SHEET && FLOWS
    vec4 soft = mix(textureLod(picture, in_sheet(corner_now, at), 3.0), textureLod(picture, in_sheet(corner_next, at), 3.0), share);
#elif SHEET
    vec4 soft = textureLod(picture, in_sheet(corner_now, at), 3.0);
#else
    vec4 soft = textureLod(picture, at, 3.0);
#endif
    return soft.a + soft.r;
}
#endif

// Light and cover of a place of the card.
vec4 pictured(vec2 at) {
#if TILED
    vec4 drawn = texture(picture, at * tiling - run.xy);
#elif SHEET
#if VECTORS
    vec2 go = (texture(vectors, in_sheet(corner_now, at)).rg - 0.5) * 2.0 * vectors_reach;
    vec2 come = (texture(vectors, in_sheet(corner_next, at)).rg - 0.5) * 2.0 * vectors_reach;
    vec4 drawn = mix(texture(picture, in_sheet(corner_now, at - go * share)),
                     texture(picture, in_sheet(corner_next, at + come * (1.0 - share))), share);
#else
    vec4 drawn = texture(picture, in_sheet(corner_now, at));
#if FLOWS
    drawn = mix(drawn, texture(picture, in_sheet(corner_next, at)), share);
#endif
#endif
#else
    vec4 drawn = texture(picture, at);
#endif
    return drawn;
}

#if SLIM
// The same over a pixel. A card that is long and a few pixels thin is looked at eight times across within each: what its picture shows may
// be narrower still, as a streak of rain, and would fall into dots.
vec4 pictured_within(vec2 at) {
    vec2 wide = vec2(length(vec2(dFdx(at.x), dFdy(at.x))), length(vec2(dFdx(at.y), dFdy(at.y))));
    bool upright = wide.x > wide.y;
    float thin = max(wide.x, wide.y);
    if (thin < 0.22 || thin < 3.0 * min(wide.x, wide.y)) return pictured(at);
    vec2 across = upright ? vec2(min(thin, 1.0), 0.0) : vec2(0.0, min(thin, 1.0));
    vec4 sum = vec4(0.0);
    for (int i = 0; i < 8; i++) sum += pictured(clamp(at + ((float(i) + 0.5) / 8.0 - 0.5) * across, 0.0, 1.0));
    return sum / 8.0;
}
#endif

#if SMEARED
const int TAPS = 16;

// The mean of the picture over the way that it moves; beyond the card there is nothing.
vec4 smeared(vec2 at) {
    vec4 sum = vec4(0.0);
    for (int i = 0; i < TAPS; i++) {
        vec2 there = at + smear * ((float(i) + 0.5) / float(TAPS) - 0.5);
        vec2 on = step(vec2(0.0), there) * step(there, vec2(1.0));
        sum += pictured(there) * (on.x * on.y);
    }
    return sum / float(TAPS);
}
#endif

#if LEANS
// Which way the surface leans there: across, up, towards the eye.
vec3 lean_at(vec2 at) {
#if SHEET
    return texture(normals, in_sheet(corner_now, at)).rgb * 2.0 - 1.0;
#else
    return texture(normals, at).rgb * 2.0 - 1.0;
#endif
}
#endif

#if DRAPED
vec3 spot_at(ivec2 off, vec3 across, vec3 downward) {
    ivec2 pixel = ivec2(gl_FragCoord.xy * depth_scale) + off;
    return (ray + across * float(off.x) + downward * float(off.y)) * texelFetch(scene_depth, pixel, 0).r;
}

// How flat the card lies on what is seen a pixel aside: the most that any two neighbours say.
float flat_at(ivec2 off, vec3 across, vec3 downward) {
    vec3 here = spot_at(off, across, downward), face = normalize(axis_z);
    vec3 after = spot_at(off + ivec2(1, 0), across, downward) - here, before = spot_at(off - ivec2(1, 0), across, downward) - here;
    vec3 below = spot_at(off + ivec2(0, 1), across, downward) - here, above = spot_at(off - ivec2(0, 1), across, downward) - here;
    return max(max(abs(dot(normalize(cross(after, below)), face)), abs(dot(normalize(cross(after, above)), face))),
               max(abs(dot(normalize(cross(before, below)), face)), abs(dot(normalize(cross(before, above)), face))));
}

// The same around a pixel, so that edges do not fray.
float flatness(vec3 across, vec3 downward) {
    float sum = 2.0 * flat_at(ivec2(0), across, downward);
    for (int i = 0; i < 4; i++) sum += flat_at(ivec2((i & 1) * 2 - 1, (i >> 1) * 2 - 1), across, downward);
    return sum / 6.0;
}
#endif

void main() {
#if DRAPED
    // Which place of the card lies on what is seen here.
    depth = texelFetch(scene_depth, ivec2(gl_FragCoord.xy * depth_scale), 0).r;
    vec3 spot = eye + ray * depth;
    vec3 to_right = dFdx(ray) / depth_scale.x, to_below = dFdy(ray) / depth_scale.y;
    vec3 away = spot - middle;
    vec3 own = vec3(dot(away, axis_x), dot(away, axis_y), dot(away, axis_z));
    if (any(greaterThan(abs(own), vec3(0.5, 0.5, 1.0)))) discard;
    within = vec2(own.x + 0.5, 0.5 - own.y);
    // It fades where it would be drawn out over a side, and at its reach.
    float solid = paint.a * smoothstep(0.1, 0.5, flatness(to_right, to_below)) * (1.0 - smoothstep(0.75, 1.0, abs(own.z)));
#if FINE
    // At the edge of what it lies on, as much of it as there is of that in the pixel.
    float here = 0.0;
    for (int i = 0; i < 4; i++) here += float(texelFetch(fine_depth, ivec2(gl_FragCoord.xy), i).r < depth + 0.03 * depth + 0.02);
    solid *= 0.25 * here;
#endif
#else
    float solid = paint.a * seen_at(depth);
#endif
    vec2 at = within;
#if WARPED
    at = warped(at, worn.w, warp_run + scatters.y * run.w * vec2(1.0, 1.7));
#endif
#if SMEARED
    vec4 drawn = smeared(at);
#elif SLIM
    vec4 drawn = pictured_within(at);
#else
    vec4 drawn = pictured(at);
#endif
#if SIX
#if SHEET
    vec3 back = thrown_back(in_sheet(corner_now, at));
#if FLOWS
    back = mix(back, thrown_back(in_sheet(corner_next, at)), share);
#endif
#else
    vec3 back = thrown_back(at);
#endif
    drawn.rgb = drawn.rgb * (1.0 - lit) + drawn.a * back;
#endif
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
    // A card is a ball to its edge glow.
    vec2 off = (within - 0.5) * 2.0;
    vec2 edge = edged(1.0 - sqrt(max(1.0 - dot(off, off), 0.0)), worn.z);
    float inside = 1.0 - smoothstep(0.94, 1.0, dot(off, off));
    drawn = vec4(drawn.rgb * edge.x, drawn.a * edge.y) * inside;
#endif
#if FADES
    vec2 apart = (within - 0.5) * 2.0;
    drawn *= faded(1.0 - sqrt(max(1.0 - dot(apart, apart), 0.0)));
#endif
#if GLOSS
#if LEANS
    vec3 lean = lean_at(at);
#else
    vec3 lean = vec3((within.x - 0.5) * 2.0, (0.5 - within.y) * 2.0, 0.0);
    lean.z = sqrt(max(1.0 - dot(lean.xy, lean.xy), 0.04));
#endif
    vec3 turned_to = normalize(leaning_x * lean.x + leaning_y * lean.y + leaning_z * lean.z);
    vec3 shone = highlights(standing_at, normalize(eye - standing_at), turned_to, gloss_rough) * gloss_by * drawn.a;
#else
    const vec3 shone = vec3(0.0);
#endif
#if VIEW == 5 && LEANS
    paint_haze(clamp(drawn.a * solid * 2.0, 0.0, 1.0), -lean_at(at).xy * reach * 4.0 * solid);
#elif VIEW == 5
    const vec2 d = vec2(0.07, 0.0);
    vec2 slope = vec2(thick_at(at + d.xy) - thick_at(at - d.xy), thick_at(at - d.yx) - thick_at(at + d.yx)) / (2.0 * d.x);
    paint_haze(clamp(thick_at(at) * solid * 2.0, 0.0, 1.0), slope * reach * solid);
#else
    paint_over(drawn, paint.rgb, solid, depth, shone);
#endif
}
