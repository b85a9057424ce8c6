#version 330 core
// The shadow of a particle on the ground: a soft round where the sun's ray through it meets the ground.
in vec3 place;
in vec3 extent;
in vec4 tint;
uniform mat4 to_clip;
uniform vec3 fall;       // where the light goes, down
uniform vec3 eye, forward;
uniform float dark;
out vec2 within;
flat out float solid;
out float depth;
void main() {
    within = vec2(gl_VertexID & 1, gl_VertexID >> 1) * 2.0 - 1.0;
    float high = max(place.y, 0.0);
    vec3 foot = place + fall * (high / max(-fall.y, 0.05));
    float half_wide = 0.5 * max(extent.x, extent.y) * (1.0 + 0.25 * high);
    vec3 at = vec3(foot.x + within.x * half_wide, 0.003, foot.z + within.y * half_wide);
    gl_Position = to_clip * vec4(at, 1.0);
    depth = dot(at - eye, forward);
    solid = place.y < -0.01 ? 0.0 : dark * tint.a / (1.0 + 0.6 * high);
}
