#version 330 core
// ALPHA 0 opaque, 1 straight, 2 premultiplied. SHOWS 0 colour, 1 to 3 one channel, 4 how often it is painted, 5 grey.
// TONE 0 ACES, 1 filmic, 2 hue kept, 3 clipped.
// From linear light to the screen: glow added, brightness rolled off as film does or cut, coded as sRGB.
in vec2 at;
uniform sampler2D light;
uniform sampler2D halo;
uniform float glow;
uniform float exposure;
uniform bool flip;       // first row on top, for pictures
out vec4 colour;

vec3 coded(vec3 x) {
    return mix(1.055 * pow(max(x, 0.0), vec3(1.0 / 2.4)) - 0.055, 12.92 * x, vec3(lessThanEqual(x, vec3(0.0031308))));
}

// Never painted is black; then from deep glass to glass, bone, ember and white, doubling from each to the next.
vec3 often(float count) {
    vec3 steps[6] = vec3[](vec3(0.02, 0.03, 0.035), vec3(0.05, 0.16, 0.16), vec3(0.27, 0.62, 0.58), vec3(0.85, 0.80, 0.70),
                           vec3(0.95, 0.48, 0.16), vec3(1.0, 1.0, 1.0));
    float place = count < 0.5 ? 0.0 : clamp(1.0 + log2(count) * 0.8, 1.0, 4.999);
    int low = int(place);
    return mix(steps[low], steps[low + 1], place - float(low));
}

// The Khronos group's PBR Neutral tone mapper (2024), without its lift of the darkest: what is brighter than 0.8 is
// compressed towards 1 by its brightest channel, so that its hue stays, and pales only as far as it was compressed.
vec3 hue_kept(vec3 light) {
    const float start = 0.8, paling = 0.15;
    float peak = max(light.r, max(light.g, light.b));
    if (peak < start) return light;
    float room = 1.0 - start;
    float kept = 1.0 - room * room / (peak + room - start);
    float white = 1.0 - 1.0 / (paling * (peak - kept) + 1.0);
    return mix(light * (kept / peak), vec3(kept), white);
}

// The Academy Color Encoding System's reference and output transforms for sRGB screens as fitted by Stephen Hill (2016): colours are
// brought nearer to each other, each channel rolls off, and they are brought apart again.
vec3 aces(vec3 light) {
    const mat3 nearer = mat3(0.59719, 0.07600, 0.02840, 0.35458, 0.90834, 0.13383, 0.04823, 0.01566, 0.83777);
    const mat3 apart = mat3(1.60475, -0.10208, -0.00327, -0.53108, 1.10813, -0.07276, -0.07367, -0.00605, 1.07602);
    vec3 v = nearer * (light * 1.6);
    v = (v * (v + 0.0245786) - 0.000090537) / (v * (0.983729 * v + 0.4329510) + 0.238081);
    return clamp(apart * v, 0.0, 1.0);
}

void main() {
    vec2 p = flip ? vec2(at.x, 1.0 - at.y) : at;
    vec4 seen = texture(light, p);
#if SHOWS == 4
    colour = vec4(often(seen.r), 1.0);
#elif SHOWS == 5
    colour = vec4(clamp(seen.rgb, 0.0, 1.0), 1.0);
#else
    vec3 shone = max(seen.rgb + glow * texture(halo, p).rgb, 0.0) * exposure;
#if TONE == 0
    vec3 toned = aces(shone);
#elif TONE == 1
    // On film each channel saturates by itself: very bright orange runs through yellow to white.
    vec3 toned = 1.0 - exp(-shone);
#elif TONE == 2
    vec3 toned = hue_kept(shone);
#else
    vec3 toned = min(shone, 1.0);
#endif
    float cover = 1.0;
#if ALPHA
    // Added light covers as much as its brightest channel, so it survives over nothing.
    cover = clamp(max(seen.a, max(toned.r, max(toned.g, toned.b))), 0.0, 1.0);
#if ALPHA == 1
    toned = cover > 0.0 ? min(toned / cover, 1.0) : vec3(0.0);
#endif
#endif
    vec3 shown = coded(toned);
#if SHOWS > 0
    shown = vec3(shown[SHOWS - 1]);
#endif
#if ALPHA == 0

    // Half a step of ordered unevenness, so that dark slopes do not band.
    // The same whichever row comes first.
    vec2 pixel = floor(p / vec2(dFdx(p.x), abs(dFdy(p.y))));
    float grain = fract(52.9829189 * fract(dot(pixel, vec2(0.06711056, 0.00583715)))) - 0.5;
    shown += grain / 255.0;
#endif
    colour = vec4(shown, cover);
#endif
}
