#version 330 core
// Twice the size, softly, to be added to the level above.
in vec2 at;
uniform sampler2D picture;
uniform float share;
out vec4 colour;
void main() {
    vec2 s = 0.5 / vec2(textureSize(picture, 0));
    vec3 sum = texture(picture, at + vec2(-2.0 * s.x, 0.0)).rgb + texture(picture, at + vec2(2.0 * s.x, 0.0)).rgb
             + texture(picture, at + vec2(0.0, -2.0 * s.y)).rgb + texture(picture, at + vec2(0.0, 2.0 * s.y)).rgb;
    sum += 2.0 * (texture(picture, at + vec2(-s.x, s.y)).rgb + texture(picture, at + s).rgb
                + texture(picture, at + vec2(s.x, -s.y)).rgb + texture(picture, at - s).rgb);
    colour = vec4(sum / 12.0 * share, 1.0);
}
