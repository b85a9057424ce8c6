#version 330 core
// Light of lamps that fog throws towards the eye, scattered once and alike to all sides, between the eye and what is solid. Along a ray
// that passes a lamp at distance h it is the integral of 1 / (h^2 + t^2), a difference of two angles.
in vec2 at;
uniform sampler2D scene_depth;
uniform vec3 eye, forward;
uniform vec3 ray_corner, ray_x, ray_y;
uniform float fog;                      // 1/m
out vec4 colour;
//! light

void main() {
    vec3 ray = ray_corner + at.x * ray_x + at.y * ray_y;
    float long_of = length(ray);
    vec3 way = ray / long_of;
    float far = min(texture(scene_depth, at).r / dot(way, forward), 400.0);
    vec3 sum = vec3(0.0);
    for (int i = 0; i < lamp_count; i++) {
        vec3 off = lamp_place[i].xyz - eye;
        float along = dot(off, way);
        float h = sqrt(max(dot(off, off) - along * along, 0.0) + 0.12);
        float angles = atan((far - along) / h) + atan(along / h);
        sum += lamp_power[i] * (angles / h * exp(-fog * length(off)));
    }
    colour = vec4(sum * fog * (1.0 / 12.566371), 0.0);
}
