// How a particle stands: its axes for each facing.
uniform vec3 eye, forward, right, up;
uniform int facing;      // 0 to the camera, 1 upright, 2 along motion, 3 across motion, 4 flat, 5 free
uniform mat3 turn;       // the layer's axes

void stand(vec3 place, vec3 motion, out vec3 across, out vec3 upward) {
    across = right;
    upward = up;
    float speed = length(motion);
    vec3 way = motion / max(speed, 1e-6);
    if (facing == 1) {
        upward = vec3(0.0, 1.0, 0.0);
        across = normalize(cross(upward, eye - place) + vec3(1e-6, 0.0, 0.0));
    } else if (facing == 2) {
        vec3 side = cross(way, place - eye);
        float slant = length(side);
        if (speed > 1e-4 && slant > 1e-5) {
            across = side / slant;
            upward = way;
        }
    } else if (facing == 3) {
        vec3 face = speed > 1e-4 ? way : forward;
        across = normalize(cross(abs(face.y) < 0.99 ? vec3(0.0, 1.0, 0.0) : vec3(1.0, 0.0, 0.0), face));
        upward = cross(face, across);
    } else if (facing == 4) {
        across = vec3(1.0, 0.0, 0.0);
        upward = vec3(0.0, 0.0, -1.0);
    } else if (facing == 5) {
        across = turn[0];
        upward = turn[1];
    }
}
