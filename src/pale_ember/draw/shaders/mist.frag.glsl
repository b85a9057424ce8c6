#version 330 core
// Light that air filled by particles throws towards the eye, scattered once and alike to all sides, and how much of what is behind it
// keeps back. The air is a grid of cubes, its slices one above the other in a picture.
in vec2 at;
uniform sampler2D scene_depth, filled;
uniform vec3 eye, forward;
uniform vec3 ray_corner, ray_x, ray_y;
uniform vec3 low, sides;                // the grid's corner, m, and how many cubes it has along each axis
uniform float cube;                     // m
uniform vec2 scale;                     // pixels of the depth for one of this picture
out vec4 colour;
//! light

const int STEPS = 24;

// What the air scatters and keeps back at a place, in cubes from the corner.
vec4 slice_of(vec2 place, float z) {
    return textureLod(filled, vec2(place.x / sides.x, (z + clamp(place.y / sides.y, 0.5 / sides.y, 1.0 - 0.5 / sides.y)) / sides.z), 0.0);
}

vec4 filled_at(vec3 place) {
    float z = clamp(place.z - 0.5, 0.0, sides.z - 1.0);
    return mix(slice_of(place.xy, floor(z)), slice_of(place.xy, min(floor(z) + 1.0, sides.z - 1.0)), fract(z));
}

void main() {
    vec3 ray = ray_corner + at.x * ray_x + at.y * ray_y;
    vec3 way = normalize(ray);
    vec3 one = (low - eye) / way, other = (low + sides * cube - eye) / way;
    vec3 near = min(one, other), far = max(one, other);
    float begin = max(max(near.x, near.y), max(near.z, 0.0));
    float end = min(min(far.x, far.y), min(far.z, texelFetch(scene_depth, ivec2(gl_FragCoord.xy * scale), 0).r / dot(way, forward)));
    colour = vec4(0.0);
    if (end <= begin) return;
    float long_of = (end - begin) / float(STEPS);
    // Each pixel begins elsewhere in the first step, so that no steps are seen.
    float from = begin - long_of * fract(52.9829189 * fract(dot(gl_FragCoord.xy, vec2(0.06711056, 0.00583715))));
    vec3 sum = vec3(0.0), around = 0.5 * (sky_light + earth_light) + sun_power * (1.0 / 12.566371);
    float clear = 1.0, angles[8], along[8], beside[8];
    for (int i = 0; i < lamp_count; i++) {
        vec3 off = lamp_place[i].xyz - eye;
        along[i] = dot(off, way);
        beside[i] = sqrt(max(dot(off, off) - along[i] * along[i], 0.0) + 0.12);
        angles[i] = atan((max(from, begin) - along[i]) / beside[i]);
    }
    for (int k = 0; k <= STEPS; k++) {
        float first = max(from + long_of * float(k), begin), last = min(from + long_of * float(k + 1), end);
        if (last <= first) continue;
        vec4 air = filled_at((eye + way * (0.5 * (first + last)) - low) / cube);
        vec3 light = around * (last - first);
        for (int i = 0; i < lamp_count; i++) {
            // Of a lamp beside the way, the integral of 1 / (h^2 + t^2) over the step.
            float angle = atan((last - along[i]) / beside[i]);
            light += lamp_power[i] * ((angle - angles[i]) / (beside[i] * 12.566371));
            angles[i] = angle;
        }
        float passes = exp(-air.a * (last - first));
        sum += air.rgb * light * (clear * 0.5 * (1.0 + passes));
        clear *= passes;
    }
    colour = vec4(sum, 1.0 - clear);
}
