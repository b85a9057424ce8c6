#version 330 core
// Shadows as light of some width throws them: the mean of a disc of places.
in vec2 at;
uniform sampler2D picture;
uniform vec2 reach;   // of the disc, as a share of the picture
out vec4 colour;

void main() {
    vec4 sum = vec4(0.0);
    for (int i = 0; i < 12; i++) {
        // Vogel's spiral: places that lie evenly in a disc.
        float far = sqrt((float(i) + 0.5) / 12.0), way = 2.399963 * float(i);
        sum += min(texture(picture, at + reach * far * vec2(cos(way), sin(way))), 1.0);
    }
    colour = sum / 12.0;
}
