#version 330 core
// A prop of the stage.
in vec3 place, normal;
uniform mat4 to_clip;
uniform mat4 stand;   // from the prop's axes to the world
out vec3 at_world;
out vec3 at_own;      // metres in its own axes
out vec3 leaning;     // outward, in the world
void main() {
    vec4 there = stand * vec4(place, 1.0);
    at_world = there.xyz;
    vec3 size = vec3(length(stand[0].xyz), length(stand[1].xyz), length(stand[2].xyz));
    leaning = mat3(stand) * (normal / (size * size));
    at_own = place * size;
#if MIRRORED
    gl_ClipDistance[0] = there.y;  // the ground mirrors what is above it alone
#endif
    gl_Position = to_clip * there;
}
