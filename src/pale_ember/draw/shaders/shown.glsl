uniform float strength;   // how much of the layer is drawn at all
uniform float near_rate;  // 1/m: how fast it fades close to the eye

// How solid a particle `depth` metres away is drawn.
float shown(float solid, float depth) {
    return solid * strength * clamp(depth * near_rate, 0.0, 1.0);
}
