uniform float pixels_high;   // pixels of a metre a metre away

// How many times as wide something `width` metres wide must be drawn `away` metres from the eye, so that no pixel of it is missed: what
// is thinner than that falls into dots. It is as many times fainter.
float widened(float width, float away) {
    const float LEAST = 1.2;  // pixels
    return max(LEAST * max(away, 0.05) / (pixels_high * max(width, 1e-9)), 1.0);
}
