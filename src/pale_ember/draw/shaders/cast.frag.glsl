#version 330 core
uniform vec4 whose;
out vec4 colour;
void main() {
    colour = whose;
}
