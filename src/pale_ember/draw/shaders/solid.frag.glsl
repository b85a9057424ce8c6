#version 330 core
in vec3 at_world;
uniform vec3 eye, forward;
uniform vec3 stone;
uniform vec3 haze_colour, fog_tint;
uniform float haze, fog;
uniform bool grounded;  // whether it stands on the ground, which takes some light from its foot
layout(location = 0) out vec4 colour;
layout(location = 1) out float depth;
//! light

void main() {
    // The face's own normal: props are stones and crates, their edges are meant to be seen.
    vec3 normal = normalize(cross(dFdx(at_world), dFdy(at_world)));
    if (dot(normal, eye - at_world) < 0.0) normal = -normal;
    // A little unlike on each side, so that forms read where no light falls.
    float form = 0.86 + 0.14 * normal.y + 0.10 * normal.x;
    if (grounded) form *= 0.62 + 0.38 * smoothstep(0.0, 0.45, at_world.y) + 0.3 * max(normal.y, 0.0) * step(at_world.y, 0.45);
    vec3 shade = stone * received(at_world, normal, 0.0) * form;
    float away = length(at_world - eye);
    colour = vec4(mix(fog_tint, mix(haze_colour, shade, exp(-away * haze)), exp(-away * fog)), 1.0);
    depth = dot(at_world - eye, forward);
}
