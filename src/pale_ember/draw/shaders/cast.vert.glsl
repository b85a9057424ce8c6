#version 330 core
// A prop laid flat on the ground, as the light of one source throws it there.
in vec3 place;
uniform mat4 to_clip, stand;
uniform vec4 source;   // where a lamp is, or with 0 last the way to the sun

void main() {
    vec4 at = stand * vec4(place, 1.0);
    // Where the line from the source through the point meets y = 0; below the source alone.
    float above = source.w > 0.5 ? source.y - at.y : source.y;
    gl_Position = to_clip * vec4(source.y * at.xyz - at.y * source.xyz, above);
}
