#version 330 core
// From linear light to the screen: glow added, brightness rolled off as film does, coded as sRGB.
in vec2 at;
uniform sampler2D light;
uniform sampler2D halo;
uniform float glow;
uniform float exposure;
uniform bool flip;       // first row on top, for pictures
uniform int alpha_mode;  // 0 opaque, 1 straight, 2 premultiplied
out vec4 colour;

float coded(float x) {
    return x <= 0.0031308 ? 12.92 * x : 1.055 * pow(x, 1.0 / 2.4) - 0.055;
}

void main() {
    vec2 p = flip ? vec2(at.x, 1.0 - at.y) : at;
    vec4 seen = texture(light, p);
    vec3 shone = max(seen.rgb + glow * texture(halo, p).rgb, 0.0) * exposure;
    // Each channel saturates by itself: very bright orange runs through yellow to white.
    vec3 toned = 1.0 - exp(-shone);
    float cover = 1.0;
    if (alpha_mode > 0) {
        // Added light covers as much as its brightest channel, so it survives over nothing.
        cover = clamp(max(seen.a, max(toned.r, max(toned.g, toned.b))), 0.0, 1.0);
        if (alpha_mode == 1) toned = cover > 0.0 ? min(toned / cover, 1.0) : vec3(0.0);
    }
    vec3 shown = vec3(coded(toned.r), coded(toned.g), coded(toned.b));
    if (alpha_mode == 0) {
        // Half a step of ordered unevenness, so that dark slopes do not band.
        float grain = fract(52.9829189 * fract(dot(gl_FragCoord.xy, vec2(0.06711056, 0.00583715)))) - 0.5;
        shown += grain / 255.0;
    }
    colour = vec4(shown, cover);
}
