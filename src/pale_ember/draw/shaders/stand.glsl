// How a particle stands: its axes for each FACING: 0 to the camera, 1 upright, 2 along motion, 3 across motion, 4 flat,
// 5 free.
uniform vec3 eye, forward, right, up;
uniform mat3 turn;       // the layer's axes

void stand(vec3 place, vec3 motion, out vec3 across, out vec3 upward) {
    across = right;
    upward = up;
#if FACING == 1
    upward = vec3(0.0, 1.0, 0.0);
    across = normalize(cross(upward, eye - place) + vec3(1e-6, 0.0, 0.0));
#elif FACING == 2
    float speed = length(motion);
    vec3 way = motion / max(speed, 1e-6);
    vec3 side = cross(way, place - eye);
    float slant = length(side);
    if (speed > 1e-4 && slant > 1e-5) {
        across = side / slant;
        upward = way;
    }
#elif FACING == 3
    float speed = length(motion);
    vec3 face = speed > 1e-4 ? motion / speed : forward;
    across = normalize(cross(abs(face.y) < 0.99 ? vec3(0.0, 1.0, 0.0) : vec3(1.0, 0.0, 0.0), face));
    upward = cross(face, across);
#elif FACING == 4
    across = vec3(1.0, 0.0, 0.0);
    upward = vec3(0.0, 0.0, -1.0);
#elif FACING == 5
    across = turn[0];
    upward = turn[1];
#endif
}
