#version 330 core
// A prop of the stage.
in vec3 place;
uniform mat4 to_clip;
uniform mat4 stand;   // from the prop's axes to the world
out vec3 at_world;
void main() {
    vec4 there = stand * vec4(place, 1.0);
    at_world = there.xyz;
    gl_Position = to_clip * there;
}
