#version 330 core
in vec2 within;
flat in vec4 paint;
flat in vec2 corner_now, corner_next;
flat in float share;
in float depth;

uniform sampler2D picture;      // premultiplied linear light
uniform sampler2D scene_depth;  // metres along the view axis
uniform ivec2 grid;
uniform float soft;             // m
uniform int blend;              // 0 additive, 1 alpha, 2 multiply
out vec4 colour;

vec4 frame_at(vec2 corner) {
    // Half a pixel inside the frame, so that neighbours in the sheet never bleed in.
    vec2 rim = 0.5 * vec2(grid) / vec2(textureSize(picture, 0));
    return texture(picture, (corner + clamp(within, rim, 1.0 - rim)) / vec2(grid));
}

void main() {
    float room = texelFetch(scene_depth, ivec2(gl_FragCoord.xy), 0).r - depth;
    float meeting = soft > 0.0 ? clamp(room / soft, 0.0, 1.0) : step(0.0, room);
    float near = clamp(depth * 4.0, 0.0, 1.0);
    float solid = paint.a * meeting * near;
    if (solid <= 0.0) discard;
    vec4 drawn = frame_at(corner_now);
    if (share > 0.0) drawn = mix(drawn, frame_at(corner_next), share);
    vec3 light = drawn.rgb * paint.rgb * solid;
    float cover = drawn.a * solid;
    if (blend == 0) colour = vec4(light, 0.0);
    else if (blend == 1) colour = vec4(light, cover);
    else colour = vec4(1.0 - cover + light, 1.0);
}
