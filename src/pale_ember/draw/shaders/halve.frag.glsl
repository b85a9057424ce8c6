#version 330 core
// Half the size, softly (Bjorge, "Bandwidth-efficient rendering", SIGGRAPH 2015).
in vec2 at;
uniform sampler2D picture;
out vec4 colour;
void main() {
    vec2 half_step = 0.5 / vec2(textureSize(picture, 0)) * 2.0;
    vec3 sum = texture(picture, at).rgb * 4.0;
    sum += texture(picture, at + half_step * vec2(-1, -1)).rgb + texture(picture, at + half_step * vec2(1, -1)).rgb;
    sum += texture(picture, at + half_step * vec2(-1, 1)).rgb + texture(picture, at + half_step * vec2(1, 1)).rgb;
    colour = vec4(sum / 8.0, 1.0);
}
