"use strict";
// A plain loader of a kit: what it does, docs/kit.md says. Everything it needs is in this file; nothing is fetched.
(() => {
const told = JSON.parse(document.getElementById("kit").textContent);
const byId = id => document.getElementById(id);
const words = text => { const p = byId("words"); p.textContent = text; p.hidden = false; byId("stage").hidden = true; };
class Broken extends Error {}

// ---- Bytes -------------------------------------------------------------------------------------------------------
function bytesOf(blob) {
  const text = atob(byId("blob" + blob).textContent), made = new Uint8Array(text.length);
  for (let i = 0; i < text.length; ++i) made[i] = text.charCodeAt(i);
  return made;
}
async function inflated(bytes) {
  const stream = new Blob([bytes]).stream().pipeThrough(new DecompressionStream("deflate"));
  return new Uint8Array(await new Response(stream).arrayBuffer());
}
// A PNG's samples as they are stored: no color management, no alpha multiplied in. 8 and 16 bits, not interlaced.
async function pngOf(bytes) {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength), parts = [];
  const width = view.getUint32(16), height = view.getUint32(20), bits = bytes[24], kind = bytes[25];
  const channels = { 0: 1, 2: 3, 4: 2, 6: 4 }[kind];
  for (let at = 8; at + 12 <= bytes.length;) {
    const size = view.getUint32(at), name = String.fromCharCode(...bytes.subarray(at + 4, at + 8));
    if (name === "IDAT") parts.push(bytes.subarray(at + 8, at + 8 + size));
    at += 12 + size;
  }
  const packed = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0));
  parts.reduce((at, part) => { packed.set(part, at); return at + part.length; }, 0);
  const raw = await inflated(packed), step = channels * bits / 8, line = width * step;
  const out = new Uint8Array(line * height);
  for (let y = 0, from = 0; y < height; ++y) {
    const filter = raw[from++], to = y * line, up = to - line;
    if (filter === 0) out.set(raw.subarray(from, from + line), to);
    else for (let x = 0; x < line; ++x) {
      const a = x >= step ? out[to + x - step] : 0, b = y ? out[up + x] : 0, c = x >= step && y ? out[up + x - step] : 0;
      let guess = 0;
      if (filter === 1) guess = a;
      else if (filter === 2) guess = b;
      else if (filter === 3) guess = (a + b) >> 1;
      else { const p = a + b - c, pa = Math.abs(p - a), pb = Math.abs(p - b), pc = Math.abs(p - c); guess = pa <= pb && pa <= pc ? a : pb <= pc ? b : c; }
      out[to + x] = raw[from + x] + guess;
    }
    from += line;
  }
  if (bits === 8) return { width, height, channels, data: out };
  const wide = new Uint16Array(out.length / 2);
  for (let i = 0; i < wide.length; ++i) wide[i] = out[2 * i] << 8 | out[2 * i + 1];
  return { width, height, channels, data: wide };
}
async function pictureOf(texture) {
  const bytes = bytesOf(texture.blob);
  if (!texture.raw) return pngOf(bytes);
  const [width, height, channels] = texture.raw, held = await inflated(bytes);
  return { width, height, channels, data: new Float32Array(held.buffer) };
}

// ---- Color -------------------------------------------------------------------------------------------------------
const decoded = e => e <= 0.04045 ? e / 12.92 : ((e + 0.055) / 1.055) ** 2.4;
const encoded = c => c <= 0.0031308 ? 12.92 * c : 1.055 * c ** (1 / 2.4) - 0.055;
// The 8-bit code of a linear value: where each begins, and the code at the start of each of 4096 steps.
const begins = Float64Array.from({ length: 257 }, (_, k) => k === 0 ? -1 : k === 256 ? 2 : decoded((k - 0.5) / 255));
const codeAt = Uint8Array.from({ length: 4097 }, (_, k) => Math.round(encoded(k / 4096) * 255));
const codeOf = c => { let k = codeAt[c * 4096 | 0]; while (c >= begins[k + 1]) ++k; return k; };
const unit = x => Math.min(1, Math.max(0, x));
const linearOf = hex => [1, 3, 5].map(i => decoded(parseInt(hex.slice(i, i + 2), 16) / 255));
const hexOf = rgb => "#" + [...rgb].slice(0, 3).map(c => Math.round(encoded(unit(c)) * 255).toString(16).padStart(2, "0")).join("");

// ---- Graphics ----------------------------------------------------------------------------------------------------
const stage = byId("stage");
let gl, norm16, floatLinear;
function program(vertex, fragment, what) {
  const made = gl.createProgram();
  for (const [kind, text] of [[gl.VERTEX_SHADER, vertex], [gl.FRAGMENT_SHADER, fragment]]) {
    const shader = gl.createShader(kind);
    gl.shaderSource(shader, text);
    gl.compileShader(shader);
    gl.attachShader(made, shader);
  }
  gl.linkProgram(made);
  if (!gl.getProgramParameter(made, gl.LINK_STATUS)) {
    const logs = gl.getAttachedShaders(made).map(s => gl.getShaderInfoLog(s)).join("") + gl.getProgramInfoLog(made);
    throw new Broken(`The recipe of ${what} does not compile here: ${logs.split("\n")[0].slice(0, 300)}`);
  }
  const places = {};
  return { made, at: name => name in places ? places[name] : places[name] = gl.getUniformLocation(made, name) };
}
function upload(said, picture) {
  const { width, height } = picture, isColor = said.encoding === "srgb", count = picture.channels;
  let data = picture.data, bits = data.BYTES_PER_ELEMENT * 8;
  const most = data instanceof Float32Array ? 1 : bits === 16 ? 65535 : 255;
  const texture = gl.createTexture();
  gl.bindTexture(gl.TEXTURE_2D, texture);
  gl.pixelStorei(gl.UNPACK_ALIGNMENT, 1);
  // One channel stays one; gray with alpha and three channels become four.
  const wide = count === 1 ? 1 : 4;
  const spread = (make, Kind) => {
    const out = new Kind(width * height * wide);
    for (let i = 0, n = width * height; i < n; ++i) for (let k = 0; k < wide; ++k) {
      const from = count === 2 ? (k < 3 ? 0 : 1) : k;
      out[i * wide + k] = make(from < count ? data[i * count + from] : most, k);
    }
    return out;
  };
  const needsFloat = most === 1 || (isColor && (count === 1 || bits === 16)) || (bits === 16 && !norm16);
  if (needsFloat) {
    const value = (x, k) => isColor && k < 3 && most !== 1 ? decoded(x / most) : x / most;
    const full = most === 1 && floatLinear;
    gl.texImage2D(gl.TEXTURE_2D, 0, wide === 1 ? (full ? gl.R32F : gl.R16F) : full ? gl.RGBA32F : gl.RGBA16F, width, height, 0,
      wide === 1 ? gl.RED : gl.RGBA, gl.FLOAT, spread(value, Float32Array));
  } else if (bits === 16) {
    gl.texImage2D(gl.TEXTURE_2D, 0, wide === 1 ? norm16.R16_EXT : norm16.RGBA16_EXT, width, height, 0, wide === 1 ? gl.RED : gl.RGBA,
      gl.UNSIGNED_SHORT, count === wide ? data : spread(x => x, Uint16Array));
  } else {
    gl.texImage2D(gl.TEXTURE_2D, 0, wide === 1 ? gl.R8 : isColor ? gl.SRGB8_ALPHA8 : gl.RGBA8, width, height, 0, wide === 1 ? gl.RED : gl.RGBA,
      gl.UNSIGNED_BYTE, count === wide ? data : spread(x => x, Uint8Array));
  }
  const wrap = said.wrap === "repeat" ? gl.REPEAT : gl.CLAMP_TO_EDGE, near = said.filter === "nearest";
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, wrap);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, wrap);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, near ? gl.NEAREST : gl.LINEAR);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, near ? gl.NEAREST : said.mips ? gl.LINEAR_MIPMAP_LINEAR : gl.LINEAR);
  if (said.mips && !near) gl.generateMipmap(gl.TEXTURE_2D);
  return texture;
}

// ---- Sheets ------------------------------------------------------------------------------------------------------
const sheets = [];
let seconds = 0;
class Sheet {
  async load(given) {
    this.name = given.name;
    this.said = given.said;
    const table = this.said.table;
    const held = new Float32Array(bytesOf(given.table).buffer);
    if (held.length !== table.width * table.height * 4)
      throw new Broken(`${this.name}: ${table.file} has ${held.length * 4} bytes; ${table.height} rows of ${table.width} texels are ${table.width * table.height * 16}.`);
    // One more row: the one that is set by hand.
    this.live = table.height;
    this.rows = new Float32Array(held.length + table.width * 4);
    this.rows.set(held);
    this.rows.set(held.subarray(0, table.width * 4), held.length);
    this.table = gl.createTexture();
    this.tell();
    this.textures = [];
    for (const said of this.said.textures) this.textures.push({ said, made: upload(said, await pictureOf(given.textures[said.file])) });
    const names = new Set(this.textures.map(t => t.said.sampler)), room = gl.getParameter(gl.MAX_TEXTURE_IMAGE_UNITS);
    if (names.size + 1 > room)
      throw new Broken(`${this.name} reads ${names.size + 1} textures at once; this browser has room for ${room}. Open the page on a machine with more.`);
    this.samplers = [...names];
    this.attributes = this.said.attributes.map(a => a.field);
    this.texts(given);
  }
  texts(given) {
    const shown = this.said.attributes.map((a, k) => {
      const c = `s.${a.field}`, four = { float: `vec4(vec3(${c}), 1.0)`, vec2: `vec4(${c}, 0.0, 1.0)`, vec3: `vec4(${c}, 1.0)`, vec4: c }[a.glsl];
      const seen = a.holds === "color" || a.holds === "light" ? `vec4(coded(${c}), 1.0)` : a.holds === "slopes" ? `vec4(normalize(vec3(${c}, 1.0)) * 0.5 + 0.5, 1.0)` : `vec4((${four}).rgb, 1.0)`;
      return `    if (u_show == ${k}) return u_raw ? ${four} : ${seen};\n`;
    }).join("");
    const use = this.said.opacity, opacity = this.attributes.includes("opacity");
    const cut = opacity && use && use.use === "cut-out" ? `    if (s.opacity < ${use.threshold.toFixed(4)}) discard;\n` : "";
    const clear = opacity && use && use.use === "blend" ? "clamp(s.opacity, 0.0, 1.0)" : "1.0";
    const side = given.recipe.includes("float ep_side");
    const head = `#version 300 es\n#define EP_TABLE\n#define EP_LIGHT\n${given.light}\n${given.recipe}\n
uniform int u_show; uniform bool u_raw; uniform float u_seconds; uniform vec3 u_eye;
out vec4 o;
vec3 coded(vec3 c) { c = clamp(c, 0.0, 1.0); return @ENCODED@; }
vec4 shown(EpSurface s) {\n${shown}    return vec4(0.0);\n}\n`;
    this.form = program(`#version 300 es
in vec3 a_at; in vec3 a_normal; in vec4 a_tangent; in vec2 a_uv; in vec4 a_place; in int a_row; in uint a_copy; in float a_phase;
uniform mat4 u_clip; uniform float u_height;
out vec3 v_at; out vec3 v_normal; out vec4 v_tangent; out vec2 v_uv; flat out int v_row; flat out uint v_copy; flat out float v_phase;
vec3 turned(vec3 p) { return vec3(p.x * a_place.z + p.z * a_place.w, p.y, p.z * a_place.z - p.x * a_place.w); }
void main() {
  v_at = turned(a_at) + vec3(a_place.x, 0.0, a_place.y); v_normal = turned(a_normal); v_tangent = vec4(turned(a_tangent.xyz), a_tangent.w);
  v_uv = a_uv; v_row = a_row; v_copy = a_copy; v_phase = a_phase; gl_Position = u_clip * vec4(v_at, 1.0);
}`, `${head}
in vec3 v_at; in vec3 v_normal; in vec4 v_tangent; in vec2 v_uv; flat in int v_row; flat in uint v_copy; flat in float v_phase;
uniform int u_to; uniform float u_turn;
void main() {
    ${side ? "ep_side = gl_FrontFacing ? 0.0 : 1.0;" : ""}
    EpSurface s = evenpalette_surface_between(v_uv, u_seconds + v_phase, v_copy, v_row, u_to < 0 ? v_row : u_to, u_turn);
${cut}    vec3 n = normalize(v_normal) * (gl_FrontFacing ? 1.0 : -1.0);
    if (u_show == -2) { o = vec4(v_uv, float(v_copy), 1.0); return; }
    if (u_show >= 0) { o = vec4(shown(s).rgb, 1.0); return; }
    o = vec4(mix(vec3(0.4667), evenpalette_output(evenpalette_light(evenpalette_lit(s), v_at, n, v_tangent, u_eye)), ${clear}), 1.0);
}`, this.name);
    this.flat = program(`#version 300 es
uniform vec4 u_window; out vec2 v_uv;
void main() { vec2 p = vec2(gl_VertexID & 1, gl_VertexID >> 1); v_uv = u_window.xy + p * u_window.zw; gl_Position = vec4(p * 2.0 - 1.0, 0.0, 1.0); }`, `${head}
in vec2 v_uv; uniform int u_row; uniform uint u_copy;
void main() {
    EpSurface s = evenpalette_surface_row(v_uv, u_seconds, u_copy, u_row);
    ${opacity ? "float clear = u_raw ? 1.0 : " + (use && use.use !== "opaque" ? (use.use === "blend" ? "clamp(s.opacity, 0.0, 1.0)" : `step(${use.threshold.toFixed(4)}, s.opacity)`) : "1.0") + ";" : "float clear = 1.0;"}
    vec4 c = shown(s);
    o = u_raw ? c : vec4(mix(vec3(0.4667), c.rgb, clear), 1.0);
}`, this.name);
    // Every program learns its units once.
    for (const p of [this.form, this.flat]) {
      gl.useProgram(p.made);
      this.samplers.forEach((name, unit) => gl.uniform1i(p.at(name), unit));
      gl.uniform1i(p.at("ep_table"), this.samplers.length);
    }
  }
  tell() {
    gl.bindTexture(gl.TEXTURE_2D, this.table);
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA32F, this.said.table.width, this.said.table.height + 1, 0, gl.RGBA, gl.FLOAT, this.rows);
    for (const what of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, what, gl.NEAREST);
  }
  // The number of the chosen texture of each choice, of a row of the table.
  picksOf(row) { return this.said.table.one_draw_each.map(d => row === this.live ? picks[d.parameter] ?? d.choices[0] : d.choices[row]); }
  bind(p, row) {
    const chosen = {};
    this.said.table.one_draw_each.forEach((d, k) => {
      chosen[d.parameter] = this.said.parameters.find(q => q.uniform === d.parameter).choices[this.picksOf(row)[k]];
    });
    gl.useProgram(p.made);
    this.samplers.forEach((name, unit) => {
      const all = this.textures.filter(t => t.said.sampler === name);
      const found = all.find(t => t.said.parameter && t.said.choice === chosen[t.said.parameter]) || all[all.length - 1];
      gl.activeTexture(gl.TEXTURE0 + unit);
      gl.bindTexture(gl.TEXTURE_2D, found.made);
    });
    gl.activeTexture(gl.TEXTURE0 + this.samplers.length);
    gl.bindTexture(gl.TEXTURE_2D, this.table);
    gl.uniform1f(p.at("u_seconds"), seconds);
    const light = told.lights[lightAt];
    gl.uniform4fv(p.at("ep_lamps"), light.lamps.flat());
    gl.uniform2fv(p.at("ep_sky"), light.sky);
    gl.uniform1f(p.at("ep_exposure"), 1);
    gl.uniform1i(p.at("ep_filmic"), 0);
  }
}

// ---- The mesh ----------------------------------------------------------------------------------------------------
let parts = [], middle = [0, 0, 0], radius = 1;
function readMesh(bytes) {
  const view = new DataView(bytes.buffer), size = view.getUint32(12, true);
  const said = JSON.parse(new TextDecoder().decode(bytes.subarray(20, 20 + size))), body = bytes.slice(28 + size);
  const low = [1e30, 1e30, 1e30], high = [-1e30, -1e30, -1e30], held = new Map();
  const at = k => said.bufferViews[said.accessors[k].bufferView].byteOffset || 0;
  const numbers = (k, width) => new Float32Array(body.buffer, at(k), said.accessors[k].count * width);
  // All parts of a sheet are one: a draw call for each.
  for (const mesh of said.meshes) for (const one of mesh.primitives) {
    const box = said.accessors[one.attributes.POSITION], sheet = sheets.find(s => s.name === one.extras.sheet) || sheets[0];
    for (let k = 0; k < 3; ++k) { low[k] = Math.min(low[k], box.min[k]); high[k] = Math.max(high[k], box.max[k]); }
    if (!held.has(sheet)) held.set(sheet, { rows: [], corners: [], count: 0 });
    const whole = held.get(sheet), columns = [[numbers(one.attributes.POSITION, 3), 3], [numbers(one.attributes.NORMAL, 3), 3], [numbers(one.attributes.TANGENT, 4), 4]];
    columns.push([one.attributes.TEXCOORD_0 === undefined ? new Float32Array(box.count * 2) : numbers(one.attributes.TEXCOORD_0, 2), 2]);
    const rows = new Float32Array(box.count * 12);
    let from = 0;
    for (const [values, width] of columns) {
      for (let v = 0; v < box.count; ++v) for (let k = 0; k < width; ++k) rows[v * 12 + from + k] = values[v * width + k];
      from += width;
    }
    const corners = new Uint32Array(body.buffer, at(one.indices), said.accessors[one.indices].count);
    whole.rows.push(rows);
    whole.corners.push(corners.map(c => c + whole.count));
    whole.count += box.count;
  }
  const joined = (pieces, Kind) => { const made = new Kind(pieces.reduce((s, p) => s + p.length, 0)); pieces.reduce((o, p) => { made.set(p, o); return o + p.length; }, 0); return made; };
  gl.bindVertexArray(null);
  for (const [sheet, whole] of held) {
    const vertices = joined(whole.rows, Float32Array), corners = joined(whole.corners, Uint32Array), buffer = gl.createBuffer(), index = gl.createBuffer();
    gl.bindBuffer(gl.ARRAY_BUFFER, buffer);
    gl.bufferData(gl.ARRAY_BUFFER, vertices, gl.STATIC_DRAW);
    gl.bindBuffer(gl.ELEMENT_ARRAY_BUFFER, index);
    gl.bufferData(gl.ELEMENT_ARRAY_BUFFER, corners, gl.STATIC_DRAW);
    parts.push({ sheet, count: corners.length, from: 0, buffer, index, corners, vertices, far: null, places: { a_at: [3, 0], a_normal: [3, 12], a_tangent: [4, 24], a_uv: [2, 40] } });
  }
  middle = low.map((l, k) => (l + high[k]) / 2);
  radius = Math.max(1e-6, Math.hypot(...high.map((h, k) => h - low[k])) / 2);
}
// The part with fewer triangles, for copies so small that nobody sees it: vertices that lie in one cell of a grid are one.
function farOf(part) {
  if (part.far) return part.far;
  const cell = radius / 6, first = new Map(), stands = new Uint32Array(part.vertices.length / 12), kept = [];
  for (let v = 0; v < stands.length; ++v) {
    const key = [0, 1, 2].map(k => Math.floor((part.vertices[v * 12 + k] - middle[k]) / cell)).join();
    if (!first.has(key)) first.set(key, v);
    stands[v] = first.get(key);
  }
  const seen = new Set();
  for (let i = 0; i < part.corners.length; i += 3) {
    const [a, b, c] = [0, 1, 2].map(k => stands[part.corners[i + k]]), key = [a, b, c].sort().join();
    if (a !== b && b !== c && a !== c && !seen.has(key)) { seen.add(key); kept.push(a, b, c); }
  }
  const index = gl.createBuffer();
  gl.bindVertexArray(null);
  gl.bindBuffer(gl.ELEMENT_ARRAY_BUFFER, index);
  gl.bufferData(gl.ELEMENT_ARRAY_BUFFER, new Uint32Array(kept), gl.STATIC_DRAW);
  return part.far = { index, count: kept.length, from: 0 };
}
// Copies: where they stand and how they are turned, their row, their number, their phase.
class Copies {
  constructor(list) {
    this.count = list.length;
    this.list = list;
    this.buffer = gl.createBuffer();
    const bytes = new ArrayBuffer(list.length * 28), f = new Float32Array(bytes), u = new Uint32Array(bytes);
    list.forEach((c, i) => { f.set([c.x, c.z, Math.cos(c.turn), Math.sin(c.turn)], i * 7); u[i * 7 + 4] = c.row; u[i * 7 + 5] = c.copy; f[i * 7 + 6] = c.phase; });
    gl.bindBuffer(gl.ARRAY_BUFFER, this.buffer);
    gl.bufferData(gl.ARRAY_BUFFER, bytes, gl.DYNAMIC_DRAW);
    this.arrays = new Map();
  }
  array(part, drawn) {
    if (this.arrays.has(drawn)) return this.arrays.get(drawn);
    const made = gl.createVertexArray(), p = part.sheet.form.made;
    gl.bindVertexArray(made);
    gl.bindBuffer(gl.ARRAY_BUFFER, part.buffer);
    for (const [name, place] of Object.entries(part.places)) {
      const at = gl.getAttribLocation(p, name);
      if (at < 0) continue;
      gl.enableVertexAttribArray(at);
      gl.vertexAttribPointer(at, place[0], gl.FLOAT, false, 48, place[1]);
    }
    gl.bindBuffer(gl.ARRAY_BUFFER, this.buffer);
    for (const [name, size, at, kind] of [["a_place", 4, 0, 0], ["a_row", 1, 16, gl.INT], ["a_copy", 1, 20, gl.UNSIGNED_INT], ["a_phase", 1, 24, 0]]) {
      const where = gl.getAttribLocation(p, name);
      if (where < 0) continue;
      gl.enableVertexAttribArray(where);
      if (kind) gl.vertexAttribIPointer(where, size, kind, 28, at); else gl.vertexAttribPointer(where, size, gl.FLOAT, false, 28, at);
      gl.vertexAttribDivisor(where, 1);
    }
    gl.bindBuffer(gl.ELEMENT_ARRAY_BUFFER, drawn.index);
    gl.bindVertexArray(null);
    this.arrays.set(drawn, made);
    return made;
  }
  release() { gl.deleteBuffer(this.buffer); for (const array of this.arrays.values()) gl.deleteVertexArray(array); }
}
let draws = 0;

// ---- Camera ------------------------------------------------------------------------------------------------------
const camera = { turn: 0.6, tilt: 0.25, near: 0.82 };
function eyeOf(spread, center) {
  const far = spread / Math.tan(0.3) * 1.1 * camera.near, c = Math.cos(camera.tilt);
  return [center[0] + far * Math.sin(camera.turn) * c, center[1] + far * Math.sin(camera.tilt), center[2] + far * Math.cos(camera.turn) * c];
}
function clipOf(eye, center, spread, aspect) {
  const sub = (a, b) => a.map((v, k) => v - b[k]), dot = (a, b) => a.reduce((s, v, k) => s + v * b[k], 0);
  const norm = a => { const l = Math.hypot(...a) || 1; return a.map(v => v / l); }, cross = (a, b) => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
  const back = norm(sub(eye, center)), right = norm(cross([0, 1, 0], back)), up = cross(back, right), far = Math.hypot(...sub(eye, center));
  const n = Math.max(far - spread * 3, far * 0.02), f = far + spread * 3, g = 1 / Math.tan(0.3);
  const s = aspect >= 1 ? [g / aspect, g] : [g, g * aspect];
  const view = [right, up, back], moved = view.map(v => -dot(v, eye)), out = new Float32Array(16);
  for (let k = 0; k < 3; ++k) {
    out[k * 4] = s[0] * right[k]; out[k * 4 + 1] = s[1] * up[k];
    out[k * 4 + 2] = (n + f) / (n - f) * back[k]; out[k * 4 + 3] = -back[k];
  }
  out[12] = s[0] * moved[0]; out[13] = s[1] * moved[1]; out[14] = (n + f) / (n - f) * moved[2] + 2 * n * f / (n - f); out[15] = -moved[2];
  return out;
}

// ---- What is looked at -------------------------------------------------------------------------------------------
let variants = [], rowOf = {}, picks = {}, shownName = "", lightAt = 0, look = -1, crowdOf = 0, one = null, many = null, other = -1;
function box() {
  return crowdOf ? { center: [0, middle[1], 0], spread: many.spread * 0.8 + radius } : { center: middle, spread: radius };
}
function drawForm(x, y, w, h, { row = null, to = -1, turn = 0, show = look, raw = false, crowd = crowdOf > 0 } = {}) {
  if (w < 1 || h < 1) return;
  const copies = crowd ? many : one, { center, spread } = crowd ? box() : { center: middle, spread: radius };
  const eye = eyeOf(spread, center), clip = clipOf(eye, center, spread, w / h);
  gl.viewport(x, y, w, h);
  gl.enable(gl.DEPTH_TEST);
  for (const part of parts) {
    const p = part.sheet.form;
    for (const group of crowd ? copies.groups(part.sheet) : [{ copies, row: row ?? part.sheet.live }]) {
      if (!crowd && one.row !== group.row) { one.set(group.row); }
      part.sheet.bind(p, group.row);
      gl.uniformMatrix4fv(p.at("u_clip"), false, clip);
      gl.uniform3fv(p.at("u_eye"), eye);
      gl.uniform1i(p.at("u_show"), show);
      gl.uniform1i(p.at("u_raw"), raw ? 1 : 0);
      gl.uniform1i(p.at("u_to"), to);
      gl.uniform1f(p.at("u_turn"), turn);
      const drawn = crowd && h * radius / spread < 48 ? farOf(part) : part;
      gl.bindVertexArray(group.copies.array(part, drawn));
      gl.drawElementsInstanced(gl.TRIANGLES, drawn.count, gl.UNSIGNED_INT, drawn.from, group.copies.count);
      ++draws;
    }
  }
  gl.bindVertexArray(null);
}
class One extends Copies {
  constructor() { super([{ x: 0, z: 0, turn: 0, row: 0, copy: 0, phase: 0 }]); this.row = 0; }
  set(row) { this.row = row; gl.bindBuffer(gl.ARRAY_BUFFER, this.buffer); gl.bufferSubData(gl.ARRAY_BUFFER, 16, new Int32Array([row])); }
}
// The hash that picks go by, and the variant of a copy by its number: each as often as the others, as in the player.
function pcg(v) {
  const state = (Math.imul(v, 747796405) + 2891336453) >>> 0, word = Math.imul((state >>> ((state >>> 28) + 4)) ^ state, 277803737) >>> 0;
  return ((word >>> 22) ^ word) >>> 0;
}
function rowOfCopy(copy) {
  return variants.length ? 1 + Math.floor(pcg(pcg((copy + pcg(11)) >>> 0)) / 4294967296 * variants.length) : 0;
}
class Many {
  constructor(n) {
    const side = Math.ceil(Math.sqrt(n)), step = radius * 1.5;
    this.spread = side * step / 2;
    this.list = [];
    for (let k = 0; k < n; ++k) {
      const x = (k % side - (side - 1) / 2) * step - middle[0], z = (Math.floor(k / side) - (side - 1) / 2) * step - middle[2];
      this.list.push({ x, z, turn: 0, row: rowOfCopy(k), copy: k, phase: k * 0.37 % 5 });
    }
    this.made = new Map();
  }
  // Copies whose textures are the same are drawn together: all of them where nothing is chosen among textures.
  groups(sheet) {
    if (!this.made.has(sheet)) {
      const sets = new Map();
      for (const c of this.list) {
        const key = sheet.picksOf(c.row).join();
        if (!sets.has(key)) sets.set(key, []);
        sets.get(key).push(c);
      }
      this.made.set(sheet, [...sets.values()].map(list => ({ copies: new Copies(list), row: list[0].row })));
    }
    return this.made.get(sheet);
  }
  release() { for (const groups of this.made.values()) for (const group of groups) group.copies.release(); }
}
function drawFlat(x, y, w, h, { sheet = sheets[sheetAt], row = sheet.live, show = Math.max(look, 0), raw = false, window = [0, 1, 1, -1], copy = 0 } = {}) {
  if (w < 1 || h < 1) return;
  const p = sheet.flat;
  sheet.bind(p, row);
  gl.viewport(x, y, w, h);
  gl.disable(gl.DEPTH_TEST);
  gl.uniform4fv(p.at("u_window"), window);
  gl.uniform1i(p.at("u_show"), show);
  gl.uniform1i(p.at("u_raw"), raw ? 1 : 0);
  gl.uniform1i(p.at("u_row"), row);
  gl.uniform1ui(p.at("u_copy"), copy);
  gl.drawArrays(gl.TRIANGLE_STRIP, 0, 4);
  ++draws;
}
let sheetAt = 0, asked = false;
function redraw() { if (!asked) { asked = true; requestAnimationFrame(() => { asked = false; paint(); }); } }
function layout() {
  const ratio = Math.min(devicePixelRatio || 1, 2), w = Math.max(1, Math.round(stage.clientWidth * ratio)), h = Math.max(1, Math.round(stage.clientHeight * ratio));
  if (stage.width !== w || stage.height !== h) { stage.width = w; stage.height = h; }
  const view = byId("view").value, noMesh = !parts.length;
  const form = noMesh || view === "flat" ? 0 : view === "both" && !crowdOf ? Math.round(w / 2) : w;
  return { w, h, form, view };
}
const flatSize = (w, h) => Math.max(1, Math.floor(Math.min(w, h) * 0.94));
function paint() {
  const { w, h, form, view } = layout();
  gl.bindFramebuffer(gl.FRAMEBUFFER, null);
  gl.disable(gl.SCISSOR_TEST);
  gl.clearColor(0.4667, 0.4667, 0.4667, 1);
  gl.clear(gl.COLOR_BUFFER_BIT | gl.DEPTH_BUFFER_BIT);
  draws = 0;
  const turn = +byId("turn").value, to = other >= 0 && turn > 0 ? other : -1;
  if (form && view === "wipe" && !crowdOf) {
    const cut = Math.round(w * +byId("wipe").value);
    gl.enable(gl.SCISSOR_TEST);
    gl.scissor(0, 0, cut, h);
    drawForm(0, 0, w, h);
    gl.scissor(cut, 0, w - cut, h);
    drawForm(0, 0, w, h, { row: other >= 0 ? other : null });
    gl.scissor(Math.max(0, cut - 1), 0, 2, h);
    gl.clearColor(1, 1, 1, 1);
    gl.clear(gl.COLOR_BUFFER_BIT);
    gl.disable(gl.SCISSOR_TEST);
  } else drawForm(0, 0, form, h, { to, turn });
  if (form < w) {
    const size = flatSize(w - form, h);
    drawFlat(form + Math.floor((w - form - size) / 2), Math.floor((h - size) / 2), size, size);
  }
  if (playing) { seconds += Math.min(0.1, (performance.now() - lastFrame) / 1000); lastFrame = performance.now(); byId("seconds").value = seconds.toFixed(1); redraw(); }
}
let playing = false, lastFrame = 0;

// ---- Reading back ------------------------------------------------------------------------------------------------
function target(w, h, kind) {
  const made = gl.createFramebuffer(), texture = gl.createTexture(), depth = gl.createRenderbuffer();
  gl.bindTexture(gl.TEXTURE_2D, texture);
  gl.texStorage2D(gl.TEXTURE_2D, 1, kind, w, h);
  gl.bindRenderbuffer(gl.RENDERBUFFER, depth);
  gl.renderbufferStorage(gl.RENDERBUFFER, gl.DEPTH_COMPONENT24, w, h);
  gl.bindFramebuffer(gl.FRAMEBUFFER, made);
  gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, texture, 0);
  gl.framebufferRenderbuffer(gl.FRAMEBUFFER, gl.DEPTH_ATTACHMENT, gl.RENDERBUFFER, depth);
  gl.clearColor(0, 0, 0, 0);
  gl.clear(gl.COLOR_BUFFER_BIT | gl.DEPTH_BUFFER_BIT);
  return { release() { gl.bindFramebuffer(gl.FRAMEBUFFER, null); gl.deleteFramebuffer(made); gl.deleteTexture(texture); gl.deleteRenderbuffer(depth); } };
}
function valuesOf(sheet, attribute, w, h, row, window, copy = 0) {
  const held = target(w, h, gl.RGBA32F), out = new Float32Array(w * h * 4);
  drawFlat(0, 0, w, h, { sheet, row, show: sheet.attributes.indexOf(attribute), raw: true, window, copy });
  gl.readPixels(0, 0, w, h, gl.RGBA, gl.FLOAT, out);
  held.release();
  return out;
}
// part: of the texture, as u and v where it begins and how far it goes.
async function pixels({ variant = "", attribute = "base_color", width = 256, height = 256, sheet = 0, copy = 0, part = [0, 0, 1, 1] } = {}) {
  const of = sheets[sheet], said = of.said.attributes.find(a => a.field === attribute);
  if (!said) throw new Error(`There is no attribute ${attribute}.`);
  if (variant && !(variant in rowOf)) throw new Error(`There is no variant ${variant}.`);
  const row = variant ? rowOf[variant] : of.live, got = valuesOf(of, attribute, width, height, row, part, copy);
  const out = new Uint8ClampedArray(width * height * 4), planes = { float: 1, vec2: 2, vec3: 3, vec4: 4 }[said.glsl];
  const opacity = attribute === "base_color" && of.attributes.includes("opacity") && of.said.opacity ? valuesOf(of, "opacity", width, height, row, part, copy) : null;
  let strength = 1;
  if (said.holds === "light") for (let i = 0; i < got.length; i += 4) strength = Math.max(strength, got[i], got[i + 1], got[i + 2]);
  const isColor = said.holds === "color" || said.holds === "light", isSlopes = said.holds === "slopes";
  for (let i = 0; i < got.length; i += 4) {
    if (isSlopes) {
      const l = 0.5 / Math.hypot(got[i], got[i + 1], 1);
      out[i] = 255 * (got[i] * l + 0.5); out[i + 1] = 255 * (got[i + 1] * l + 0.5); out[i + 2] = 255 * (l + 0.5);
    } else for (let k = i; k < i + 3; ++k) {
      const c = unit(got[k] / strength);
      // A clamped array rounds to the nearest.
      out[k] = isColor ? codeOf(c) : 255 * c;
    }
    out[i + 3] = planes === 4 ? 255 * unit(got[i + 3]) : opacity ? 255 * unit(opacity[i]) : 255;
  }
  return out;
}

// ---- Values ------------------------------------------------------------------------------------------------------
// Every parameter once, with the sheets that it is of.
const parameters = [];
const values = {};
function numbersOf(p, value) {
  if (p.type === "color") return value.linear || linearOf(value.hex ?? value);
  if (p.type === "choice") return [typeof value === "object" ? value.index : +value];
  if (p.type === "placement") return value.matrix || value;
  if (Array.isArray(value)) return value;
  return [+value];
}
function set(uniform, value) {
  const p = parameters.find(q => q.uniform === uniform);
  if (!p) throw new Error(`There is no parameter ${uniform}.`);
  if (p.type === "color" && typeof value === "string") value = { hex: value, linear: linearOf(value) };
  else if (p.type === "color" && Array.isArray(value)) value = { hex: hexOf(value), linear: value };
  else if (p.type === "choice" && typeof value === "string") value = { choice: value, index: p.choices.indexOf(value) };
  else if (p.type === "choice" && typeof value === "number") value = { choice: p.choices[value], index: value };
  else if (p.type === "texture" && typeof value === "string") value = { texture: value, file: "" };
  values[uniform] = value;
  if (p.type === "texture") picks[uniform] = p.choices.indexOf(value.texture);
  else for (const sheet of sheets) {
    const place = sheet.said.table.places.find(q => q.uniform === uniform);
    if (!place) continue;
    const at = (sheet.live * sheet.said.table.width + place.texel) * 4 + "rgba".indexOf(place.components[0]);
    sheet.rows.set(numbersOf(p, value), at);
    sheet.tell();
  }
  if (p.refresh) p.refresh();
  byId("values").value = valueText();
  redraw();
}
function show(name) {
  const row = name === "default" ? 0 : rowOf[name];
  if (row === undefined) throw new Error(`There is no variant ${name}.`);
  for (const sheet of sheets) {
    const width = sheet.said.table.width * 4;
    sheet.rows.set(sheet.rows.subarray(row * width, (row + 1) * width), sheet.live * width);
    sheet.tell();
    for (const d of sheet.said.table.one_draw_each) picks[d.parameter] = d.choices[row];
    const held = row ? sheet.said.variants[row - 1].values : Object.fromEntries(sheet.said.parameters.map(p => [p.uniform, p.default]));
    Object.assign(values, structuredClone(held));
  }
  shownName = name;
  for (const button of byId("variants").children) { const on = button.dataset.name === name; button.classList.toggle("on", on); button.setAttribute("aria-selected", on); }
  for (const p of parameters) if (p.refresh) p.refresh();
  byId("values").value = valueText();
  showMarks();
  redraw();
}
function crowd(n) {
  if (many) many.release();
  many = n > 0 ? new Many(Math.min(10000, Math.round(n))) : null;
  crowdOf = many ? many.list.length : 0;
  if ([...byId("crowd").options].some(o => +o.value === crowdOf)) byId("crowd").value = crowdOf;
  redraw();
}
// What the application takes as a variant: see docs/kit.md.
function valueText() {
  const lines = [`Even Palette variant: ${shownName === "default" ? told.name : shownName}`];
  for (const p of parameters) {
    const v = values[p.uniform];
    const text = p.type === "color" ? v.hex : p.type === "choice" ? v.choice : p.type === "switch" ? (v ? "on" : "off") : p.type === "placement" ? v.placement : p.type === "texture" ? v.texture
      : Array.isArray(v) ? v.map(x => +(+x).toFixed(6)).join(", ") : String(+(+v).toFixed(6));
    lines.push(`${p.uniform}: ${text}`);
  }
  return lines.join("\n");
}

// ---- The window --------------------------------------------------------------------------------------------------
function node(tag, given = {}, ...inside) { const made = document.createElement(tag); Object.assign(made, given); made.append(...inside); return made; }
function fill(select, entries) { select.replaceChildren(...entries.map(([value, text]) => node("option", { value, textContent: text }))); }
function control(p) {
  const line = node("div", { className: "given" }, node("span", { textContent: p.name + (p.unit ? ` (${p.unit})` : ""), title: p.description || p.name }));
  const changed = value => set(p.uniform, value);
  const add = (input, label) => { input.setAttribute("aria-label", label); line.append(input); return input; };
  if (p.type === "color") {
    const swatch = add(node("input", { type: "color" }), p.name), text = add(node("input", { type: "text", maxLength: 7 }), `${p.name} as hex`);
    swatch.oninput = () => changed(swatch.value);
    text.onchange = () => { /^#[0-9a-f]{6}$/i.test(text.value) ? changed(text.value.toLowerCase()) : p.refresh(); };
    p.refresh = () => { swatch.value = text.value = values[p.uniform].hex; };
  } else if (p.type === "choice") {
    const box = add(node("select"), p.name);
    fill(box, p.choices.map((c, k) => [k, c]));
    box.onchange = () => changed(+box.value);
    p.refresh = () => { box.value = values[p.uniform].index; };
  } else if (p.type === "texture") {
    const box = add(node("select"), p.name), files = new Map();
    for (const sheet of sheets) for (const t of sheet.said.textures) if (t.parameter === p.uniform) files.set(t.choice, t.file);
    fill(box, p.choices.map(c => [c, files.get(c) || c]));
    box.onchange = () => changed(box.value);
    p.refresh = () => { box.value = values[p.uniform].texture; };
  } else if (p.type === "switch") {
    const box = add(node("input", { type: "checkbox" }), p.name);
    box.onchange = () => changed(box.checked);
    p.refresh = () => { box.checked = !!values[p.uniform]; };
  } else if (p.type === "placement") {
    const box = add(node("select"), p.name), known = new Map();
    for (const v of [p.default, ...sheets.flatMap(s => s.said.variants.map(w => w.values[p.uniform])).filter(Boolean)]) known.set(v.placement, v);
    fill(box, [...known.keys()].map(k => [k, k || "as it is"]));
    box.onchange = () => changed(known.get(box.value));
    p.refresh = () => { box.value = values[p.uniform].placement; };
  } else {
    const many = p.type === "vector", [low, high] = p.range || [0, 1], steps = p.type === "integer" ? 1 : (high - low) / 200 || 0.01;
    const pairs = (many ? p.choices : [""]).map((word, k) => {
      const slider = add(node("input", { type: "range", min: low, max: high, step: p.type === "integer" ? 1 : "any" }), many ? `${p.name}, ${word}` : p.name);
      const number = add(node("input", { type: "number", min: low, max: high, step: p.type === "integer" ? 1 : "any" }), `${many ? `${p.name}, ${word}` : p.name} as a number`);
      slider.onkeydown = event => { const d = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key]; if (d && p.type !== "integer") { event.preventDefault(); took(Math.min(high, Math.max(low, +slider.value + d * steps))); } };
      const took = x => { if (Number.isFinite(x)) changed(many ? values[p.uniform].map((v, i) => i === k ? x : v) : x); };
      slider.oninput = () => took(+slider.value);
      number.onchange = () => took(Math.min(high, Math.max(low, +number.value)));
      return [slider, number];
    });
    p.refresh = () => pairs.forEach(([slider, number], k) => { const v = many ? values[p.uniform][k] : values[p.uniform]; slider.value = v; number.value = +(+v).toFixed(4); });
  }
  return line;
}
// What is said of each variant: kept by the browser where it lets a page do so, and copied out as text.
let marks = {};
const keptAs = () => `Even Palette review: ${told.name}`;
function review() {
  try { marks = JSON.parse(localStorage.getItem(keptAs()) || "{}"); } catch { marks = {}; }
  fill(byId("mark"), [["", "no mark"], ["keep", "keep"], ["change", "change"], ["drop", "drop"]]);
  const took = () => mark(shownName, byId("mark").value, byId("note").value);
  byId("mark").onchange = took;
  byId("note").oninput = took;
  byId("copyreview").onclick = () => {
    const text = byId("values");
    text.value = reviewText();
    text.select();
    (navigator.clipboard ? navigator.clipboard.writeText(text.value) : Promise.reject()).catch(() => document.execCommand("copy"));
  };
}
function mark(name, word, note = "") {
  if (rowOf[name] === undefined) return;
  if (word || note.trim()) marks[name] = { mark: word, note: note.trim() }; else delete marks[name];
  try { localStorage.setItem(keptAs(), JSON.stringify(marks)); } catch { /* it is kept until the page is closed */ }
  showMarks();
}
function showMarks() {
  for (const button of byId("variants").children) button.querySelector("span").dataset.mark = button.dataset.mark = marks[button.dataset.name]?.mark || "";
  const held = marks[shownName] || { mark: "", note: "" }, there = rowOf[shownName] !== undefined;
  byId("mark").value = held.mark;
  if (document.activeElement !== byId("note")) byId("note").value = held.note;
  byId("mark").disabled = byId("note").disabled = !there;
  byId("marked").textContent = `${Object.keys(marks).filter(name => rowOf[name] !== undefined).length} of ${variants.length}`;
}
// What the application takes: a line a variant.
function reviewText() {
  const lines = variants.filter(name => marks[name]).map(name => `${name}: ${[marks[name].mark, marks[name].note.replace(/\s+/g, " ")].filter(Boolean).join(", ")}`);
  return [keptAs(), ...lines].join("\n");
}
// The small pictures, one at a time, so that nobody waits for them.
async function pictures() {
  for (const button of [...byId("variants").children]) {
    await new Promise(done => setTimeout(done));
    const size = 96, held = target(size, size, gl.RGBA8), row = new Uint8Array(size * size * 4);
    const canvas = button.querySelector("canvas"), at = button.dataset.name === "default" ? 0 : rowOf[button.dataset.name];
    gl.clearColor(0.4667, 0.4667, 0.4667, 1);
    gl.clear(gl.COLOR_BUFFER_BIT | gl.DEPTH_BUFFER_BIT);
    if (parts.length) drawForm(0, 0, size, size, { row: at, show: -1, crowd: false }); else drawFlat(0, 0, size, size, { sheet: sheets[0], row: at, show: 0 });
    gl.readPixels(0, 0, size, size, gl.RGBA, gl.UNSIGNED_BYTE, row);
    const image = new ImageData(size, size);
    for (let y = 0; y < size; ++y) image.data.set(row.subarray((size - 1 - y) * size * 4, (size - y) * size * 4), y * size * 4);
    canvas.width = canvas.height = size;
    canvas.getContext("2d").putImageData(image, 0, 0);
    held.release();
  }
}
function readOut(u, v, copy, name) {
  const sheet = sheets[sheetAt], row = name ? rowOf[name] ?? sheet.live : sheet.live;
  const said = [`u ${u.toFixed(4)}, v ${v.toFixed(4)}`];
  for (const a of sheet.said.attributes) {
    const got = valuesOf(sheet, a.field, 1, 1, row, [u, v, 1e-6, 1e-6], copy), n = { float: 1, vec2: 2, vec3: 3, vec4: 4 }[a.glsl];
    said.push(`${a.field.replaceAll("_", " ")} ${a.holds === "color" ? hexOf(got) : [...got.subarray(0, n)].map(x => x.toFixed(3)).join(" ")}`);
  }
  byId("probe").textContent = said.join(" · ");
}
function probe(event) {
  const { w, h, form } = layout(), bounds = stage.getBoundingClientRect();
  const x = (event.clientX - bounds.left) / bounds.width * w, y = h - 1 - (event.clientY - bounds.top) / bounds.height * h;
  if (x >= form) {
    const size = flatSize(w - form, h), u = (x - form - (w - form - size) / 2) / size, v = 1 - (y - (h - size) / 2) / size;
    if (u >= 0 && u <= 1 && v >= 0 && v <= 1) readOut(u, v, 0, "");
    return;
  }
  if (crowdOf) return;
  const held = target(w, h, gl.RGBA32F), out = new Float32Array(4);
  gl.enable(gl.SCISSOR_TEST);
  gl.scissor(Math.floor(x), Math.floor(y), 1, 1);
  drawForm(0, 0, form, h, { show: -2, crowd: false });
  gl.disable(gl.SCISSOR_TEST);
  gl.readPixels(Math.floor(x), Math.floor(y), 1, 1, gl.RGBA, gl.FLOAT, out);
  held.release();
  if (out[3] > 0) readOut(out[0], out[1], 0, "");
}
function hands() {
  let held = null, due = 0;
  stage.onpointerdown = event => { held = [event.clientX, event.clientY]; stage.setPointerCapture(event.pointerId); };
  stage.onpointerup = () => { held = null; };
  stage.onpointermove = event => {
    if (held) {
      camera.turn -= (event.clientX - held[0]) * 0.01;
      camera.tilt = Math.min(1.5, Math.max(-1.5, camera.tilt + (event.clientY - held[1]) * 0.01));
      held = [event.clientX, event.clientY];
      redraw();
    } else if (!due) due = setTimeout(() => { due = 0; probe(event); }, 60);
  };
  stage.addEventListener("wheel", event => { event.preventDefault(); camera.near = Math.min(4, Math.max(0.1, camera.near * 1.001 ** event.deltaY)); redraw(); }, { passive: false });
  stage.onkeydown = event => {
    const moved = { ArrowLeft: [0.1, 0], ArrowRight: [-0.1, 0], ArrowUp: [0, 0.1], ArrowDown: [0, -0.1] }[event.key];
    if (moved) { camera.turn += moved[0]; camera.tilt = Math.min(1.5, Math.max(-1.5, camera.tilt + moved[1])); }
    else if (event.key === "+" || event.key === "-") camera.near *= event.key === "+" ? 0.9 : 1.1;
    else return;
    event.preventDefault();
    redraw();
  };
  byId("look").onchange = () => { look = +byId("look").value; redraw(); };
  byId("light").onchange = () => { lightAt = +byId("light").value; redraw(); };
  byId("view").onchange = () => { byId("wipebox").hidden = byId("view").value !== "wipe"; redraw(); };
  byId("sheet").onchange = () => { sheetAt = +byId("sheet").value; redraw(); };
  byId("crowd").onchange = () => crowd(+byId("crowd").value);
  byId("other").onchange = () => { other = +byId("other").value; redraw(); };
  byId("turn").oninput = byId("wipe").oninput = redraw;
  byId("seconds").onchange = () => { seconds = +byId("seconds").value || 0; redraw(); };
  byId("play").onclick = () => { playing = !playing; lastFrame = performance.now(); byId("play").setAttribute("aria-pressed", playing); byId("play").textContent = playing ? "Pause" : "Play"; redraw(); };
  byId("copy").onclick = () => {
    const text = byId("values");
    text.value = valueText();
    text.select();
    (navigator.clipboard ? navigator.clipboard.writeText(text.value) : Promise.reject()).catch(() => document.execCommand("copy"));
  };
  byId("back").onclick = () => show(shownName);
  new ResizeObserver(redraw).observe(stage);
}

// ---- Start -------------------------------------------------------------------------------------------------------
async function start() {
  byId("name").textContent = document.title = told.name;
  if (!window.DecompressionStream) throw new Broken("This browser cannot unpack what the page holds (DecompressionStream). Use one of 2023 or later.");
  gl = stage.getContext("webgl2", { antialias: true, alpha: false });
  if (!gl) throw new Broken("This browser has no WebGL 2, which draws the asset. Turn on hardware acceleration, or use another browser.");
  if (!gl.getExtension("EXT_color_buffer_float")) throw new Broken("This browser cannot draw into float textures (EXT_color_buffer_float), which is what values are read from.");
  norm16 = gl.getExtension("EXT_texture_norm16");
  floatLinear = gl.getExtension("OES_texture_float_linear");
  for (const given of told.sheets) { const sheet = new Sheet(); await sheet.load(given); sheets.push(sheet); }
  variants = sheets[0].said.variants.map(v => v.name);
  variants.forEach((name, k) => { rowOf[name] ??= k + 1; });
  for (const sheet of sheets) for (const p of sheet.said.parameters) if (!parameters.some(q => q.uniform === p.uniform)) parameters.push({ ...p });
  if (told.mesh >= 0) readMesh(bytesOf(told.mesh));
  one = new One();
  fill(byId("look"), [...(parts.length ? [[-1, "In light"]] : []), ...sheets[0].said.attributes.map((a, k) => [k, a.field === "base_color" ? "Base color, unlit" : a.field.replaceAll("_", " ")])]);
  look = parts.length ? -1 : 0;
  fill(byId("light"), told.lights.map((l, k) => [k, l.label]));
  fill(byId("view"), parts.length ? [["both", "Form and flat"], ["form", "Form"], ["flat", "Flat"], ["wipe", "Wipe"]] : [["flat", "Flat"]]);
  fill(byId("crowd"), [[0, "one"], ...[10, 100, 1000, 3000].map(n => [n, `${n} copies`])]);
  fill(byId("sheet"), sheets.map((s, k) => [k, s.name]));
  fill(byId("other"), [[-1, "nothing"], [0, "Defaults"], ...variants.map((name, k) => [k + 1, name])]);
  byId("sheetbox").hidden = sheets.length < 2;
  byId("wipebox").hidden = true;
  const groups = new Map();
  for (const p of parameters) { if (!groups.has(p.group)) groups.set(p.group, []); groups.get(p.group).push(p); }
  for (const [group, held] of groups) byId("parameters").append(node("fieldset", {}, ...(group ? [node("legend", { textContent: group })] : []), ...held.map(control)));
  if (!parameters.length) byId("parameters").append(node("p", { textContent: "This recipe has no parameters." }));
  const entries = variants.length ? variants : ["default"];
  for (const name of entries) {
    const button = node("button", { type: "button", role: "option" }, node("canvas"), node("span", { textContent: name === "default" ? "Defaults" : name }));
    button.dataset.name = name;
    button.onclick = () => show(name);
    byId("variants").append(button);
  }
  byId("variants").onkeydown = event => {
    const all = [...byId("variants").children], at = all.indexOf(document.activeElement), d = { ArrowRight: 1, ArrowDown: 2, ArrowLeft: -1, ArrowUp: -2 }[event.key];
    if (d && at >= 0) { event.preventDefault(); all[Math.min(all.length - 1, Math.max(0, at + d))].focus(); }
  };
  hands();
  review();
  show(entries[0]);
  paint();
  gl.finish();
  setTimeout(pictures);
}
const ready = start();
ready.catch(error => words(error instanceof Broken ? error.message : `This page cannot show the kit: ${error.message}`));
window.evenPalette = {
  ready,
  get variants() { return [...variants]; },
  get attributes() { return sheets.length ? [...sheets[0].attributes] : []; },
  set, show, crowd, pixels,
  get draws() { return draws; },
  paint, valueText, mark, reviewText,
  rowsOf: n => Array.from({ length: n }, (_, k) => rowOfCopy(k)),
};
})();
