#version 330 core
// One picture added to another, `share` of it.
in vec2 at;
uniform sampler2D picture;
uniform float share;
out vec4 colour;
void main() { colour = vec4(texture(picture, at).rgb * share, 1.0); }
