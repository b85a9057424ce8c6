"use strict";
// Plays one effect: the player kit as a module moves it, the stage's own shaders draw it.
(() => {
const told = JSON.parse(document.getElementById("told").textContent), by = id => document.getElementById(id);
const canvas = by("stage"), ROW = 31, CORNER = 20, GLOW = 0.37, LEVELS = 4, FAR = 1e6;
const CARD = [["place", 3], ["extent", 3], ["angle", 1], ["tint", 4], ["frame", 1], ["motion", 3], ["lengthens", 1], ["wearing", 4],
              ["running", 4], ["own_light", 3], ["cools", 1], ["shares", 3]];
const BAND = [["place", 3], ["way", 3], ["across", 3], ["width", 1], ["tint", 4], ["at", 2], ["wearing", 4]];
const BODY = [["corner", 3], ["normal", 3], ["coords", 2]];
let gl, kit, memory, programs = [], textures = [], targets = null, white, buffer, nobody;
const stage = told.stage, props = told.props;

function fault(text) {
  by("fault").textContent = text;
  by("fault").hidden = false;
  window.paleFault = text;
}

const bytes = text => Uint8Array.from(atob(text), c => c.charCodeAt(0));

// ---- programs ----

function program(place) {
  if (programs[place]) return programs[place];
  const made = gl.createProgram();
  for (const [kind, source] of [[gl.VERTEX_SHADER, told.programs[place][0]], [gl.FRAGMENT_SHADER, told.programs[place][1]]]) {
    const part = gl.createShader(kind);
    gl.shaderSource(part, source);
    gl.compileShader(part);
    if (!gl.getShaderParameter(part, gl.COMPILE_STATUS)) throw new Error("a shader: " + gl.getShaderInfoLog(part));
    gl.attachShader(made, part);
  }
  gl.linkProgram(made);
  if (!gl.getProgramParameter(made, gl.LINK_STATUS)) throw new Error("a program: " + gl.getProgramInfoLog(made));
  const known = {};
  for (let i = 0; i < gl.getProgramParameter(made, gl.ACTIVE_UNIFORMS); i++) {
    const info = gl.getActiveUniform(made, i), name = info.name.replace("[0]", "");
    known[name] = { at: gl.getUniformLocation(made, info.name), type: info.type };
  }
  const attributes = {};
  for (let i = 0; i < gl.getProgramParameter(made, gl.ACTIVE_ATTRIBUTES); i++) {
    const name = gl.getActiveAttrib(made, i).name;
    if (!name.startsWith("gl_")) attributes[name] = gl.getAttribLocation(made, name);
  }
  return programs[place] = { made, known, attributes };
}

function put(used, values) {
  for (const name in values) {
    const uniform = used.known[name];
    if (!uniform) continue;
    const value = values[name], list = typeof value === "number" || typeof value === "boolean" ? [Number(value)] : value;
    switch (uniform.type) {
      case gl.FLOAT: gl.uniform1fv(uniform.at, list); break;
      case gl.FLOAT_VEC2: gl.uniform2fv(uniform.at, list); break;
      case gl.FLOAT_VEC3: gl.uniform3fv(uniform.at, list); break;
      case gl.FLOAT_VEC4: gl.uniform4fv(uniform.at, list); break;
      case gl.FLOAT_MAT3: gl.uniformMatrix3fv(uniform.at, false, list); break;
      case gl.FLOAT_MAT4: gl.uniformMatrix4fv(uniform.at, false, list); break;
      case gl.INT_VEC2: gl.uniform2iv(uniform.at, list); break;
      default: gl.uniform1iv(uniform.at, list);
    }
  }
}

function bind(used, pictures) {
  let unit = 0;
  for (const name in pictures) {
    if (!used.known[name]) continue;
    gl.activeTexture(gl.TEXTURE0 + unit);
    gl.bindTexture(gl.TEXTURE_2D, pictures[name]);
    gl.uniform1i(used.known[name].at, unit++);
  }
}

// ---- pictures and targets ----

function texture(width, height, format, filter) {
  const made = gl.createTexture();
  gl.bindTexture(gl.TEXTURE_2D, made);
  gl.texStorage2D(gl.TEXTURE_2D, 1, format, width, height);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, filter);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, filter);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, gl.CLAMP_TO_EDGE);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, gl.CLAMP_TO_EDGE);
  return made;
}

function framebuffer(...parts) {
  const made = gl.createFramebuffer();
  gl.bindFramebuffer(gl.FRAMEBUFFER, made);
  parts.forEach((part, i) => gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0 + i, gl.TEXTURE_2D, part, 0));
  gl.drawBuffers(parts.map((_, i) => gl.COLOR_ATTACHMENT0 + i));
  return made;
}

const FLAT = told.programs[told.screens.bright][0]; // one triangle that covers the screen
const DECODE = [FLAT,
  "#version 300 es\nprecision highp float;\nprecision highp sampler2D;\nin vec2 at;\nuniform sampler2D coded;\nuniform vec2 peaks;\nout vec4 colour;\n" +
  "void main() { ivec2 half_of = textureSize(coded, 0) / ivec2(1, 2); ivec2 p = min(ivec2(at * vec2(half_of)), half_of - 1);\n" +
  "vec3 light = texelFetch(coded, p, 0).rgb; float cover = texelFetch(coded, p + ivec2(0, half_of.y), 0).r;\n" +
  "colour = vec4(light * light * peaks.x, cover * cover * peaks.y); }"];

// A stage as it was drawn, with its depth for the card's own test.
const AGAIN = [FLAT,
  "#version 300 es\nprecision highp float;\nprecision highp sampler2D;\nuniform sampler2D light, depth;\nuniform vec2 range;\nout vec4 colour;\n" +
  "void main() { ivec2 p = ivec2(gl_FragCoord.xy); colour = texelFetch(light, p, 0); float d = clamp(texelFetch(depth, p, 0).r, range.x, range.y);\n" +
  "gl_FragDepth = range.y * (d - range.x) / (d * (range.y - range.x)); }"];

// A picture's light lies over its cover, each coded by its square root; here it becomes light again, with smaller levels.
async function decode(one, place) {
  const picture = await createImageBitmap(new Blob([bytes(one.data)]), { colorSpaceConversion: "none", premultiplyAlpha: "none" });
  const width = picture.width, height = picture.height / 2, coded = gl.createTexture();
  gl.bindTexture(gl.TEXTURE_2D, coded);
  gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA8, gl.RGBA, gl.UNSIGNED_BYTE, picture);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.NEAREST);
  const made = gl.createTexture();
  gl.bindTexture(gl.TEXTURE_2D, made);
  const levels = Math.min(one.levels, Math.floor(Math.log2(Math.max(width, height))));
  gl.texStorage2D(gl.TEXTURE_2D, levels + 1, gl.RGBA16F, width, height);
  const room = framebuffer(made);
  gl.viewport(0, 0, width, height);
  gl.disable(gl.BLEND);
  const used = program(told.screens.decode);
  gl.useProgram(used.made);
  put(used, { peaks: one.peaks });
  bind(used, { coded });
  gl.bindVertexArray(nobody);
  gl.drawArrays(gl.TRIANGLES, 0, 3);
  gl.deleteFramebuffer(room);
  gl.deleteTexture(coded);
  gl.bindTexture(gl.TEXTURE_2D, made);
  if (levels) gl.generateMipmap(gl.TEXTURE_2D);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, levels ? gl.LINEAR_MIPMAP_NEAREST : gl.LINEAR);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.LINEAR);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, one.repeat[0] ? gl.REPEAT : gl.CLAMP_TO_EDGE);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, one.repeat[1] ? gl.REPEAT : gl.CLAMP_TO_EDGE);
  textures[place] = made;
}

// Light, and depth along the view axis, of a size. scene: both, with the card's own test; layers: the light alone; far: the depth alone.
function room_of(w, h, levels = 1) {
  const light = gl.createTexture();
  gl.bindTexture(gl.TEXTURE_2D, light);
  gl.texStorage2D(gl.TEXTURE_2D, levels, gl.RGBA16F, w, h);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, levels > 1 ? gl.LINEAR_MIPMAP_LINEAR : gl.LINEAR);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.LINEAR);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, gl.CLAMP_TO_EDGE);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, gl.CLAMP_TO_EDGE);
  const depth = texture(w, h, gl.R32F, gl.NEAREST), scene = framebuffer(light, depth), hidden = gl.createRenderbuffer();
  gl.bindRenderbuffer(gl.RENDERBUFFER, hidden);
  gl.renderbufferStorage(gl.RENDERBUFFER, gl.DEPTH_COMPONENT24, w, h);
  gl.framebufferRenderbuffer(gl.FRAMEBUFFER, gl.DEPTH_ATTACHMENT, gl.RENDERBUFFER, hidden);
  return { w, h, light, depth, hidden, scene, layers: framebuffer(light), release() {
    gl.deleteFramebuffer(this.scene); gl.deleteFramebuffer(this.layers); gl.deleteRenderbuffer(hidden);
    gl.deleteTexture(light); gl.deleteTexture(depth);
  } };
}

// Where edges of solids are drawn finely: four samples a pixel of the light, and of the card's own test.
function fine_room(w, h) {
  const frame = gl.createFramebuffer(), parts = [[gl.COLOR_ATTACHMENT0, gl.RGBA16F], [gl.DEPTH_ATTACHMENT, gl.DEPTH_COMPONENT24]].map(([place, format]) => {
    const part = gl.createRenderbuffer();
    gl.bindFramebuffer(gl.FRAMEBUFFER, frame);
    gl.bindRenderbuffer(gl.RENDERBUFFER, part);
    gl.renderbufferStorageMultisample(gl.RENDERBUFFER, 4, format, w, h);
    gl.framebufferRenderbuffer(gl.FRAMEBUFFER, place, gl.RENDERBUFFER, part);
    return part;
  });
  return { w, h, frame, release() { gl.deleteFramebuffer(frame); parts.forEach(part => gl.deleteRenderbuffer(part)); } };
}

function picture_room(w, h, format = gl.RGBA16F) {
  const picture = texture(w, h, format, gl.LINEAR), frame = framebuffer(picture);
  return { w, h, picture, frame, release() { gl.deleteFramebuffer(frame); gl.deleteTexture(picture); } };
}

function sized(width, height) {
  if (targets && targets.width === width && targets.height === height) return targets;
  if (targets) for (const one of targets.all) one.release();
  const part = share => [Math.max(Math.floor(width / share), 1), Math.max(Math.floor(height / share), 1)];
  const main = room_of(width, height), halos = [], copy = picture_room(width, height), quarter = picture_room(...part(4)), sum = picture_room(...part(4));
  for (let level = 0; level < LEVELS; level++) halos.push(picture_room(...part(4 << level)));
  const shadows = props.some(prop => prop.stands) ? [picture_room(...part(2), gl.RGBA8), picture_room(...part(2), gl.RGBA8)] : [];
  const small = part(3), mirror = stage.mirrors ? room_of(...small, 1 + Math.floor(Math.log2(Math.max(...small)))) : null;
  const fine = fine_room(width, height);
  targets = { ...main, width, height, fine, halos, copy, quarter, sum, shadows, mirror, all: [main, fine, ...halos, copy, quarter, sum, ...shadows, ...(mirror ? [mirror] : [])] };
  return targets;
}

function screen(name, frame, w, h, values, pictures) {
  const used = program(told.screens[name]);
  gl.bindFramebuffer(gl.FRAMEBUFFER, frame);
  gl.viewport(0, 0, w, h);
  gl.useProgram(used.made);
  put(used, values);
  bind(used, pictures);
  gl.bindVertexArray(nobody);
  gl.drawArrays(gl.TRIANGLES, 0, 3);
}

// ---- the camera ----

const view = { ...told.cameras[0] };
let saved = 0;

// Goes to one of the views that the effect has.
function look_from(place) {
  saved = place % told.cameras.length;
  Object.assign(view, told.cameras[saved]);
  dirty = true;
}
const cross = (a, b) => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
const dot = (a, b) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];

function looked(aspect) {
  const h = view.heading * Math.PI / 180, p = view.pitch * Math.PI / 180;
  const forward = [-Math.sin(h) * Math.cos(p), -Math.sin(p), -Math.cos(h) * Math.cos(p)], right = [Math.cos(h), 0, -Math.sin(h)];
  const up = cross(right, forward), eye = view.target.map((c, i) => c - view.distance * forward[i]);
  const half = Math.tan(view.fov * Math.PI / 360), near = 0.02, far = 2000, s = 1 / half;
  const t = [-dot(right, eye), -dot(up, eye), dot(forward, eye)], a = (far + near) / (near - far), b = 2 * far * near / (near - far);
  const rows = [[...right, t[0]], [...up, t[1]], [...forward.map(c => -c), t[2]]];
  const clip = [rows[0].map(c => c * s / aspect), rows[1].map(c => c * s), rows[2].map((c, i) => c * a + (i === 3 ? b : 0)), rows[2].map(c => -c)];
  const to_clip = [];
  for (let column = 0; column < 4; column++) for (let row = 0; row < 4; row++) to_clip.push(clip[row][column]);
  return { forward, right, up, eye, half, to_clip, aspect };
}

// What stands on the ground as the ground mirrors it; nearer than the ground nothing is seen.
function mirrored(eye) {
  const over = way => [way[0], -way[1], way[2]], to_clip = eye.to_clip.map((c, i) => i >> 2 === 1 ? -c : c);
  for (let column = 0; column < 4; column++) to_clip[4 * column + 2] = (column === 1 ? 0.05 : 0) - to_clip[4 * column + 3];
  return { ...eye, eye: over(eye.eye), forward: over(eye.forward), right: over(eye.right), up: over(eye.up).map(c => -c), to_clip, mirrors: true };
}

// The ray through a corner of the picture and along its sides, as screens take them; what is mirrored stands on its head.
function rays(eye) {
  const ray = (x, y) => eye.forward.map((c, i) => c + (2 * x - 1) * eye.half * eye.aspect * eye.right[i] + (1 - 2 * y) * eye.half * eye.up[i]);
  const [foot, head] = eye.mirrors ? [0, 1] : [1, 0], ray_corner = ray(0, foot), less = (a, b) => a.map((c, i) => c - b[i]);
  return { ray_corner, ray_x: less(ray(1, foot), ray_corner), ray_y: less(ray(0, head), ray_corner) };
}

// ---- playing ----

const STEP = 1 / told.effect.steps, LENGTH = told.effect.duration / told.effect.tempo, loops = told.effect.loop;
const shown = told.layers.map(() => true);
let clock = 0, steps = 0, playing = true, speed = 1, last = 0, faded = false, strength = 1;

function begin() {
  if (!kit.page_begin()) throw new Error("too little memory for this effect");
  steps = 0;
  clock = 0;
  kit.page_strength(faded ? 0 : strength);
}

function go(to) {
  if (to < clock - 1e-9) begin();
  clock = to;
  const wanted = Math.floor(clock / STEP + 1e-6);
  if (wanted > steps) { kit.page_steps(Math.min(wanted - steps, 36000)); steps = wanted; }
}

// ---- drawing ----

const mix = { additive: ["ONE", "ONE"], multiply: ["ZERO", "SRC_COLOR"], screen: ["ONE", "ONE_MINUS_SRC_COLOR"] };

function attribute(used, parts, stride, offset, divisor) {
  for (const [name, count] of parts) {
    const at = used.attributes[name];
    if (at !== undefined && at >= 0) {
      gl.enableVertexAttribArray(at);
      gl.vertexAttribPointer(at, count, gl.FLOAT, false, stride * 4, offset * 4);
      gl.vertexAttribDivisor(at, divisor);
    }
    offset += count;
  }
}

function draw_run(run, look, which, now, rows, values) {
  const used = program(which);
  gl.useProgram(used.made);
  put(used, look.constants);
  put(used, now.common);
  put(used, values);
  const time = now.time, scrolled = {};
  for (const name in look.runs) scrolled[name] = look.runs[name].map(c => c * time);
  put(used, scrolled);
  put(used, { bump_run: look.bump_speed * time, grid: look.grid, scene_depth: 0 });
  if (look.kind === "ribbon") put(used, { run: look.run.map(c => c * time) });
  put(used, { turn: look.free ? now.axes(run.source) : [1, 0, 0, 0, 1, 0, 0, 0, 1] });
  const pictures = { scene_depth: now.depth, behind: now.behind };
  for (const name in look.textures) pictures[name] = textures[look.textures[name]];
  for (const name of Object.keys(pictures)) if (!pictures[name]) pictures[name] = white;
  bind(used, pictures);
  const array = gl.createVertexArray();
  gl.bindVertexArray(array);
  if (look.kind === "mesh") {
    if (!look.body) {
      const corners = bytes(look.corners);
      look.body = gl.createBuffer();
      look.many = corners.length / 32;
      gl.bindBuffer(gl.ARRAY_BUFFER, look.body);
      gl.bufferData(gl.ARRAY_BUFFER, corners, gl.STATIC_DRAW);
    }
    gl.bindBuffer(gl.ARRAY_BUFFER, look.body);
    attribute(used, BODY, 8, 0, 0);
  }
  gl.bindBuffer(gl.ARRAY_BUFFER, buffer);
  gl.bufferData(gl.ARRAY_BUFFER, rows, gl.STREAM_DRAW);
  if (look.kind === "ribbon") {
    attribute(used, BAND, CORNER, 0, 0);
    gl.drawArrays(gl.TRIANGLE_STRIP, 0, run.count);
  } else if (look.kind === "mesh") {
    attribute(used, CARD, ROW, 0, 1);
    if (look.sides !== "both") { gl.enable(gl.CULL_FACE); gl.cullFace(look.sides === "outside" ? gl.BACK : gl.FRONT); }
    gl.drawArraysInstanced(gl.TRIANGLES, 0, look.many, run.count);
    gl.disable(gl.CULL_FACE);
  } else {
    const outline = new Float32Array(16);
    outline.set(look.outline);
    if (used.known.outline) gl.uniform2fv(used.known.outline.at, outline);
    attribute(used, CARD, ROW, 0, 1);
    gl.drawArraysInstanced(gl.TRIANGLE_STRIP, 0, look.outline.length / 2, run.count);
  }
  gl.bindVertexArray(null);
  gl.deleteVertexArray(array);
}

function blended(blend) {
  const [one, other] = mix[blend] || ["ONE", "ONE_MINUS_SRC_ALPHA"];
  gl.blendFunc(gl[one], gl[other]);
}

function lit(lamps) {
  const own = told.lights.lamps.map(lamp => [...lamp, 1]);
  const all = own.concat(lamps.map(lamp => [...lamp, 0])).sort((a, b) => (b[3] + b[4] + b[5]) - (a[3] + a[4] + a[5])).slice(0, 8);
  const place = new Float32Array(32), power = new Float32Array(24);
  all.forEach((lamp, i) => { place.set([lamp[0], lamp[1], lamp[2], lamp[6]], 4 * i); power.set([lamp[3], lamp[4], lamp[5]], 3 * i); });
  return { sun_way: told.lights.sun_way, sun_power: told.lights.sun_power, sky_light: told.lights.sky_light, earth_light: told.lights.earth_light,
           lamp_count: all.length, lamp_place: place, lamp_power: power, count: all.length };
}

function spread(source, glow, at) {
  const [, size, threshold] = glow, wide = 0.8 * Math.pow(size, size > 1 ? 1.2 : 1);
  gl.disable(gl.BLEND);
  at.halos.forEach((halo, level) => {
    screen(level ? "halve" : "bright", halo.frame, halo.w, halo.h, { threshold }, { picture: level ? at.halos[level - 1].picture : source });
  });
  gl.enable(gl.BLEND);
  gl.blendFunc(gl.ONE, gl.ONE);
  for (let level = LEVELS - 2; level >= 0; level--)
    screen("widen", at.halos[level].frame, at.halos[level].w, at.halos[level].h, { share: wide }, { picture: at.halos[level + 1].picture });
  gl.disable(gl.BLEND);
  let sum = 0;
  for (let level = 0; level < LEVELS; level++) sum += Math.pow(wide, level);
  return glow[0] * GLOW / sum;
}

// ---- the stage ----

const FINELY = 40; // ms a picture may take for fine edges while it plays
let ways, bodies = [], skins = new Map();

// Where a thing is at a moment: the effect, then its places, then the props. Its turn row by row, then its place.
function frame_of(thing, time) {
  const many = told.ways.steps, things = ways.length / 12 / many, mark = time / STEP;
  let first = Math.floor(mark + 1e-6);
  const share = Math.max(mark - first, 0);
  if (loops && many > 1) first %= many - 1;
  const from = 12 * (Math.min(first, many - 1) * things + thing), to = 12 * (Math.min(first + 1, many - 1) * things + thing);
  return Array.from({ length: 12 }, (_, i) => ways[from + i] + share * (ways[to + i] - ways[from + i]));
}

// Where a prop stands: `stand` leads from its axes to the world, `axes` are of unit length, both column by column.
function stand_of(place, time) {
  const frame = frame_of(1 + told.effect.places.length + place, time), stand = [], axes = [];
  for (let column = 0; column < 3; column++) {
    const way = [0, 1, 2].map(row => frame[3 * row + column] * props[place].across[column]), size = Math.max(Math.hypot(...way), 1e-9);
    stand.push(...way, 0);
    axes.push(...way.map(c => c / size));
  }
  return { prop: props[place], stand: [...stand, ...frame.slice(9), 1], axes };
}

const led = (m, x, y, z) => [0, 1, 2].map(row => m[row] * x + m[4 + row] * y + m[8 + row] * z + m[12 + row]);

// The corners of the box around a prop, in the world.
function box_of({ prop: { low, high }, stand }) {
  const all = [];
  for (const x of [low[0], high[0]]) for (const y of [low[1], high[1]]) for (const z of [low[2], high[2]]) all.push(led(stand, x, y, z));
  return all;
}

// The middle x, z and the turn of what stands on the ground, and its half width, half depth, lowest and highest.
function foot_of(thing) {
  const { stand } = thing, size = Math.max(Math.hypot(stand[0], stand[2]), 1e-9), cos = stand[0] / size, sin = stand[2] / size, box = box_of(thing);
  const span = list => [Math.min(...list), Math.max(...list)];
  const wide = span(box.map(p => p[0] * cos + p[2] * sin)), deep = span(box.map(p => p[2] * cos - p[0] * sin)), tall = span(box.map(p => p[1]));
  const x = (wide[0] + wide[1]) / 2, z = (deep[0] + deep[1]) / 2;
  return { foot: [x * cos - z * sin, x * sin + z * cos, cos, sin], body: [(wide[1] - wide[0]) / 2, (deep[1] - deep[0]) / 2, ...tall] };
}

// Whether a prop comes so near to a lamp that it must be what holds it.
function holds(thing, lamp) {
  const box = box_of(thing);
  if ([0, 1, 2].some(c => Math.min(...box.map(p => p[c])) > lamp[c] + stage.held || Math.max(...box.map(p => p[c])) < lamp[c] - stage.held)) return false;
  const { points } = bodies[thing.prop.body];
  for (let i = 0; i < points.length; i += 6) {
    const at = led(thing.stand, points[i], points[i + 1], points[i + 2]);
    if (Math.hypot(at[0] - lamp[0], at[1] - lamp[1], at[2] - lamp[2]) < stage.held) return true;
  }
  return false;
}

function draw_body(used, prop) {
  const body = bodies[prop.body];
  if (!body.buffer) {
    body.buffer = gl.createBuffer();
    gl.bindBuffer(gl.ARRAY_BUFFER, body.buffer);
    gl.bufferData(gl.ARRAY_BUFFER, body.points, gl.STATIC_DRAW);
  }
  const array = gl.createVertexArray();
  gl.bindVertexArray(array);
  gl.bindBuffer(gl.ARRAY_BUFFER, body.buffer);
  attribute(used, [["place", 3], ["normal", 3]], 6, 0, 0);
  gl.drawArrays(gl.TRIANGLES, 0, body.points.length / 6);
  gl.bindVertexArray(null);
  gl.deleteVertexArray(array);
}

function draw_props(things, eye, lights) {
  gl.cullFace(gl.BACK);
  for (const { prop, stand, axes } of things) {
    const used = program(prop.program);
    gl.useProgram(used.made);
    put(used, { ...stage.around_props, ...prop.constants, ...lights, to_clip: eye.to_clip, eye: eye.eye, forward: eye.forward, stand, axes, texels: stage.across.matter });
    if (prop.skin !== null) bind(used, { skin: skins.get(prop.skin) });
    const off = eye.eye.map((c, i) => c - stand[12 + i]);
    const own = [0, 1, 2].map(i => dot(axes.slice(3 * i, 3 * i + 3), off) / Math.max(Math.hypot(stand[4 * i], stand[4 * i + 1], stand[4 * i + 2]), 1e-9));
    if (prop.closed && own.some((c, i) => c < prop.low[i] || c > prop.high[i])) gl.enable(gl.CULL_FACE);
    draw_body(used, prop);
    gl.disable(gl.CULL_FACE);
  }
}

// What standing things keep off the ground of the strongest lamp (red) and of the sun (green), softly.
function shade(standing, eye, lights, at) {
  const [hard, soft] = at.shadows, used = program(told.screens.cast), sources = [], lamp = [...lights.lamp_place.slice(0, 3)];
  if (lights.count && lamp[1] > 0) sources.push({ source: [...lamp, 1], whose: [1, 0, 0, 0] });
  if (lights.sun_power.some(c => c > 0) && lights.sun_way[1] > 0.02) sources.push({ source: [...lights.sun_way, 0], whose: [0, 1, 0, 0] });
  gl.bindFramebuffer(gl.FRAMEBUFFER, hard.frame);
  gl.viewport(0, 0, hard.w, hard.h);
  gl.clearColor(0, 0, 0, 0);
  gl.clear(gl.COLOR_BUFFER_BIT);
  gl.disable(gl.DEPTH_TEST);
  gl.enable(gl.BLEND);
  gl.blendFunc(gl.ONE, gl.ONE);
  gl.useProgram(used.made);
  for (const { source, whose } of sources)
    for (const thing of standing) {
      if (source[3] && (thing.prop.constants.shines > 0 || holds(thing, lamp))) continue;
      put(used, { to_clip: eye.to_clip, stand: thing.stand, source, whose });
      draw_body(used, thing.prop);
    }
  gl.disable(gl.BLEND);
  screen("soften", soft.frame, soft.w, soft.h, { reach: [stage.soft / eye.aspect, stage.soft] }, { picture: hard.picture });
}

function draw_stage(things, eye, lights, at, time, finely) {
  const { width, height } = at, standing = things.filter(({ prop }) => prop.stands), seen = rays(eye);
  const plain = PLAIN[behind], bare = plain ? { backdrop: plain, backdrop_edge: plain } : {}, feet = { foot: new Float32Array(32), body: new Float32Array(32) };
  standing.forEach((thing, i) => { const told_of = foot_of(thing); feet.foot.set(told_of.foot, 4 * i); feet.body.set(told_of.body, 4 * i); });
  if (standing.length && !plain) shade(standing, eye, lights, at);
  gl.bindFramebuffer(gl.FRAMEBUFFER, at.scene);
  gl.disable(gl.BLEND);
  gl.enable(gl.DEPTH_TEST);
  gl.depthFunc(gl.ALWAYS);
  gl.depthMask(true);
  const horizon = Math.round(Math.min(Math.max(-seen.ray_corner[1] / seen.ray_y[1], 0), 1) * height);
  gl.enable(gl.SCISSOR_TEST);
  for (const [first, rows, below] of [[0, horizon, eye.eye[1] >= 0], [horizon, height - horizon, eye.eye[1] < 0]]) {
    if (rows <= 0) continue;
    gl.scissor(0, first, width, rows);
    screen(!below || plain ? (plain ? "plain" : "sky") : eye.eye[1] > 0 ? "ground" : "dry", at.scene, width, height, { ...eye, ...lights, ...seen, ...feet,
      standing: standing.length, backdrop: stage.backdrop, backdrop_edge: stage.backdrop_edge, stone: stage.stone, line: stage.line,
      pixel: 2 * eye.half / height, range: [0.02, 2000], haze: stage.haze, fog: stage.fog, fog_tint: stage.fog_tint, wet: stage.wet, moment: time,
      aspect: eye.aspect, plate_aspect: stage.plate_aspect, ...bare },
      { plate: stage.plate === null ? white : textures[stage.plate], paving: stage.paved || white, shadows: at.shadows.length ? at.shadows[1].picture : white,
        mirrored: at.mirror ? at.mirror.light : white });
  }
  gl.disable(gl.SCISSOR_TEST);
  gl.depthFunc(gl.LESS);
  if (!finely && !plain) draw_props(things.filter(({ prop }) => prop.drawn), eye, lights);
}

// A stage that stands still is taken twice where pictures take long: light on it follows the effect a few times a second.
function keeps(at, eye) {
  const kept = at.kept;
  if (!kept || full || share === 0 || kept.taken > 1 || kept.of !== eye.to_clip.join() + behind) return false;
  kept.taken++;
  carry(kept, at);
  return true;
}

function keep(at, eye) {
  if (!at.kept) at.all.push(at.kept = room_of(at.width, at.height));
  Object.assign(at.kept, { taken: 0, of: eye.to_clip.join() + behind });
  carry(at, at.kept);
}

// Copies light and depth from room to room.
function carry(from, to) {
  const size = [0, 0, from.w, from.h, 0, 0, from.w, from.h];
  for (const [place, bits] of [[gl.COLOR_ATTACHMENT0, gl.COLOR_BUFFER_BIT | gl.DEPTH_BUFFER_BIT], [gl.COLOR_ATTACHMENT1, gl.COLOR_BUFFER_BIT]]) {
    gl.bindFramebuffer(gl.READ_FRAMEBUFFER, from.scene);
    gl.bindFramebuffer(gl.DRAW_FRAMEBUFFER, to.scene);
    gl.readBuffer(place);
    gl.drawBuffers([gl.COLOR_ATTACHMENT0, gl.COLOR_ATTACHMENT1].map(each => each === place ? each : gl.NONE));
    gl.blitFramebuffer(...size, bits, gl.NEAREST);
  }
  gl.drawBuffers([gl.COLOR_ATTACHMENT0, gl.COLOR_ATTACHMENT1]);
}

// Props where edges are fine, and solid layers, which hide each other by depth.
function draw_solids(things, drawn, eye, lights, at, now, finely) {
  const seen = PLAIN[behind] || !finely ? [] : things.filter(({ prop }) => prop.drawn), solids = drawn.filter(run => run.solid), { width, height } = at;
  if (!seen.length && !solids.length) return;
  const into = frame => {
    gl.bindFramebuffer(gl.FRAMEBUFFER, frame);
    gl.viewport(0, 0, width, height);
    gl.enable(gl.DEPTH_TEST);
    gl.depthMask(true);
    gl.depthFunc(gl.LESS);
    draw_props(seen, eye, lights);
    for (const run of solids) draw_run(run, run.look, run.look.program, now, run.rows, {});
  };
  if (finely) {
    gl.depthFunc(gl.ALWAYS);
    screen("again", at.fine.frame, width, height, { range: [0.02, 2000] }, { light: at.light, depth: at.depth });
  }
  into(at.scene);
  if (!finely) return;
  into(at.fine.frame);
  gl.bindFramebuffer(gl.READ_FRAMEBUFFER, at.fine.frame);
  gl.bindFramebuffer(gl.DRAW_FRAMEBUFFER, at.layers);
  gl.blitFramebuffer(0, 0, width, height, 0, 0, width, height, gl.COLOR_BUFFER_BIT, gl.NEAREST);
}

function lighten_air(eye, lights, room) {
  if (!(stage.fog > 0) || !lights.count) return;
  gl.blendFunc(gl.ONE, gl.ONE);
  screen("air", room.layers, room.w, room.h, { ...eye, ...lights, ...rays(eye), fog: stage.fog }, { scene_depth: room.depth });
}

// The air that particles make thick: drawn a quarter of the picture's size, and laid over it.
let filled = null;
function fill_air(eye, lights, at, width, height) {
  const place = kit.page_fog();
  if (!place) return;
  const [x, y, z, cube, ...sides] = new Float32Array(memory.buffer, place, 7), [wide, high, deep] = sides;
  const cells = new Float32Array(memory.buffer, place + 32, 4 * wide * high * deep);
  if (!filled) filled = gl.createTexture();
  gl.activeTexture(gl.TEXTURE0);
  gl.bindTexture(gl.TEXTURE_2D, filled);
  gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA16F, wide, high * deep, 0, gl.RGBA, gl.FLOAT, cells);
  for (const filter of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, filter, gl.LINEAR);
  for (const wrap of [gl.TEXTURE_WRAP_S, gl.TEXTURE_WRAP_T]) gl.texParameteri(gl.TEXTURE_2D, wrap, gl.CLAMP_TO_EDGE);
  const { w, h, frame, picture } = at.quarter;
  const scale = [width / w, height / h];
  gl.disable(gl.BLEND);
  screen("mist", frame, w, h, { ...eye, ...lights, ...rays(eye), low: [x, y, z], cube, sides, scale }, { scene_depth: at.depth, filled });
  gl.enable(gl.BLEND);
  gl.blendFunc(gl.ONE, gl.ONE_MINUS_SRC_ALPHA);
  screen("enlarge", at.layers, width, height, { small: [w, h], scale }, { scene_depth: at.depth, picture });
}

// What the ground mirrors, in smaller sizes too for ground that is rough.
function draw_mirror(things, drawn, above, lights, room, now_of) {
  const eye = mirrored(above), now = now_of(eye, room);
  gl.bindFramebuffer(gl.FRAMEBUFFER, room.scene);
  gl.viewport(0, 0, room.w, room.h);
  gl.disable(gl.BLEND);
  gl.enable(gl.DEPTH_TEST);
  gl.depthMask(true);
  gl.clearBufferfv(gl.COLOR, 0, [...stage.below, 1]);
  gl.clearBufferfv(gl.COLOR, 1, [FAR, 0, 0, 0]);
  gl.clearBufferfv(gl.DEPTH, 0, [1]);
  gl.frontFace(gl.CW);
  gl.depthFunc(gl.LESS);
  draw_props(things.filter(({ prop }) => prop.mirrored), eye, lights);
  for (const run of drawn) if (run.solid) draw_run(run, run.look, run.look.program, now, run.rows, {});
  gl.disable(gl.DEPTH_TEST);
  gl.depthMask(false);
  gl.enable(gl.BLEND);
  gl.bindFramebuffer(gl.FRAMEBUFFER, room.layers);
  for (const run of drawn) {
    if (run.solid) continue;
    blended(run.look.blend);
    draw_run(run, run.look, run.look.program, now, run.rows, {});
  }
  lighten_air(eye, lights, room);
  gl.frontFace(gl.CCW);
  gl.bindTexture(gl.TEXTURE_2D, room.light);
  gl.generateMipmap(gl.TEXTURE_2D);
}

// The shadows of particles on the ground.
function draw_shadows(drawn, eye, lights, at) {
  const used = program(told.screens.shadow), [x, y, z] = lights.sun_way, sun = lights.sun_power.some(c => c > 0) && y > 0.2;
  for (const run of drawn) {
    if (!(run.layer.shadow > 0) || run.kind === 2) continue;
    gl.useProgram(used.made);
    put(used, { ...eye, fall: sun ? [-x, -y, -z] : [0, -1, 0], dark: run.layer.shadow });
    bind(used, { scene_depth: at.depth });
    const array = gl.createVertexArray();
    gl.bindVertexArray(array);
    gl.bindBuffer(gl.ARRAY_BUFFER, buffer);
    gl.bufferData(gl.ARRAY_BUFFER, run.rows, gl.STREAM_DRAW);
    attribute(used, CARD, ROW, 0, 1);
    gl.blendFunc(gl.ZERO, gl.SRC_COLOR);
    gl.drawArraysInstanced(gl.TRIANGLE_STRIP, 0, 4, run.count);
    gl.bindVertexArray(null);
    gl.deleteVertexArray(array);
  }
}

// ---- a picture ----

// The light that is put on the screen, last of all, and what leads there.
function draw() {
  fit();
  const width = canvas.width, height = canvas.height, at = sized(width, height), eye = looked(width / height), time = clock;
  const floats = new Float64Array([...eye.eye, ...eye.right, ...eye.up, ...eye.forward, 0]);
  new Float64Array(memory.buffer, now_camera, 13).set(floats);
  const list = kit.page_draw(now_camera, Math.max(clock - steps * STEP, 0));
  const table = new Int32Array(memory.buffer, list, 6 * 600 + 8).slice(), rows_at = kit.page_rows() >> 2;
  const lamp_count = table[1 + 6 * table[0]], lamps_at = rows_at + table[2 + 6 * table[0]], lamps = [];
  for (let i = 0; i < lamp_count; i++) lamps.push([...new Float32Array(memory.buffer, 4 * (lamps_at + 6 * i), 6)]);
  const lights = lit(lamps);
  new Float64Array(memory.buffer, now_camera, 6).set([...lights.sun_way, ...lights.lamp_place.slice(0, 3)]);
  kit.page_shade(now_camera, now_camera + 24);
  const all = new Float32Array(memory.buffer);
  const drawn = [];
  for (let i = 0; i < table[0]; i++) {
    const [kind, source, first, count, , solid] = table.slice(1 + 6 * i, 7 + 6 * i), layer = told.layers[source];
    if (!shown[source] || !layer.drawn) { kit.page_clear(i); continue; }
    const look = kind === 2 && layer.kind !== "ribbon" ? layer.trail : layer, size = kind === 2 ? CORNER : ROW;
    drawn.push({ kind, source, count, solid, layer, look, rows: all.slice(rows_at + first, rows_at + first + count * size) });
  }
  const axes = source => [...new Float32Array(memory.buffer, kit.page_axes(source), 9)];
  const now_of = (eye, room) => ({
    common: { ...eye, ...lights, lens: [eye.half * eye.aspect, eye.mirrors ? -eye.half : eye.half], depth_scale: [1, 1], strength: 1, pixels_high: room.h / (2 * eye.half),
              fog: stage.fog, fog_tint: stage.fog_tint, pixel_size: [1 / width, 1 / height] },
    time, depth: room.depth, behind: at.copy.picture, axes });
  const things = props.map((_, i) => stand_of(i, clock)), now = now_of(eye, at), common = now.common;
  const finely = full || (share === 0 && took < FINELY);
  if (!keeps(at, eye)) {
    if (at.mirror && eye.eye[1] > 0 && !PLAIN[behind]) draw_mirror(things, drawn, eye, lights, at.mirror, now_of);
    draw_stage(things, eye, lights, at, time, finely);
    if (!full && share > 0 && told.ways.steps === 1) keep(at, eye);
  }
  if (!PLAIN[behind]) {
    gl.disable(gl.DEPTH_TEST);
    gl.depthMask(false);
    gl.enable(gl.BLEND);
    gl.bindFramebuffer(gl.FRAMEBUFFER, at.layers);
    gl.viewport(0, 0, width, height);
    draw_shadows(drawn, eye, lights, at);
    gl.disable(gl.BLEND);
    gl.enable(gl.DEPTH_TEST);
    gl.depthMask(true);
  }
  draw_solids(things, drawn, eye, lights, at, now, finely);
  gl.disable(gl.DEPTH_TEST);
  gl.depthMask(false);
  // All others, in order.
  gl.enable(gl.BLEND);
  for (const run of drawn) {
    if (run.solid) continue;
    if (run.look.haze !== null && run.look.haze !== undefined) {
      gl.bindFramebuffer(gl.READ_FRAMEBUFFER, at.layers);
      gl.bindFramebuffer(gl.DRAW_FRAMEBUFFER, at.copy.frame);
      gl.blitFramebuffer(0, 0, width, height, 0, 0, width, height, gl.COLOR_BUFFER_BIT, gl.NEAREST);
      gl.bindFramebuffer(gl.FRAMEBUFFER, at.layers);
      gl.blendFuncSeparate(gl.ONE, gl.ONE_MINUS_SRC_ALPHA, gl.ZERO, gl.ONE);
      draw_run(run, run.look, run.look.haze, now, run.rows, {});
    }
    gl.bindFramebuffer(gl.FRAMEBUFFER, at.layers);
    gl.viewport(0, 0, width, height);
    blended(run.look.blend);
    draw_run(run, run.look, run.look.program, now, run.rows, {});
  }
  lighten_air(eye, lights, at);
  fill_air(eye, lights, at, width, height);
  // The glow: the picture itself where all glows alike, else each kind drawn small by itself.
  const kinds = new Map();
  told.layers.forEach((layer, i) => {
    if (layer.glow && layer.drawn) { const key = layer.glow.join(); kinds.set(key, { glow: layer.glow, layers: new Set([...(kinds.get(key)?.layers || []), i]) }); }
  });
  let halo = at.halos[0].picture, factor = 0;
  const dim = (run, threshold) => {
    const stride = run.kind === 2 ? CORNER : ROW, first = run.kind === 2 ? 10 : 7, most = run.look.blend === "alpha" || run.look.blend === "cut-out" ? threshold : 0;
    for (let i = 0; i < run.count; i++) for (let c = 0; c < 3; c++) if (run.rows[i * stride + first + c] > most) return false;
    return true;
  };
  const [only] = kinds.values();
  if (kinds.size === 1 && drawn.every(run => only.layers.has(run.source) || run.look.blend === "multiply" || dim(run, only.glow[2]))) {
    factor = spread(at.light, only.glow, at);
  } else if (kinds.size) {
    gl.bindFramebuffer(gl.FRAMEBUFFER, at.sum.frame);
    gl.clearColor(0, 0, 0, 0);
    gl.clear(gl.COLOR_BUFFER_BIT);
    const scale = [width / at.quarter.w, height / at.quarter.h];
    for (const { glow, layers } of kinds.values()) {
      gl.bindFramebuffer(gl.FRAMEBUFFER, at.quarter.frame);
      gl.viewport(0, 0, at.quarter.w, at.quarter.h);
      gl.clear(gl.COLOR_BUFFER_BIT);
      gl.enable(gl.BLEND);
      const small = { ...now, common: { ...common, depth_scale: scale, pixels_high: at.quarter.h / (2 * eye.half) } };
      let begun = false;
      for (const run of drawn) {
        const mine = layers.has(run.source), hides = run.look.blend !== "additive" && run.look.blend !== "screen";
        begun = begun || mine;
        if (!begun || !(mine || hides) || run.solid) continue;
        let rows = run.rows;
        if (!mine) {
          const stride = run.kind === 2 ? CORNER : ROW, first = run.kind === 2 ? 10 : 7;
          rows = rows.slice();
          for (let i = 0; i < run.count; i++) rows.fill(0, i * stride + first, i * stride + first + 3);
        }
        blended(run.look.blend);
        draw_run(run, run.look, run.look.program, small, rows, {});
      }
      gl.disable(gl.BLEND);
      const share = spread(at.quarter.picture, glow, at);
      gl.enable(gl.BLEND);
      gl.blendFunc(gl.ONE, gl.ONE);
      screen("add", at.sum.frame, at.sum.w, at.sum.h, { share }, { picture: at.halos[0].picture });
    }
    halo = at.sum.picture;
    factor = 1;
  }
  gl.disable(gl.BLEND);
  screen("finish", null, width, height, { glow: factor, exposure: stage.exposure, flip: 0 }, { light: at.light, halo });
}

let now_camera = 0;

function tick(when) {
  const since = Math.min((when - last) / 1000, 0.1);
  last = when;
  if (playing) {
    let to = clock + since * speed;
    if (!loops && to > LENGTH + 0.5 && kit.page_finished()) to = 0;
    go(to);
    by("time").value = loops ? (clock % LENGTH) / LENGTH : Math.min(clock / LENGTH, 1);
    dirty = true;
  }
  if (drawn && gl.getSyncParameter(drawn, gl.SYNC_STATUS) === gl.SIGNALED) {
    gl.deleteSync(drawn);
    drawn = null;
    if (!full && window.palePicture > 1) weigh(when - asked); // the first waits for its shaders
    by("cost").textContent = `${kit.page_alive(-1)} particles, ${told.layers.filter(layer => layer.drawn).length} layers, ${took.toFixed(0)} ms a picture`;
  }
  const busy = playing || when < stirred + 250;
  // No picture is asked for while one is being drawn, or they queue and every hand is answered late.
  if ((dirty || (!busy && !full)) && !drawn) {
    dirty = false;
    asked = when;
    full = !busy;
    draw();
    drawn = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0);
    gl.flush();
    by("clock").textContent = `${(loops ? clock % LENGTH : clock).toFixed(2)} of ${LENGTH.toFixed(2)} s`;
    window.palePicture = (window.palePicture || 0) + 1;
  }
  requestAnimationFrame(tick);
}

// What moves is drawn smaller where pictures take long, and larger again where there is time; what stands still is drawn whole.
function weigh(spent) {
  took += (spent - took) * 0.2;
  if (took > 60 && share < SHARES.length - 1) { share = Math.min(share + (took > 150 ? 2 : 1), SHARES.length - 1); took *= 0.6; }
  else if (took < 22 && share > 0) { share--; took *= 1.4; }
}

const SHARES = [1, 0.7, 0.5, 0.35];
const PLAIN = [null, [0, 0, 0], [0.18, 0.18, 0.18], [1, 1, 1]];
let dirty = true, behind = 0, drawn = null, asked = 0, took = 30, share = 2, full = true, stirred = 0;

// The canvas at the size that is drawn.
function fit() {
  const scale = Math.min(window.devicePixelRatio || 1, 2) * (full ? 1 : SHARES[share]);
  const width = Math.max(Math.round(canvas.clientWidth * scale), 1), height = Math.max(Math.round(canvas.clientHeight * scale), 1);
  if (canvas.width !== width) canvas.width = width;
  if (canvas.height !== height) canvas.height = height;
}

// Something was moved by hand: it is drawn at once, and whole when the hand rests.
function stir() {
  stirred = performance.now();
  dirty = true;
}

function controls() {
  const press = (name, on) => by(name).setAttribute("aria-pressed", on);
  const hold = on => { playing = !on; by("play").textContent = on ? "Play" : "Pause"; };
  by("play").onclick = () => hold(playing);
  by("again").onclick = () => { begin(); dirty = true; };
  by("step").onclick = () => { hold(true); go((steps + 1) * STEP + 1e-9); dirty = true; };
  by("slow").onclick = () => { speed = speed === 1 ? 0.25 : 1; press("slow", speed !== 1); };
  by("view").hidden = told.cameras.length < 2;
  by("view").onclick = () => look_from(saved + 1);
  by("background").onclick = () => { behind = (behind + 1) % PLAIN.length; dirty = true; };
  by("fade").onclick = () => { faded = !faded; press("fade", faded); kit.page_strength(faded ? 0 : strength); };
  by("strength").oninput = event => { strength = Number(event.target.value); kit.page_strength(faded ? 0 : strength); };
  by("time").oninput = event => { hold(true); go(Math.min(Number(event.target.value) * LENGTH, LENGTH - STEP)); stir(); };
  if (canvas.clientWidth < 620) by("layers").open = false;
  told.layers.forEach((layer, i) => {
    if (!layer.drawn) return;
    const button = document.createElement("button");
    button.textContent = layer.name;
    button.setAttribute("aria-pressed", "true");
    button.onclick = () => { shown[i] = !shown[i]; button.setAttribute("aria-pressed", shown[i]); dirty = true; };
    by("layers").append(button);
  });
  // A button pressed by the pointer does not take the keyboard: Space goes on playing and pausing.
  document.addEventListener("mousedown", event => { if (event.target.closest("button, summary")) event.preventDefault(); });
  window.addEventListener("keydown", event => {
    const on = event.target.tagName;
    if (event.key === " " && on !== "BUTTON" && on !== "SUMMARY") { hold(playing); event.preventDefault(); }
    if (event.key === ".") by("step").onclick();
    if (event.key === "Home" && on !== "INPUT") look_from(saved);
  });
  // One finger turns, two move and zoom; the right button, or Shift, moves.
  const fingers = new Map();
  canvas.addEventListener("contextmenu", event => event.preventDefault());
  canvas.addEventListener("pointerdown", event => { canvas.setPointerCapture(event.pointerId); fingers.set(event.pointerId, [event.clientX, event.clientY]); });
  const lift = event => fingers.delete(event.pointerId);
  canvas.addEventListener("pointerup", lift);
  canvas.addEventListener("pointercancel", lift);
  const slide = (dx, dy) => {
    const eye = looked(1), by_pixel = 2 * eye.half * view.distance / canvas.clientHeight;
    view.target = view.target.map((c, i) => c - eye.right[i] * dx * by_pixel + eye.up[i] * dy * by_pixel);
  };
  canvas.addEventListener("pointermove", event => {
    const was = fingers.get(event.pointerId);
    if (!was) return;
    const dx = event.clientX - was[0], dy = event.clientY - was[1];
    if (fingers.size === 2) {
      const [other] = [...fingers].filter(([id]) => id !== event.pointerId).map(([, at]) => at);
      const before = Math.hypot(was[0] - other[0], was[1] - other[1]), after = Math.hypot(event.clientX - other[0], event.clientY - other[1]);
      if (before > 10 && after > 10) view.distance = Math.min(Math.max(view.distance * before / after, 0.05), 500);
      slide(dx / 2, dy / 2);
    } else if (event.shiftKey || event.buttons & 2 || event.buttons & 4) slide(dx, dy);
    else {
      view.heading -= dx * 0.4;
      view.pitch = Math.min(Math.max(view.pitch + dy * 0.4, -89), 89);
    }
    fingers.set(event.pointerId, [event.clientX, event.clientY]);
    stir();
  });
  canvas.addEventListener("wheel", event => {
    view.distance = Math.min(Math.max(view.distance * Math.exp(event.deltaY * 0.0012), 0.05), 500);
    event.preventDefault();
    stir();
  }, { passive: false });
  canvas.addEventListener("dblclick", () => look_from(saved));
  new ResizeObserver(() => { dirty = true; }).observe(canvas);
}

const MESH = 4;

// Floats in the module's own memory.
function kept(list) {
  const at = kit.page_room(Math.max(list.length, 1) * 4);
  new Float32Array(memory.buffer, at, list.length).set(list);
  return at;
}

// A picture that tiles, drawn once: what the ground or a prop is covered with.
function covering(place, side) {
  const made = gl.createTexture(), used = program(place);
  gl.bindTexture(gl.TEXTURE_2D, made);
  gl.texStorage2D(gl.TEXTURE_2D, Math.log2(side) + 1, gl.RGBA8, side, side);
  const room = framebuffer(made);
  gl.viewport(0, 0, side, side);
  gl.useProgram(used.made);
  gl.bindVertexArray(nobody);
  gl.drawArrays(gl.TRIANGLES, 0, 3);
  gl.deleteFramebuffer(room);
  gl.bindTexture(gl.TEXTURE_2D, made);
  gl.generateMipmap(gl.TEXTURE_2D);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.LINEAR_MIPMAP_LINEAR);
  return made;
}

async function start() {
  gl = canvas.getContext("webgl2", { antialias: false, alpha: false, preserveDrawingBuffer: true });
  if (!gl) return fault("This page needs WebGL 2, and this browser has none; open it in another.");
  if (!gl.getExtension("EXT_color_buffer_float")) return fault("This page draws light as fractions (EXT_color_buffer_float), which this browser cannot; open it in another.");
  gl.getExtension("OES_texture_float_linear");
  const made = await WebAssembly.instantiate(bytes(told.module), {});
  kit = made.instance.exports;
  memory = kit.memory;
  if (kit._initialize) kit._initialize();
  const text = new TextEncoder().encode(JSON.stringify(told.effect)), place = kit.page_room(text.length + 1);
  let eddies = 0;
  if (told.eddies) {
    // Half floats, as a page keeps them.
    const codes = new Uint16Array(bytes(told.eddies).buffer);
    eddies = kit.page_room(codes.length * 4);
    const field = new Float32Array(memory.buffer, eddies, codes.length);
    for (let i = 0; i < codes.length; i++) {
      const sign = codes[i] & 0x8000 ? -1 : 1, exponent = codes[i] >> 10 & 31, part = codes[i] & 1023;
      field[i] = sign * (exponent ? Math.pow(2, exponent - 15) * (1 + part / 1024) : part * Math.pow(2, -24));
    }
  }
  new Uint8Array(memory.buffer, place, text.length).set(text);
  if (!kit.page_load(place, text.length, eddies, props.length + 1)) {
    const words = new Uint8Array(memory.buffer, kit.page_fault(), 320);
    return fault(new TextDecoder().decode(words.slice(0, words.indexOf(0))));
  }
  now_camera = kit.page_room(13 * 8);
  ways = new Float32Array(bytes(told.ways.rows).buffer);
  bodies = told.bodies.map(body => ({ points: new Float32Array(bytes(body).buffer) }));
  kit.page_ways(kept(ways), told.ways.steps, props.length, loops ? 1 : 0);
  props.forEach((prop, i) => {
    if (!prop.touched) return;
    const points = bodies[prop.body].points, corners = MESH === prop.shape ? points.filter((_, k) => k % 6 < 3) : [];
    const name = new TextEncoder().encode(prop.name + "\0"), name_at = kit.page_room(name.length);
    new Uint8Array(memory.buffer, name_at, name.length).set(name);
    const size_at = kit.page_room(24);
    new Float64Array(memory.buffer, size_at, 3).set(MESH === prop.shape ? prop.across : prop.size);
    kit.page_surface(i, name_at, prop.shape, size_at, kept(corners), corners.length / 9);
  });
  told.screens.decode = told.programs.push(DECODE) - 1;
  told.screens.again = told.programs.push(AGAIN) - 1;
  buffer = gl.createBuffer();
  nobody = gl.createVertexArray();
  white = texture(1, 1, gl.RGBA8, gl.NEAREST);
  gl.texSubImage2D(gl.TEXTURE_2D, 0, 0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array([255, 255, 255, 255]));
  await Promise.all(told.textures.map(decode));
  if (told.screens.paving !== undefined) stage.paved = covering(told.screens.paving, stage.across.paving);
  for (const { skin } of props) if (skin !== null && !skins.has(skin)) skins.set(skin, covering(skin, stage.across.matter));
  begin();
  controls();
  window.paleGo = (time, hold) => { playing = !hold; full = hold; go(time); draw(); return kit.page_alive(-1); };
  requestAnimationFrame(when => { last = when; tick(when); });
}

start().catch(error => fault("This effect cannot be shown: " + error.message));
})();
