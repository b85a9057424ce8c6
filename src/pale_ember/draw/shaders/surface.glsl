// What sprites and ribbons share: how a point of their picture meets the stage, is eaten away, and is blended.
uniform sampler2D picture;      // premultiplied linear light
uniform sampler2D scene_depth;  // metres along the view axis
#if WORN
uniform sampler2D wear;         // what eats it: its light parts last longest
uniform float wear_soft, wear_tile, edge_width;
#endif
#if SOFT
uniform float soft;             // m
#endif
#if BLEND == 4
uniform float cut;
#endif
out vec4 colour;

// How much of a point `depth` metres away is seen: less where it meets the stage and close to the eye.
float seen_at(float depth) {
    float room = texelFetch(scene_depth, ivec2(gl_FragCoord.xy), 0).r - depth;
#if SOFT
    float meeting = clamp(room / soft, 0.0, 1.0);
#else
    float meeting = step(0.0, room);
#endif
    return meeting * clamp(depth * 4.0, 0.0, 1.0);
}

#if WORN
// Light and cover of a drawn point after it is eaten: `eaten` from 0 to 1, its edge glowing `edge` times as bright.
vec4 eaten_away(vec4 drawn, vec2 place, float eaten, float edge) {
    vec3 kept = texture(wear, place * wear_tile).rgb;
    float lasts = dot(kept, vec3(0.2126, 0.7152, 0.0722));
    float line = eaten * (1.0 + wear_soft) - wear_soft;
    float left = clamp((lasts - line) / max(wear_soft, 1e-4), 0.0, 1.0);
    if (eaten >= 1.0) left = 0.0;
    float rim = 1.0 - clamp((lasts - line - wear_soft * 0.5) / max(edge_width, 1e-4), 0.0, 1.0);
    return vec4(drawn.rgb * left * (1.0 + edge * rim * step(1e-4, eaten)), drawn.a * left);
}
#endif

// Blends light and cover (both premultiplied) painted over with a colour, `solid` of it.
void paint_over(vec4 drawn, vec3 tint, float solid) {
    vec3 light = drawn.rgb * tint * solid;
    float cover = drawn.a * solid;
#if BLEND == 0    // additive
    colour = vec4(light, 0.0);
#elif BLEND == 1  // alpha
    colour = vec4(light, cover);
#elif BLEND == 2  // multiply
    colour = vec4(1.0 - cover + light, 1.0);
#elif BLEND == 3  // screen
    colour = vec4(min(light, 1.0), 0.0);
#else             // cut-out
    if (drawn.a < cut || solid <= 0.0) discard;
    colour = vec4(drawn.rgb / max(drawn.a, 1e-4) * tint, 1.0);
#endif
}
