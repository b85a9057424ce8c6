#version 330 core
// Four samples of a pixel become one. Each counts the less the brighter it is, so that the edge of something very bright is as smooth
// as any other once it is toned. Depth is that of the nearest.
uniform sampler2DMS light, depth;
layout(location = 0) out vec4 colour;
layout(location = 1) out float nearest;

void main() {
    ivec2 here = ivec2(gl_FragCoord.xy);
    vec4 sum = vec4(0.0);
    float weights = 0.0;
    nearest = 1e9;
    for (int i = 0; i < 4; i++) {
        vec4 sampled = texelFetch(light, here, i);
        float weight = 1.0 / (1.0 + max(sampled.r, max(sampled.g, sampled.b)));
        sum += sampled * weight;
        weights += weight;
        nearest = min(nearest, texelFetch(depth, here, i).r);
    }
    colour = sum / weights;
}
