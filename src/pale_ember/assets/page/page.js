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

function texture(width, height, format, kind, filter) {
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

const DECODE = ["#version 300 es\nprecision highp float;\nout vec2 at;\nvoid main() { vec2 c = vec2((gl_VertexID << 1) & 2, gl_VertexID & 2); at = c; gl_Position = vec4(c * 2.0 - 1.0, 0.0, 1.0); }",
  "#version 300 es\nprecision highp float;\nprecision highp sampler2D;\nin vec2 at;\nuniform sampler2D coded;\nuniform vec2 peaks;\nout vec4 colour;\n" +
  "void main() { ivec2 half_of = textureSize(coded, 0) / ivec2(1, 2); ivec2 p = min(ivec2(at * vec2(half_of)), half_of - 1);\n" +
  "vec3 light = texelFetch(coded, p, 0).rgb; float cover = texelFetch(coded, p + ivec2(0, half_of.y), 0).r;\n" +
  "colour = vec4(light * light * peaks.x, cover * cover * peaks.y); }"];

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
  const used = program(told.programs.length - 1);
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

function sized(width, height) {
  if (targets && targets.width === width && targets.height === height) return targets;
  if (targets) for (const one of targets.all) one.frame ? (gl.deleteFramebuffer(one.frame), gl.deleteTexture(one.picture)) : 0;
  const room = (w, h) => { const picture = texture(w, h, gl.RGBA16F, 0, gl.LINEAR); return { picture, frame: framebuffer(picture), w, h }; };
  const light = texture(width, height, gl.RGBA16F, 0, gl.LINEAR), depth = texture(width, height, gl.R32F, 0, gl.NEAREST);
  const scene = framebuffer(light, depth), hidden = gl.createRenderbuffer();
  gl.bindRenderbuffer(gl.RENDERBUFFER, hidden);
  gl.renderbufferStorage(gl.RENDERBUFFER, gl.DEPTH_COMPONENT24, width, height);
  gl.framebufferRenderbuffer(gl.FRAMEBUFFER, gl.DEPTH_ATTACHMENT, gl.RENDERBUFFER, hidden);
  const halos = [];
  for (let level = 0; level < LEVELS; level++) halos.push(room(Math.max(width >> (2 + level), 1), Math.max(height >> (2 + level), 1)));
  const copy = room(width, height), quarter = room(halos[0].w, halos[0].h), sum = room(halos[0].w, halos[0].h);
  const layers = framebuffer(light);
  targets = { width, height, light, depth, scene, layers, halos, copy, quarter, sum, all: [...halos, copy, quarter, sum,
    { picture: light, frame: scene }, { picture: depth, frame: layers }] };
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

const view = { ...told.camera, target: [...told.camera.target] };
const home = { ...told.camera, target: [...told.camera.target] };
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

// ---- playing ----

const stage = told.stage, STEP = 1 / told.effect.steps, LENGTH = told.effect.duration / told.effect.tempo, loops = told.effect.loop;
const shown = told.layers.map(() => true);
let clock = 0, steps = 0, playing = true, speed = 1, last = 0, faded = false, strength = 1;

function begin() {
  if (!kit.page_begin(stage.ground ? 1 : 0)) throw new Error("too little memory for this effect");
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

// The light that is put on the screen, last of all, and what leads there.
function draw() {
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
    if (!shown[source] || !layer.drawn) continue;
    const look = kind === 2 && layer.kind !== "ribbon" ? layer.trail : layer, size = kind === 2 ? CORNER : ROW;
    drawn.push({ kind, source, count, solid, layer, look, rows: all.slice(rows_at + first, rows_at + first + count * size) });
  }
  const ray = (x, y) => eye.forward.map((c, i) => c + (2 * x - 1) * eye.half * eye.aspect * eye.right[i] + (1 - 2 * y) * eye.half * eye.up[i]);
  const corner = ray(0, 1), less = (a, b) => a.map((c, i) => c - b[i]), ray_x = less(ray(1, 1), corner), ray_y = less(ray(0, 0), corner);
  const eyes = { eye: eye.eye, forward: eye.forward, right: eye.right, up: eye.up, to_clip: eye.to_clip };
  // The stage.
  gl.bindFramebuffer(gl.FRAMEBUFFER, at.scene);
  gl.disable(gl.BLEND);
  gl.enable(gl.DEPTH_TEST);
  gl.depthFunc(gl.ALWAYS);
  gl.depthMask(true);
  const horizon = Math.round(Math.min(Math.max(-corner[1] / ray_y[1], 0), 1) * height);
  gl.enable(gl.SCISSOR_TEST);
  const plain = PLAIN[behind], bare = plain ? { backdrop: plain, backdrop_edge: plain } : {};
  for (const [first, rows, below] of [[0, horizon, eye.eye[1] >= 0], [horizon, height - horizon, eye.eye[1] < 0]]) {
    if (rows <= 0) continue;
    gl.scissor(0, first, width, rows);
    screen(below && !plain ? "ground" : "sky", at.scene, width, height, { ...eyes, ...lights, ray_corner: corner, ray_x, ray_y, backdrop: stage.backdrop,
      backdrop_edge: stage.backdrop_edge, stone: stage.stone, line: stage.line, pixel: 2 * eye.half / height, range: [0.02, 2000], haze: stage.haze,
      fog: stage.fog, fog_tint: stage.fog_tint, wet: 0, moment: time, aspect: eye.aspect, plate_aspect: 1, ...bare }, { plate: white, paving: stage.paved || white, shadows: white, mirrored: white });
  }
  gl.disable(gl.SCISSOR_TEST);
  const common = { ...eyes, ...lights, lens: [eye.half * eye.aspect, eye.half], depth_scale: [1, 1], strength: 1, pixels_high: height / (2 * eye.half),
                   fog: stage.fog, fog_tint: stage.fog_tint, pixel_size: [1 / width, 1 / height] };
  const axes = source => [...new Float32Array(memory.buffer, kit.page_axes(source), 9)];
  const now = { common, time, depth: at.depth, behind: at.copy.picture, axes };
  // Solid layers hide each other by depth.
  gl.depthFunc(gl.LESS);
  for (const run of drawn) if (run.solid) draw_run(run, run.look, run.look.program, now, run.rows, {});
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
  if (stage.fog > 0 && lights.count) {
    gl.blendFunc(gl.ONE, gl.ONE);
    screen("air", at.layers, width, height, { ...eyes, ...lights, ray_corner: corner, ray_x, ray_y, fog: stage.fog }, { scene_depth: at.depth });
  }
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
  if (drawn) {
    // No picture is asked for while one is being drawn, or they queue and every hand is answered late.
    if (gl.getSyncParameter(drawn, gl.SYNC_STATUS) === gl.SIGNALED) {
      gl.deleteSync(drawn);
      drawn = null;
      took += (when - asked - took) * 0.1;
      by("cost").textContent = `${kit.page_alive(-1)} particles, ${told.layers.filter(layer => layer.drawn).length} layers, ${took.toFixed(0)} ms a picture`;
    }
  }
  if (dirty && !drawn) {
    dirty = false;
    asked = when;
    draw();
    drawn = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0);
    gl.flush();
    by("clock").textContent = `${(loops ? clock % LENGTH : clock).toFixed(2)} of ${LENGTH.toFixed(2)} s`;
    window.palePicture = (window.palePicture || 0) + 1;
  }
  requestAnimationFrame(tick);
}

const PLAIN = [null, [0, 0, 0], [0.18, 0.18, 0.18], [1, 1, 1]];
let dirty = true, behind = 0, drawn = null, asked = 0, took = 16;

function resize() {
  const scale = Math.min(window.devicePixelRatio || 1, 2);
  canvas.width = Math.max(Math.round(canvas.clientWidth * scale), 1);
  canvas.height = Math.max(Math.round(canvas.clientHeight * scale), 1);
  dirty = true;
}

function controls() {
  const press = (name, on) => by(name).setAttribute("aria-pressed", on);
  const hold = on => { playing = !on; by("play").textContent = on ? "Play" : "Pause"; };
  by("play").onclick = () => hold(playing);
  by("again").onclick = () => { begin(); dirty = true; };
  by("step").onclick = () => { hold(true); go((steps + 1) * STEP + 1e-9); dirty = true; };
  by("slow").onclick = () => { speed = speed === 1 ? 0.25 : 1; press("slow", speed !== 1); };
  by("background").onclick = () => { behind = (behind + 1) % PLAIN.length; dirty = true; };
  by("fade").onclick = () => { faded = !faded; press("fade", faded); kit.page_strength(faded ? 0 : strength); };
  by("strength").oninput = event => { strength = Number(event.target.value); kit.page_strength(faded ? 0 : strength); };
  by("time").oninput = event => { hold(true); go(Math.min(Number(event.target.value) * LENGTH, LENGTH - STEP)); dirty = true; };
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
    if (event.key === "Home" && on !== "INPUT") { Object.assign(view, home, { target: [...home.target] }); dirty = true; }
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
    dirty = true;
  });
  canvas.addEventListener("wheel", event => {
    view.distance = Math.min(Math.max(view.distance * Math.exp(event.deltaY * 0.0012), 0.05), 500);
    event.preventDefault();
    dirty = true;
  }, { passive: false });
  canvas.addEventListener("dblclick", () => { Object.assign(view, home, { target: [...home.target] }); dirty = true; });
  new ResizeObserver(resize).observe(canvas);
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
  if (!kit.page_load(place, text.length, eddies)) {
    const words = new Uint8Array(memory.buffer, kit.page_fault(), 320);
    return fault(new TextDecoder().decode(words.slice(0, words.indexOf(0))));
  }
  now_camera = kit.page_room(13 * 8);
  const ways = new Float32Array(bytes(told.ways.rows).buffer), ways_at = kit.page_room(ways.length * 4);
  new Float32Array(memory.buffer, ways_at, ways.length).set(ways);
  kit.page_ways(ways_at, told.ways.steps, loops ? 1 : 0);
  told.programs.push(DECODE);
  buffer = gl.createBuffer();
  nobody = gl.createVertexArray();
  white = texture(1, 1, gl.RGBA8, 0, gl.NEAREST);
  gl.texSubImage2D(gl.TEXTURE_2D, 0, 0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array([255, 255, 255, 255]));
  await Promise.all(told.textures.map(decode));
  resize();
  const at = sized(canvas.width, canvas.height);
  if (told.screens.paving !== undefined) {
    const paving = gl.createTexture();
    gl.bindTexture(gl.TEXTURE_2D, paving);
    gl.texStorage2D(gl.TEXTURE_2D, 11, gl.RGBA8, 1024, 1024);
    screen("paving", framebuffer(paving), 1024, 1024, {}, {});
    gl.bindTexture(gl.TEXTURE_2D, paving);
    gl.generateMipmap(gl.TEXTURE_2D);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.LINEAR_MIPMAP_LINEAR);
    Object.defineProperty(stage, "paved", { value: paving });
  }
  begin();
  controls();
  window.paleGo = (time, hold) => { playing = !hold; go(time); draw(); return kit.page_alive(-1); };
  requestAnimationFrame(when => { last = when; tick(when); });
}

start().catch(error => fault("This effect cannot be shown: " + error.message));
})();
