// Metres of a prop's matter that one picture of it holds.
#if KIND == 2
const vec2 SKIN = vec2(1.84, 1.872);  // whole bricks
#elif KIND == 3
const vec2 SKIN = vec2(3.2, 2.32);    // whole boards
#else
const vec2 SKIN = vec2(2.0);
#endif
