#version 330 core
// One triangle that covers the screen.
out vec2 at;  // 0 to 1 across the target
void main() {
    vec2 corner = vec2((gl_VertexID << 1) & 2, gl_VertexID & 2);
    at = corner;
    gl_Position = vec4(corner * 2.0 - 1.0, 0.0, 1.0);
}
