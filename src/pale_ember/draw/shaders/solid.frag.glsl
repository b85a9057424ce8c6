#version 330 core
in vec3 at_world;
uniform vec3 eye, forward;
uniform vec3 stone, ambient, lamp_place, lamp_power;
uniform vec3 haze_colour;
layout(location = 0) out vec4 colour;
layout(location = 1) out float depth;

void main() {
    // The face's own normal: props are stones and crates, their edges are meant to be seen.
    vec3 normal = normalize(cross(dFdx(at_world), dFdy(at_world)));
    if (dot(normal, eye - at_world) < 0.0) normal = -normal;
    vec3 way = lamp_place - at_world;
    float d2 = dot(way, way) + 0.12;
    float lamp = max(dot(normal, way) * inversesqrt(d2), 0.0) / d2;
    // A little more light from above, so that forms read where no fire burns.
    float sky = 0.72 + 0.28 * normal.y + 0.12 * normal.x;
    vec3 lit = stone * (ambient * sky + lamp_power * lamp);
    float away = length(at_world - eye);
    colour = vec4(mix(haze_colour, lit, exp(-away * 0.055)), 1.0);
    depth = dot(at_world - eye, forward);
}
