// What sprites, meshes and strips share: how a point of their picture is made, dissolved, lit, seen and blended.
//   BLEND 0 additive, 1 alpha, 2 multiply, 3 screen, 4 cut-out
//   VIEW  0 the picture, 1 how often a pixel is painted, 2 what shows at all, 3 opacity alone, 4 what glows, 5 haze
uniform sampler2D picture;      // premultiplied linear light
#if !SOLID
uniform sampler2D scene_depth;  // metres along the view axis
uniform vec2 depth_scale;       // its pixels for one of these
#if SOFT
uniform float soft_rate;        // 1/m
#endif
#endif
#if SECOND
uniform sampler2D second;
uniform vec2 second_tiling;
#endif
#if THIRD
uniform sampler2D third;
uniform vec2 third_tiling, third_run;
uniform float third_scatter;
#endif
#if WARPED
uniform sampler2D warp;
uniform vec2 warp_tiling;
#endif
#if WORN
uniform sampler2D wear;         // what eats it: its light parts last longest
uniform vec2 wear_tiling;
uniform float wear_soft, wear_contrast, burn_width;
uniform vec3 burn_tint;
#endif
#if RIM
uniform float edge_width, edge_floor;
#endif
#if FADES
uniform float fade_power, fade_floor;
#endif
#if RAMP
uniform sampler2D ramp;         // colours from dark to light
#endif
#if GLOSS
uniform float gloss_by, gloss_rough;
#endif
#if MEETS
uniform float meet_glow, meet_rate;  // 1/m
#endif
#if BLEND == 4
uniform float cut;
#endif
#if FOG
uniform float fog;
uniform vec3 fog_tint;
#endif
#if VIEW == 5
uniform sampler2D behind;       // the picture so far
uniform vec2 pixel_size;        // of it, as a share
#endif
layout(location = 0) out vec4 colour;
#if SOLID
layout(location = 1) out float depth_out;
#endif

// How much of a point `depth` metres away is seen: less where it meets the stage.
float seen_at(float depth) {
#if SOLID || DRAPED
    return 1.0;
#else
    float room = texelFetch(scene_depth, ivec2(gl_FragCoord.xy * depth_scale), 0).r - depth;
#if SOFT
    float meeting = clamp(room * soft_rate, 0.0, 1.0);
#else
    float meeting = step(0.0, room);
#endif
    return meeting;
#endif
}

#if WARPED
// Where to look instead, `by` of a card aside.
vec2 warped(vec2 at, float by, vec2 run) {
    vec2 one = vec2(texture(warp, at * warp_tiling - run).r, texture(warp, at.yx * warp_tiling + 0.37 - run).r);
    return at + (one - 0.5) * by;
}
#endif

#if WORN
// Light and cover of a drawn point after it is eaten: `gone` from 0 to 1, its edge `burn` times brighter.
vec4 eaten_away(vec4 drawn, vec2 at, vec2 run, float gone, float burn) {
    float lasts = clamp((texture(wear, at * wear_tiling - run).r - 0.5) * wear_contrast + 0.5, 0.0, 1.0);
    float line = gone * (1.0 + wear_soft) - wear_soft;
    float left = clamp((lasts - line) / max(wear_soft, 1e-4), 0.0, 1.0);
    if (gone >= 1.0) left = 0.0;
    float rim = 1.0 - clamp((lasts - line - wear_soft * 0.5) / max(burn_width, 1e-4), 0.0, 1.0);
    vec3 hot = 1.0 + burn * rim * step(1e-4, gone) * burn_tint;
    return vec4(drawn.rgb * left * hot, drawn.a * left);
}
#endif

#if RIM
// Factors on light and on cover where a surface turns away: `turned` is 0 face on, 1 at the edge.
vec2 edged(float turned, float glow) {
    float rim = clamp((turned - 1.0 + edge_width) / edge_width, 0.0, 1.0);
    rim *= rim;
    return vec2(edge_floor + glow * rim, clamp(edge_floor + rim, 0.0, 1.0));
}
#endif

#if FADES
// How much is left where a surface turns away.
float faded(float turned) {
    return mix(fade_floor, 1.0, pow(clamp(1.0 - turned, 0.0, 1.0), fade_power));
}
#endif

#if RAMP
// Light and cover in the colours of the ramp, by how light the picture is as it would be shown, and how much of it there is.
vec4 ramped(vec4 drawn, float cools) {
    vec3 own = drawn.rgb / max(drawn.a, 1e-4);
    float light = max(own.r, max(own.g, own.b));
    light = light <= 0.0031308 ? 12.92 * light : 1.055 * pow(light, 1.0 / 2.4) - 0.055;
    return vec4(texture(ramp, vec2(clamp(light * drawn.a - cools, 0.002, 0.998), 0.5)).rgb * drawn.a, drawn.a);
}
#endif

// Blends light and cover (both premultiplied) painted over with a colour, `solid` of it. shone : highlights on top.
void paint_over(vec4 drawn, vec3 tint, float solid, float depth, vec3 shone) {
    vec3 light = (drawn.rgb * tint + shone) * solid;
    float cover = drawn.a * solid;
#if MEETS
    float room = texelFetch(scene_depth, ivec2(gl_FragCoord.xy * depth_scale), 0).r - depth;
    float meets = clamp(1.0 - room * meet_rate, 0.0, 1.0);
    light *= 1.0 + meet_glow * meets * meets;
#endif
#if BLEND == 4
    if (drawn.a < cut || solid <= 0.0) discard;
    light = (drawn.rgb * tint + shone) / max(drawn.a, 1e-4);
    cover = 1.0;
#endif
#if FOG
    float clear = exp(-fog * depth);
    light *= clear;
#if BLEND == 1 || BLEND == 4
    light += fog_tint * cover * (1.0 - clear);
#elif BLEND == 2
    cover *= clear;
#endif
#endif
#if VIEW == 1
    colour = vec4(1.0, 1.0, 1.0, 0.0);
#elif VIEW == 2
    float shows = max(cover, max(light.r, max(light.g, light.b)));
    if (shows < 0.02) discard;
    colour = vec4(1.0, 1.0, 1.0, 0.0);
#elif VIEW == 3
    colour = vec4(vec3(cover), cover);
#elif BLEND == 0    // additive
    colour = vec4(light, 0.0);
#elif BLEND == 1  // alpha
    colour = vec4(light, cover);
#elif BLEND == 2  // multiply
    colour = vec4(1.0 - cover + light, 1.0);
#elif BLEND == 3  // screen
    colour = vec4(min(light, 1.0), 0.0);
#else             // cut-out
    colour = vec4(light, 1.0);
#endif
#if SOLID
    depth_out = depth;
#endif
}

#if VIEW == 5
// What lies behind, shifted by so many pixels, as through uneven glass.
void paint_haze(float cover, vec2 shift) {
    vec2 at = (gl_FragCoord.xy + clamp(shift, -200.0, 200.0)) * pixel_size;
    colour = vec4(textureLod(behind, at, 0.0).rgb * cover, cover);
}
#endif
