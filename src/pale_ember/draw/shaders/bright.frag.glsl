#version 330 core
// What is bright enough to glow, a quarter of the size: sixteen pixels by four reads.
in vec2 at;
uniform sampler2D picture;
uniform float threshold;
out vec4 colour;
vec3 kept(vec2 p) {
    vec3 light = min(textureLod(picture, p, 0.0).rgb, vec3(64.0));
    float peak = max(light.r, max(light.g, light.b));
    return light * (max(peak - threshold, 0.0) / max(peak, 1e-4));
}
void main() {
    vec2 step = 1.0 / vec2(textureSize(picture, 0));
    colour = vec4(0.25 * (kept(at + step * vec2(-1, -1)) + kept(at + step * vec2(1, -1))
                        + kept(at + step * vec2(-1, 1)) + kept(at + step * vec2(1, 1))), 1.0);
}
