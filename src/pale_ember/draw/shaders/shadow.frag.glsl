#version 330 core
in vec2 within;
flat in float solid;
in float depth;
uniform sampler2D scene_depth;
out vec4 colour;
void main() {
    // Only where the ground itself is seen: a prop before it hides it, and one on it is not the ground.
    float apart = abs(texelFetch(scene_depth, ivec2(gl_FragCoord.xy), 0).r - depth);
    float soft = max(1.0 - dot(within, within), 0.0);
    colour = vec4(vec3(1.0 - solid * soft * soft * (1.0 - smoothstep(0.02, 0.08, apart))), 1.0);
}
