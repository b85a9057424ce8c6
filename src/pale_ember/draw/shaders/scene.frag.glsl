#version 330 core
// GROUND, FIGURE : whether they can be seen in this part of the picture. KIND of backdrop: 0 two colours about the middle, 1 upward, 2 checker, 3 a picture.
// The stage behind the effect: backdrop, ground, a flat standing figure. One ray per pixel. HARD : the depth is written for the card's
// own test as well. PAVING 0 bare with a metre grid, 1 to 3 paved (see paving.frag), 4 water. WET : whether it mirrors.
in vec2 at;
uniform vec3 eye;
uniform vec3 ray_corner, ray_x, ray_y;  // the ray through a pixel: corner + at.x * x + at.y * y
uniform vec3 forward;
uniform vec3 backdrop, backdrop_edge;   // linear colours at the middle and the rim, or below and above
uniform sampler2D plate;
uniform float aspect, plate_aspect;
uniform vec3 stone;                     // the ground's own colour
uniform vec3 line;                      // added where the grid runs
uniform float haze, fog;                // 1/m: the ground's fading into the backdrop, and what air keeps back
uniform vec3 fog_tint;
uniform float pixel;                    // angle of one pixel, radians
layout(location = 0) out vec4 colour;
layout(location = 1) out float depth;   // metres along the view axis

const float FAR = 1e6;
uniform vec2 range;  // nearest and farthest that is drawn, metres
//! light

#if CAST
uniform sampler2D shadows;              // how much of the strongest lamp, and of the sun, is kept off
uniform int standing;
uniform vec4 foot[8], body[8];          // of what stands there: middle x, z and cos, sin of its turn; half width, half depth, low, high

// How much of the light from all around comes to a place of the ground, between what stands there.
float open_at(vec2 place) {
    float open = 1.0;
    for (int i = 0; i < standing; i++) {
        vec2 off = place - foot[i].xy;
        off = vec2(dot(off, foot[i].zw), dot(off, vec2(-foot[i].w, foot[i].z)));
        vec2 q = abs(off) - body[i].xy;
        float away = length(max(q, 0.0)), high = max(body[i].w - body[i].z, 1e-3);
        // A wall hides half of the sky at its foot, and less the farther away; what hangs hides less.
        float hides = 0.72 / (1.0 + 6.0 * away / high + 5.0 * away * away / (high * high));
        open *= 1.0 - hides * clamp(1.0 - max(body[i].z, 0.0) / high, 0.0, 1.0);
    }
    return open;
}

vec3 ground_light(vec3 place, vec3 normal) {
    vec2 off = textureLod(shadows, at, 0.0).rg;
    vec3 sum = received(place, normal, 0.0) - off.g * sun_power * max(dot(normal, sun_way), 0.0);
    if (lamp_count > 0) sum -= off.r * lamp_at(0, place, normal, 0.0);
    return sum * open_at(place.xz);
}
#else
vec3 ground_light(vec3 place, vec3 normal) {
    return received(place, normal, 0.0);
}
#endif

#if PAVING
//! noise
//! gloss
uniform float moment;                   // s, for what moves by itself
uniform vec3 right;
#if PAVING < 4
uniform sampler2D paving;
const float SIDE = 5.12;                // m, of the square that is repeated
#endif
#if WET
uniform sampler2D mirrored;             // what is above the ground, seen in it
uniform float wet;

// What is seen in ground of a roughness: the rougher, the softer, and the further drawn out towards the eye.
vec3 mirrored_in(vec3 normal, float rough, float blur) {
    vec2 bend = vec2(dot(normal, right), 0.6 * dot(normal.xz, -normalize(forward.xz)) ) * 0.22;
    float level = clamp(7.0 * sqrt(rough) - 1.0 + blur, 0.0, 5.0), reach = 0.16 * rough;
    vec3 sum = vec3(0.0);
    const float place[4] = float[](-0.9, -0.25, 0.3, 1.0);
    for (int i = 0; i < 4; i++) {
        vec2 where = at + bend + vec2(0.0, place[i] * reach);
        sum += min(textureLod(mirrored, clamp(where, 0.002, 0.998), level).rgb, vec3(24.0));
    }
    return sum * 0.25;
}
#endif

#if PAVING == 4
// The slope of moving water: five trains of waves, the shorter the slower, and the fainter the farther they lie apart on the screen.
vec2 waves_at(vec2 p, float blur) {
    vec2 slope = vec2(0.0);
    const vec2 way[5] = vec2[](vec2(0.8, 0.6), vec2(-0.4, 0.92), vec2(0.98, -0.2), vec2(0.28, -0.96), vec2(-0.86, -0.5));
    const float length_of[5] = float[](2.3, 1.37, 0.71, 0.43, 0.23);
    vec2 drift = 0.6 * vec2(noise(p * 0.7 + moment * 0.05, ivec2(0), 71), noise(p * 0.7 - moment * 0.06, ivec2(0), 72));
    for (int i = 0; i < 5; i++) {
        float k = 6.2831853 / length_of[i];
        // Deep water: waves run at the root of gravity over their number.
        float phase = dot(p + drift, way[i]) * k - sqrt(9.81 * k) * moment * 0.7;
        slope += way[i] * (cos(phase) * 0.045 * clamp(2.0 - blur * 4.0 / length_of[i], 0.0, 1.0));
    }
    return slope;
}
#endif

// Light from a place of the paved ground, `away` metres from the eye, where a pixel covers `blur` metres.
vec3 paved_light(vec3 place, float away, float blur) {
    vec3 to_eye = normalize(eye - place);
    float upside = sign(eye.y);
    float far_off = noise(place.xz * 0.23, ivec2(0), 81), nearby = noise(place.xz * 0.71, ivec2(0), 82);
#if PAVING == 4
    vec2 slope = waves_at(place.xz, blur) * (0.55 + 0.9 * nearby);
    vec3 normal = normalize(vec3(-slope.x, 1.0, -slope.y)), level = vec3(0.0, 1.0, 0.0);
    vec3 own = vec3(0.004, 0.010, 0.011) * received(place, level, 0.3) * 6.0;
    float rough = clamp(0.02 + 0.05 * blur, 0.0, 0.25), film = 1.0;
#else
    vec4 drawn = texture(paving, place.xz / SIDE);
    vec2 lean = (drawn.rg - 0.5) * 2.0;
    vec3 normal = normalize(vec3(lean.x, 1.0, lean.y) * vec3(1.0, upside, 1.0));
    float tone = drawn.b * (0.72 + 0.36 * far_off + 0.30 * nearby);
    float film = 0.0, rough = 0.85;
    vec3 own = stone * 3.0 * tone * mix(vec3(1.06, 1.0, 0.93), vec3(0.94, 1.0, 1.05), far_off);
#if WET
    // Water fills what lies low first; above it stones are dark and shine.
    float low = 0.62 * drawn.a + 0.55 * (1.0 - far_off) * nearby;
    float pool = smoothstep(0.0, 0.10, wet * 1.05 - 0.19 - low);
    film = smoothstep(0.0, 0.55, wet + 0.25 - 0.5 * drawn.a);
    own *= mix(mix(1.0, 0.62, film), 0.40, pool);
    rough = mix(mix(0.85, 0.36, film), 0.03, pool);
    normal = normalize(mix(normal, vec3(0.0, upside, 0.0), pool * 0.97));
    film = max(film, pool);
    // A steep edge is broken stone: it glints nowhere.
    rough = clamp(2.2 * length(normal.xz), rough, 0.9);
#endif
    own *= ground_light(place, normal);
#endif
    vec3 sum = own + glossed(place, to_eye, normal, rough) * film;
#if WET
    float grazing = fifth(1.0 - max(dot(normalize(mix(normal, vec3(0.0, upside, 0.0), 0.5)), to_eye), 0.0));
    float fresnel = (0.06 + 0.94 * grazing) * film * mix(1.0, 0.6, smoothstep(0.05, 0.5, rough));
    sum = mix(sum, mirrored_in(normal - vec3(0.0, normal.y, 0.0), rough, 0.0), clamp(fresnel, 0.0, 1.0));
#endif
    return min(sum, vec3(200.0));
}
#endif

vec3 backdrop_at(vec2 p) {
#if KIND == 1
    return mix(backdrop, backdrop_edge, smoothstep(0.0, 1.0, p.y));
#elif KIND == 2
    vec2 square = floor(p * vec2(aspect, 1.0) * 16.0);
    return mod(square.x + square.y, 2.0) < 0.5 ? backdrop : backdrop_edge;
#elif KIND == 3
    vec2 fit = aspect > plate_aspect ? vec2(1.0, plate_aspect / aspect) : vec2(aspect / plate_aspect, 1.0);
    vec2 q = 0.5 + (p - 0.5) * fit;
    return textureLod(plate, vec2(q.x, 1.0 - q.y), 0.0).rgb;
#else
    float r = length((p - vec2(0.5, 0.45)) * vec2(1.0, 0.85)) * 1.35;
    return mix(backdrop, backdrop_edge, smoothstep(0.0, 1.0, r));
#endif
}

float lines_at(vec2 p, float every, float width, float blur) {
    vec2 off = abs(fract(p / every + 0.5) - 0.5) * every;
    vec2 near = 1.0 - smoothstep(vec2(width), vec2(width) + blur, off);
    float spacing = clamp(1.0 - blur / every * 2.2, 0.0, 1.0);
    return max(near.x, near.y) * min(1.0, width / max(blur, 1e-5) + 0.25) * spacing;
}

float round_box(vec2 p, vec2 half_size, float r) {
    vec2 q = abs(p) - half_size + r;
    return length(max(q, 0.0)) + min(max(q.x, q.y), 0.0) - r;
}

float limb(vec2 p, vec2 a, vec2 b, float r) {
    vec2 pa = p - a, ba = b - a;
    return length(pa - ba * clamp(dot(pa, ba) / dot(ba, ba), 0.0, 1.0)) - r;
}

// Distance to a person of 1.75 m, metres; p.y is the height.
float figure_at(vec2 p) {
    p.x = abs(p.x);
    float d = length((p - vec2(0.0, 1.63)) * vec2(1.15, 1.0)) - 0.115;
    d = min(d, round_box(p - vec2(0.0, 1.18), vec2(0.20, 0.30), 0.14));
    d = min(d, limb(p, vec2(0.20, 1.38), vec2(0.27, 0.84), 0.055));
    d = min(d, limb(p, vec2(0.09, 0.92), vec2(0.11, 0.06), 0.075));
    return min(d, round_box(p - vec2(0.13, 0.03), vec2(0.085, 0.03), 0.02));
}

void main() {
    vec3 ray = ray_corner + at.x * ray_x + at.y * ray_y;
    float along = dot(ray, forward);
    vec3 seen = backdrop_at(at);
    depth = FAR;
#if GROUND
    if (ray.y * eye.y < 0.0) {
        float t = -eye.y / ray.y;
        vec3 place = eye + min(t, 400.0) * ray;
        float away = min(t * length(ray), 400.0);
        float graze = max(abs(ray.y) / length(ray), 0.02);
        float blur = away * pixel / graze;
#if PAVING
        vec3 floor_colour = paved_light(place, away, blur);
#else
        float marks = 0.55 * lines_at(place.xz, 1.0, 0.004, blur) + lines_at(place.xz, 5.0, 0.006, blur);
        vec3 floor_colour = (stone + line * marks) * ground_light(place, vec3(0.0, sign(eye.y), 0.0));
#endif
        seen = mix(seen, floor_colour, exp(-away * haze * away * haze));
        depth = t * along;
    }
#endif
#if FIGURE
    {
        // A card that stands one metre to the right and turns to the camera about its own upright axis.
        vec3 foot = vec3(1.0, 0.0, -0.25);
        vec3 normal = normalize(vec3(eye.x - foot.x, 0.0, eye.z - foot.z) + vec3(0.0, 0.0, 1e-5));
        float slant = dot(ray, normal);
        float t = slant < -1e-5 ? dot(foot - eye, normal) / slant : -1.0;
        vec3 place = eye + t * ray;
        if (t > 0.0 && t * along < depth) {
            vec2 p = vec2(dot(place - foot, vec3(normal.z, 0.0, -normal.x)), place.y);
            float edge = t * length(ray) * pixel;
            float inside = 1.0 - smoothstep(-edge, edge, figure_at(p));
            vec3 cloth = (stone * 1.5 + line * 0.6) * received(place, normalize(normal + vec3(0.0, 0.3, 0.0)), 0.3);
            seen = mix(seen, cloth, inside);
            if (inside > 0.5) depth = t * along;
        }
    }
#endif
#if FOG
    seen = mix(fog_tint, seen, exp(-fog * min(depth / along * length(ray), 200.0)));
#endif
    colour = vec4(seen, 1.0);
#if HARD
    float clipped = clamp(depth, range.x, range.y);
    gl_FragDepth = range.y * (clipped - range.x) / (clipped * (range.y - range.x));
#endif
}
