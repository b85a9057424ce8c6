#version 330 core
// A prop of the stage. KIND 0 plain, 1 stone, 2 brick, 3 wood, 4 iron.
in vec3 at_world, at_own, leaning;
uniform float shines;
uniform vec3 eye, forward;
uniform vec3 stone, own_tint;
uniform vec3 haze_colour, fog_tint;
uniform float haze, fog;
uniform bool grounded;  // whether it stands on the ground, which takes some light from its foot
layout(location = 0) out vec4 colour;
layout(location = 1) out float depth;
uniform float wet;
//! light
#if KIND
uniform mat3 axes;       // its own, in the world
uniform vec3 half_size;  // m; of a box, else 0
uniform bool round_body;
uniform sampler2D skin;  // as `matter.frag.glsl` makes it
uniform float texels;    // its pixels along a side
//! skin
//! gloss

// Slope to the right and up, tone, roughness at a place of its skin, where a pixel covers `pixel` metres.
vec4 matter_at(vec2 p, float pixel) {
    vec4 drawn = textureLod(skin, p / SKIN, log2(max(pixel * texels / SKIN.x, 1.0)));
    vec2 lean = (drawn.rg - 0.5) * 2.0;
    return vec4(lean * inversesqrt(max(1.0 - dot(lean, lean), 0.02)), drawn.b * 1.5, drawn.a);
}
#endif

void main() {
    vec3 normal = normalize(leaning);
    if (dot(normal, eye - at_world) < 0.0) normal = -normal;
    // A little unlike on each side, so that forms read where no light falls.
    float form = 0.86 + 0.14 * normal.y + 0.10 * normal.x;
    if (grounded) form *= 0.62 + 0.38 * smoothstep(0.0, 0.45, at_world.y) + 0.3 * max(normal.y, 0.0) * step(at_world.y, 0.45);
    float away = length(at_world - eye);
#if KIND
    // Its skin laid flat: round bodies by their angle, others by the axis that each side looks along.
    vec3 own = transpose(axes) * normal;
    float pixel = max(length(fwidth(at_own)), 1e-4);
    vec2 p, free = vec2(0.0);
    vec3 u, v;
    if (round_body && abs(own.y) < 0.8) {
        float radius = max(length(at_own.xz), 1e-3);
        // Once round is a whole number of courses.
        p = vec2(atan(at_own.x, at_own.z) * max(round(radius / 0.0732), 1.0) * 0.0732, at_own.y);
        u = axes * vec3(at_own.z, 0.0, -at_own.x) / radius;
        v = axes[1];
    } else if (abs(own.y) > 0.7) { p = at_own.xz; free = half_size.xz; u = axes[0]; v = axes[2]; }
    else if (abs(own.x) > 0.7) { p = at_own.zy; free = half_size.zy; u = axes[2]; v = axes[1]; }
    else { p = at_own.xy; free = half_size.xy; u = axes[0]; v = axes[1]; }
#if KIND == 3
    // Staves stand; boards lie along x, and on a box a frame runs round each side.
    vec2 inset = free - abs(p);
    bool stave = round_body, framed = free.x > 0.0 && min(inset.x, inset.y) < 0.085 && min(free.x, free.y) > 0.16;
    bool turned = stave || (framed && inset.x < inset.y);
    vec4 made = matter_at((turned ? p.yx : p) + vec2(0.0, framed ? 0.5 : 0.0), pixel);
    if (turned) made.xy = made.yx;
    if (framed) {
        float off = min(min(inset.x, inset.y), 0.085 - min(inset.x, inset.y));
        made.z *= 1.12 * mix(0.35, 1.0, smoothstep(0.0, 0.005 + pixel, off));
    }
#else
    vec4 made = matter_at(p, pixel);
#endif
    vec3 rough_normal = normalize(normal - u * made.x - v * made.y);
    vec3 to_eye = normalize(eye - at_world);
    float film = wet * (0.4 + 0.6 * max(normal.y, 0.0));
    vec3 shade = stone * clamp(made.z, 0.05, 1.5) * 1.45 * mix(1.0, 0.62, film) * received(at_world, rough_normal, 0.0) * form;
    float sheen = KIND == 4 ? 1.0 : 0.85 * film;
    if (sheen > 0.0) shade += glossed(at_world, to_eye, rough_normal, clamp(mix(made.w, 0.3, film), 0.15, 0.9)) * sheen;
#if KIND == 4
    // Iron also throws back what light comes from all around.
    shade += 0.10 * mix(earth_light, sky_light, 0.5 + 0.5 * reflect(-to_eye, rough_normal).y) * form;
#endif
#else
    vec3 shade = stone * received(at_world, normal, 0.0) * form;
#endif
    shade += shines * own_tint;
    colour = vec4(mix(fog_tint, mix(haze_colour, shade, exp(-away * haze * away * haze)), exp(-away * fog)), 1.0);
    depth = dot(at_world - eye, forward);
}
