#version 330 core
// A smaller picture laid over a larger: of the four of its pixels around each, those count that lie at the same depth. FINE : the larger
// has four samples a pixel, and what lies behind an edge counts for as many of them as it has.
in vec2 at;
uniform sampler2D picture, scene_depth;
#if FINE
uniform sampler2DMS fine_depth;
#endif
uniform vec2 small, scale;              // pixels of the smaller, and of the larger for one of them
out vec4 colour;

// What it holds for something so far away.
vec4 held(float away) {
    vec2 place = at * small - 0.5;
    float weights = 0.0;
    vec4 sum = vec4(0.0);
    for (int i = 0; i < 4; i++) {
        vec2 side = vec2(i & 1, i >> 1), pixel = clamp(floor(place) + side, vec2(0.0), small - 1.0);
        float depth = max(texelFetch(scene_depth, ivec2((pixel + 0.5) * scale), 0).r, 1e-4);
        vec2 share = mix(1.0 - fract(place), fract(place), side);
        float weight = (share.x * share.y + 1e-4) / (0.03 + abs(log(depth / max(away, 1e-4))));
        sum += texelFetch(picture, ivec2(pixel), 0) * weight;
        weights += weight;
    }
    return sum / weights;
}

void main() {
#if FINE
    colour = vec4(0.0);
    for (int i = 0; i < 4; i++) colour += 0.25 * held(texelFetch(fine_depth, ivec2(gl_FragCoord.xy), i).r);
#else
    colour = held(textureLod(scene_depth, at, 0.0).r);
#endif
}
