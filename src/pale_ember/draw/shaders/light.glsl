// What light falls on a point of the stage.
uniform vec3 sun_way, sun_power;                // towards the sun, a unit; light received square to it
uniform vec3 sky_light, earth_light;            // from above and from below
uniform int lamp_count;
uniform vec4 lamp_place[8];                     // m; 1 last for a lamp of the stage, 0 for light that the effect casts
uniform vec3 lamp_power[8];                     // light received a metre away

vec3 reaches = vec3(1.0);                       // what comes here of sun, sky and the first lamp

vec3 lamp_at(int i, vec3 place, vec3 normal, float wrap) {
    vec3 way = lamp_place[i].xyz - place;
    float d2 = dot(way, way) + 0.12;
    float share = i == 0 ? reaches.z : 1.0;
    return lamp_power[i] * (share * max((dot(normal, way) * inversesqrt(d2) + wrap) / (1.0 + wrap), 0.0) / d2);
}

vec3 lamps_at(vec3 place, vec3 normal, float wrap) {
    vec3 sum = vec3(0.0);
    for (int i = 0; i < lamp_count; i++) sum += lamp_at(i, place, normal, wrap);
    return sum;
}

// The light that comes to a point from one side of six. A light between two sides is shared out among them by the squares of
// what it has of each, which together are 1.
vec3 from_side(vec3 place, vec3 side) {
    vec3 sum = mix(earth_light, sky_light, 0.5 + 0.5 * side.y) * (reaches.y / 6.0);
    float share = max(dot(side, sun_way), 0.0);
    sum += sun_power * (share * share * reaches.x);
    for (int i = 0; i < lamp_count; i++) {
        vec3 way = lamp_place[i].xyz - place;
        float d2 = dot(way, way) + 0.12;
        float s = max(dot(side, way) * inversesqrt(d2), 0.0);
        sum += lamp_power[i] * (s * s * (i == 0 ? reaches.z : 1.0) / d2);
    }
    return sum;
}

// `wrap` lets light reach round a soft body.
vec3 received(vec3 place, vec3 normal, float wrap) {
    vec3 around = mix(earth_light, sky_light, 0.5 + 0.5 * normal.y) * reaches.y;
    float sun = max((dot(normal, sun_way) + wrap) / (1.0 + wrap), 0.0);
    return around + sun_power * (sun * reaches.x) + lamps_at(place, normal, wrap);
}
