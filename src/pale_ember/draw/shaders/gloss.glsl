// x to the fifth; cheaper than `pow`.
float fifth(float x) {
    float square = x * x;
    return square * square * x;
}

// Light thrown back as from a smooth skin, by what is not drawn itself: the sun and the lamps of the stage. The lobe is that of Trowbridge
// and Reitz (1975), shadowed after Schlick (1994); `rough` 0 is a mirror.
float gloss(vec3 way, vec3 to_eye, vec3 normal, float rough) {
    vec3 halfway = normalize(way + to_eye);
    float facing = max(dot(normal, way), 0.0), seen = max(dot(normal, to_eye), 0.05), near = max(dot(normal, halfway), 0.0);
    float a2 = rough * rough * rough * rough;
    float spread = near * near * (a2 - 1.0) + 1.0;
    float k = 0.5 * rough * rough;
    float shadowed = 0.25 / ((facing * (1.0 - k) + k) * (seen * (1.0 - k) + k));
    float fresnel = 0.03 + 0.97 * fifth(1.0 - max(dot(halfway, to_eye), 0.0));
    return facing * min(a2 / (3.14159 * spread * spread), 400.0) * shadowed * fresnel;
}

vec3 glossed(vec3 place, vec3 to_eye, vec3 normal, float rough) {
    vec3 sum = sun_power * gloss(sun_way, to_eye, normal, max(rough, 0.16));
    for (int i = 0; i < lamp_count; i++) {
#ifndef ALL_LAMPS
        if (lamp_place[i].w == 0.0) continue;
#endif
        vec3 way = lamp_place[i].xyz - place;
        float d2 = dot(way, way) + 0.12;
        // A lamp is as large as a fist.
        sum += lamp_power[i] / d2 * gloss(way * inversesqrt(d2), to_eye, normal, min(rough + 0.10 * inversesqrt(d2), 1.0));
    }
    return sum;
}

// The same of all light, and of the sky, which is brighter towards the zenith; for what nothing else is mirrored in.
vec3 highlights(vec3 place, vec3 to_eye, vec3 normal, float rough) {
    float grazing = 0.04 + 0.96 * fifth(1.0 - max(dot(normal, to_eye), 0.0));
    vec3 around = mix(earth_light, sky_light, smoothstep(-0.3, 0.9, reflect(-to_eye, normal).y));
    return glossed(place, to_eye, normal, rough) + around * grazing * 1.5;
}
