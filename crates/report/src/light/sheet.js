// The light table of a sheet: numbers, lines that can be dragged, rows that play meanwhile, and the command that cuts it so.
const [WIDTH, HEIGHT] = data.sheet.size;
const image = Object.assign(new Image(), { src: data.sheet.png });
const { place, behind } = painter([image], look);

// ---- which pixels show something: read once, then any rectangle is summed by four look-ups.
const drawn = new Uint8Array(WIDTH * HEIGHT);
{
  const runs = atob(data.sheet.drawn);
  let at = 0, is = 0, run = 0, shift = 0;
  for (let n = 0; n < runs.length; n++) {
    const byte = runs.charCodeAt(n);
    run += (byte & 127) * 2 ** shift; shift += 7;
    if (byte > 127) continue;
    if (is) drawn.fill(1, at, at + run);
    at += run; is = 1 - is; run = shift = 0;
  }
}
const sums = new Uint32Array((WIDTH + 1) * (HEIGHT + 1));
for (let y = 0; y < HEIGHT; y++) {
  let row = 0, above = y * (WIDTH + 1), here = above + WIDTH + 1;
  for (let x = 0, pixel = y * WIDTH; x < WIDTH; x++) { row += drawn[pixel++]; sums[++here] = sums[++above] + row; }
}
const shows = (x, y, w, h) => {
  const right = Math.min(WIDTH, x + w), bottom = Math.min(HEIGHT, y + h), left = Math.min(x, right), top = Math.min(y, bottom), line = WIDTH + 1;
  return sums[bottom * line + right] - sums[top * line + right] - sums[bottom * line + left] + sums[top * line + left];
};

// ---- the state, and what follows from it
const first = data.sheet.readings[0] || { columns: 1, rows: 1, cell: [WIDTH, HEIGHT], offset: [0, 0], gutter: [0, 0] };
const gridOf = ({ columns, rows, cell, offset, gutter }) => ({ count: [columns, rows], cell: [...cell], offset: [...offset], gutter: [...gutter] });
const loose = data.sheet.drawings;
const start = {
  of: [...data.sheet.size, "sheet"], by: data.sheet.is_loose && loose.length ? "drawings" : "grid", join: Math.max(0, loose.findIndex((one) => one.is_found)),
  grid: gridOf(first), typed: {}, within: [0, 0, WIDTH, HEIGHT], read: "across", fps: "10", clips: {}, chosen: null,
};
const isWhole = (within) => within.join() === [0, 0, WIDTH, HEIGHT].join();
// What was typed is kept where it fits; the rest follows.
const fit = (state, axis, changed) => {
  const { grid, typed, within } = state, side = ["x", "y"][axis], length = within[2 + axis] - grid.offset[axis], gutter = grid.gutter[axis];
  const fits = (cell) => Math.max(1, Math.floor((length + gutter) / (cell + gutter)));
  const share = (count) => Math.floor((length - (count - 1) * gutter) / count);
  if (changed) typed[changed + side] = true;
  const isTyped = (what) => typed[what + side], needs = grid.count[axis] * (grid.cell[axis] + gutter) - gutter;
  if (changed === "count" || changed !== "cell" && isTyped("count") && !isTyped("cell")) {
    if (!isTyped("cell") || needs > length) {
      if (share(grid.count[axis]) >= 1) { grid.cell[axis] = share(grid.count[axis]); delete typed["cell" + side]; }
    }
  } else if (!isTyped("count") || needs > length) {
    grid.count[axis] = fits(grid.cell[axis]);
    if (changed) delete typed["count" + side];
  }
};
const CELLS = 16384;
const faultOf = ({ grid, within }) => {
  for (const [axis, cells, side] of [[0, "column", "wide"], [1, "row", "high"]]) {
    const needs = grid.offset[axis] + grid.count[axis] * (grid.cell[axis] + grid.gutter[axis]) - grid.gutter[axis], has = within[2 + axis];
    if (within[axis] + has > [WIDTH, HEIGHT][axis]) return `the selected part extends beyond the sheet of ${WIDTH}×${HEIGHT} px`;
    if (grid.count[0] * grid.count[1] > CELLS) return `${(grid.count[0] * grid.count[1]).toLocaleString("en")} cells are too many; this page shows up to ${CELLS.toLocaleString("en")}`;
    if (grid.cell[axis] < 1) return "a cell needs at least one pixel";
    if (needs > has) return `${count(grid.count[axis], cells)} of ${grid.cell[axis]} px, with the offset, take ${needs} px, but the sheet is only ${has} px ${side}`;
  }
  return "";
};
// Every cell, blank ones too, in the order in which frames are numbered.
const cellsOf = (state) => {
  if (state.by === "drawings") {
    return loose[state.join].drawings.map(([row, column, x, y, w, h], number) => ({ row, column, x, y, w, h, number, id: `d${number}` }));
  }
  const { count: [columns, rows], cell: [w, h], offset, gutter } = state.grid, cells = [];
  if (columns * rows > CELLS) return cells;
  const add = (row, column) => cells.push({ row, column, x: state.within[0] + offset[0] + column * (w + gutter[0]), y: state.within[1] + offset[1] + row * (h + gutter[1]), w, h, id: `r${row}c${column}` });
  if (state.read === "down") for (let c = 0; c < columns; c++) for (let r = 0; r < rows; r++) add(r, c);
  else for (let r = 0; r < rows; r++) for (let c = 0; c < columns; c++) add(r, c);
  let number = 0;
  for (const one of cells) one.number = shows(one.x, one.y, one.w, one.h) ? number++ : -1;
  return cells;
};
// Sides of cells over which a drawing goes on: [x, y, length, is upright, pixels].
const throughOf = (state, cells) => {
  if (state.by === "drawings" || data.sheet.background === "none") return [];
  const { count: [columns, rows], gutter } = state.grid, [left, top, wide, high] = state.within, found = [];
  for (const { row, column, x, y, w, h, number } of cells) {
    if (number < 0) continue;
    const sides = [[true, x, x - 1, column > 0 && !gutter[0]], [true, x + w - 1, x + w, column + 1 < columns && !gutter[0]],
      [false, y, y - 1, row > 0 && !gutter[1]], [false, y + h - 1, y + h, row + 1 < rows && !gutter[1]]];
    sides.forEach(([upright, own, beyond, isShared], side) => {
      if (isShared && side % 2 === 0) return;
      if (upright ? beyond < left || beyond >= left + wide : beyond < top || beyond >= top + high) return;
      const length = upright ? h : w, from = upright ? y * WIDTH : x, stride = upright ? WIDTH : 1;
      const line = (at) => upright ? shows(at, y, 1, h) : shows(x, at, w, 1);
      if (!line(own) || !line(beyond)) return;
      let inside = from + (upright ? own : own * WIDTH), outside = from + (upright ? beyond : beyond * WIDTH), pixels = 0;
      for (let n = 0; n < length; n++, inside += stride, outside += stride) {
        if (drawn[inside] && (drawn[outside] || n > 0 && drawn[outside - stride] || n + 1 < length && drawn[outside + stride])) pixels++;
      }
      // Tiles touch along whole sides.
      const at = Math.max(own, beyond);
      if (pixels && !(isShared && pixels >= .9 * length)) found.push([upright ? at : x, upright ? y : at, length, upright, pixels, row, column]);
    });
  }
  return found;
};
const rowsOf = (state, cells) => {
  const tracks = new Map();
  for (const one of cells) if (one.number >= 0) {
    const key = `row ${one.row}`;
    if (!tracks.has(key)) tracks.set(key, []);
    tracks.get(key).push(one);
  }
  for (const list of tracks.values()) list.sort((a, b) => a.column - b.column);
  for (const key of Object.keys(state.clips)) if (!tracks.has(key) && !key.startsWith("row ")) tracks.set(key, []);
  return tracks;
};
const DEFAULT = { name: "", cells: null, play: "loop", fps: "" };
const clipOf = (state, key) => ({ ...DEFAULT, ...state.clips[key] });

let model = { cells: [], through: [], tracks: [], fault: "" };
const derive = (state, isBrief) => {
  const cells = cellsOf(state), byId = new Map(cells.map((one) => [one.id, one]));
  const tracks = [...rowsOf(state, cells)].map(([key, own]) => {
    const clip = clipOf(state, key);
    const steps = (clip.cells ? clip.cells.map(([id, hold]) => [byId.get(id), hold]) : own.map((one) => [one, 1])).filter(([one]) => one && one.number >= 0);
    return { key, clip, steps };
  });
  const fault = state.by === "grid" ? faultOf(state) : "";
  return { cells, byId, tracks, through: fault || isBrief ? [] : throughOf(state, cells), fault };
};

// ---- the command
const specOf = (state, { clip, steps }) => {
  const fps = clip.fps || state.fps;
  return `${told(steps.map(([one, hold]) => [one.number, hold]))} @${fps}fps${clip.play === "loop" ? "" : ` ${clip.play}`}`;
};
const shown_clips = (state) => model.tracks.filter(({ clip, steps }) => clip.name && steps.length);
const pair = ([x, y]) => `${x},${y}`;
const outcome = (state) => {
  const { grid } = state, isWithin = !isWhole(state.within), cut = [];
  if (state.by === "drawings") {
    cut.push(["islands", true]);
    if (!loose[state.join].is_found) cut.push(["join", loose[state.join].join]);
  } else {
    cut.push(["grid", grid.count.join("x")], ["cell", grid.cell.join("x")]);
    if (grid.offset.some(Boolean)) cut.push(["offset", pair(grid.offset)]);
    if (grid.gutter.some(Boolean)) cut.push(["gutter", pair(grid.gutter)]);
    if (isWithin) cut.push(["within", state.within.join(",")]);
    if (state.read === "down") cut.push(["read", "down"]);
  }
  const clips = shown_clips(state).map((track) => [track.clip.name, specOf(state, track)]);
  const names = clips.map(([name]) => name), twin = names.find((name, at) => names.indexOf(name) !== at);
  const wrong = model.fault || (twin ? `two clips are called ${twin}` : model.cells.some((one) => one.number >= 0) ? "" : "every cell is blank");
  const options = cut.map(([name, value]) => value === true ? ` --${name}` : ` --${name} ${value}`).join("");
  const command = `shibori slice ${pasteablePath(data.source)}${options}${clips.map(([name, spec]) => ` --clip ${pasteable(`${name} = ${spec}`)}`).join("")} -o ${pasteablePath(data.output)}`;
  const keys = cut.map(([name, value]) => `${name} = ${typeof value === "string" ? toml(value) : value}`).join(", ");
  const lines = [`[sprite.${tomlKey(data.sprite)}]`, `from = ${toml(data.source)}`, `slice = { ${keys} }`];
  if (clips.length) lines.push(`clips = { ${clips.map(([name, spec]) => `${tomlKey(name)} = ${toml(spec)}`).join(", ")} }`);
  return wrong ? { command: "", lines: "", wrong } : { command, lines: lines.join("\n") };
};

// ---- numbers beside the sheet
const change = table.change;
const grid = (what, axis) => [() => table.state.grid[what][axis], (value, key) => change(key, (state) => { state.grid[what][axis] = value; fit(state, axis, what === "count" || what === "cell" ? what : ""); })];
const within = (at) => [() => table.state.within[at], (value, key) => change(key, (state) => { state.within[at] = value; fit(state, at % 2, ""); })];
const fields = [
  numberField("Columns", { min: 1 }, ...grid("count", 0)), numberField("Rows", { min: 1 }, ...grid("count", 1)),
  numberField("Cell width", { min: 1 }, ...grid("cell", 0)), numberField("Cell height", { min: 1 }, ...grid("cell", 1)),
  numberField("Offset x", {}, ...grid("offset", 0)), numberField("Offset y", {}, ...grid("offset", 1)),
  numberField("Gutter x", {}, ...grid("gutter", 0)), numberField("Gutter y", {}, ...grid("gutter", 1)),
];
const part = [
  numberField("Part x", {}, ...within(0)), numberField("Part y", {}, ...within(1)),
  numberField("Part width", { min: 1 }, ...within(2)), numberField("Part height", { min: 1 }, ...within(3)),
];
const order = choice("Reading order", [["across", "by row"], ["down", "by column"]], () => table.state.read, (value) => change("", (state) => { state.read = value; }));
const by = choice("Slice by", [["grid", "grid"], ["drawings", "separate drawings"]], () => table.state.by, (value) => change("", (state) => { state.by = value; state.clips = {}; state.chosen = null; }));
by.select.querySelector("[value=drawings]").disabled = !loose.length;
const join = choice("Join pieces up to", loose.map(({ join, is_found }, at) => [String(at), `${join} px${is_found ? " (detected)" : ""}`]), () => String(table.state.join), (value) => change("", (state) => { state.join = +value; state.clips = {}; }));
const fps = textField("Frames per second", () => table.state.fps, (value, input) => {
  if (!rate(value)) { wrong(input, "frames per second must be a number such as 12 or 7.5"); return; }
  wrong(input, ""); change("fps", (state) => { state.fps = value.trim(); });
});
fps.input.inputMode = "decimal";
fps.input.addEventListener("keydown", (event) => {
  const way = { ArrowUp: 1, ArrowDown: -1 }[event.key];
  if (!way) return;
  event.preventDefault();
  change("fps", (state) => { state.fps = String(Math.max(1, Math.min(240, Math.round(+state.fps + way * (event.shiftKey ? 10 : 1))))); });
});
const numbers = $("numbers"), gridBox = make("div", null, "grid"), more = make("details"), readings = make("p", null, "readings");
gridBox.append(...fields);
more.append(make("summary", "Use only part of the sheet"), ...part);
numbers.append(by, join, gridBox, order, fps, more, readings);
const told_reading = ({ columns, rows, cell, offset, gutter }) => `${columns}×${rows} of ${cell.join("×")} px${offset.some(Boolean) ? `, offset ${pair(offset)}` : ""}${gutter.some(Boolean) ? `, gutter ${pair(gutter)}` : ""}`;
data.sheet.readings.forEach((reading, at) => {
  const act = () => change("", (state) => { state.by = "grid"; state.grid = gridOf(reading); state.typed = {}; state.within = [0, 0, WIDTH, HEIGHT]; });
  readings.append(at === 0 ? `${reading.is_sure ? "Detected" : "Most likely"}: ` : at === 1 ? " Others: " : " ", button(told_reading(reading), act));
});
if (!data.sheet.readings.length) readings.append("No grid was found; these numbers cover the whole sheet.");

// ---- the sheet with its cut
const view = $("view"), over = $("over"), spacer = $("spacer");
let zoom = 1, isFit = true;
const setZoom = (to) => {
  zoom = to; spacer.style.width = `${Math.round(WIDTH * zoom)}px`; spacer.style.height = `${Math.round(HEIGHT * zoom)}px`;
  $("zoom-is").textContent = `${+zoom.toFixed(2)}×`; drawCut();
};
const ZOOMS = [1 / 16, 1 / 8, 1 / 4, 1 / 2, 1, 2, 3, 4, 6, 8, 12, 16];
const zoomBy = (way) => { isFit = false; setZoom(way > 0 ? ZOOMS.find((one) => one > zoom + 1e-6) ?? 16 : [...ZOOMS].reverse().find((one) => one < zoom - 1e-6) ?? 1 / 16); };
const zoomFit = () => { isFit = true; setZoom(fitting([WIDTH, HEIGHT], [view.clientWidth - 2, Math.max(240, innerHeight * .6)])); };
$("nearer").addEventListener("click", () => zoomBy(1));
$("farther").addEventListener("click", () => zoomBy(-1));
$("fit").addEventListener("click", zoomFit);
// A large sheet is scaled down once, not again for every pixel a line is dragged.
let shrunk = null;
const small_sheet = (ratio) => {
  const size = [WIDTH, HEIGHT].map((side) => Math.max(1, Math.round(Math.round(side * zoom) * ratio)));
  if (!shrunk || shrunk.width !== size[0] || shrunk.height !== size[1]) {
    shrunk = Object.assign(make("canvas"), { width: size[0], height: size[1] });
    const context = shrunk.getContext("2d");
    context.imageSmoothingQuality = "high";
    context.drawImage(image, 0, 0, ...size);
  }
  return shrunk;
};
const tones = ["#10131a", "#ffffff"], THROUGH = "#ff7a3c", CHOSEN = "#ffe05c";
const drawCut = () => {
  const { state } = table, context = over.getContext("2d"), ratio = devicePixelRatio || 1;
  const [wide, high] = [Math.min(view.clientWidth, spacer.offsetWidth), Math.min(view.clientHeight, spacer.offsetHeight)];
  if (over.width !== Math.round(wide * ratio) || over.height !== Math.round(high * ratio)) {
    over.width = Math.round(wide * ratio); over.height = Math.round(high * ratio);
    over.style.width = `${wide}px`; over.style.height = `${high}px`;
  }
  const [dx, dy] = [view.scrollLeft, view.scrollTop];
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  behind(context, wide, high, 2);
  context.imageSmoothingEnabled = false;
  const left = Math.floor(dx / zoom), top = Math.floor(dy / zoom), w = Math.min(WIDTH - left, Math.ceil(wide / zoom) + 1), h = Math.min(HEIGHT - top, Math.ceil(high / zoom) + 1);
  if (zoom < 1) { if (image.complete) context.drawImage(small_sheet(ratio), -dx, -dy, Math.round(WIDTH * zoom), Math.round(HEIGHT * zoom)); }
  else if (image.complete && w > 0 && h > 0) context.drawImage(image, left, top, w, h, left * zoom - dx, top * zoom - dy, w * zoom, h * zoom);
  const at = (x, y) => [Math.round(x * zoom - dx) + .5, Math.round(y * zoom - dy) + .5];
  const isSeen = ({ x, y, w, h }) => (x + w) * zoom >= dx && (y + h) * zoom >= dy && x * zoom <= dx + wide && y * zoom <= dy + high;
  const seen = model.cells.filter(isSeen), small = seen.length > 4000;
  const boxes = () => {
    context.beginPath();
    for (const { x, y, w, h } of seen) { const [l, t] = at(x, y), [r, b] = at(x + w, y + h); context.rect(l, t, r - l - 1, b - t - 1); }
  };
  // What is blank is hatched, in one path for all.
  context.beginPath();
  for (const { x, y, w, h, number } of seen) if (number < 0 && !small) {
    const [l, t] = at(x, y), [r, b] = at(x + w, y + h);
    for (let n = 8; n < r - l + b - t; n += 8) { context.moveTo(Math.min(r, l + n), Math.max(t, t + n - (r - l))); context.lineTo(Math.max(l, l + n - (b - t)), Math.min(b, t + n)); }
  }
  context.strokeStyle = "rgba(127,137,152,.7)"; context.lineWidth = 1; context.stroke();
  // Lines of cells that are tiny here must not hide what is in them.
  const isTiny = small || seen.length > 0 && Math.min(seen[0].w, seen[0].h) * zoom < 24;
  for (const [width, tone] of isTiny ? [[1, "rgba(16,19,26,.6)"]] : [[3, tones[0]], [1, tones[1]]]) { boxes(); context.lineWidth = width; context.strokeStyle = tone; context.stroke(); }
  const mine = model.tracks.find(({ key }) => key === state.chosen);
  if (mine) mine.steps.forEach(([one]) => {
    const [l, t] = at(one.x, one.y), [r, b] = at(one.x + one.w, one.y + one.h);
    context.lineWidth = 2; context.strokeStyle = CHOSEN; context.strokeRect(l + 2, t + 2, r - l - 5, b - t - 5);
  });
  for (const [x, y, length, upright] of model.through) {
    const [l, t] = at(x, y), far = length * zoom;
    context.lineWidth = 3; context.strokeStyle = THROUGH;
    context.beginPath(); context.moveTo(l, t); context.lineTo(upright ? l : l + far, upright ? t + far : t); context.stroke();
  }
  context.font = "11px system-ui, sans-serif"; context.textBaseline = "top";
  for (const one of seen) if (one.number >= 0 && one.w * zoom >= 24 && one.h * zoom >= 18) {
    const [l, t] = at(one.x, one.y);
    context.fillStyle = "rgba(16,19,26,.75)"; context.fillRect(l + 1, t + 1, 7 + 6.4 * String(one.number).length, 13);
    context.fillStyle = "#ffffff"; context.fillText(one.number, l + 4, t + 2);
  }
};
view.addEventListener("scroll", () => requestAnimationFrame(drawCut));
new ResizeObserver(() => { if (isFit) zoomFit(); else drawCut(); }).observe(view);
onLook.push(() => drawCut());

// ---- hands on the sheet: lines and the grid are dragged, cells are clicked in and out
const NEAR = 5;
const spot = (event) => { const box = over.getBoundingClientRect(); return [(event.clientX - box.left + view.scrollLeft) / zoom, (event.clientY - box.top + view.scrollTop) / zoom]; };
// The line under a spot: its axis and how many cells lie before it.
const lineAt = (point) => {
  const { grid, within, by } = table.state;
  if (by !== "grid") return null;
  for (const axis of [0, 1]) {
    const pitch = grid.cell[axis] + grid.gutter[axis], along = point[axis] - within[axis] - grid.offset[axis], other = 1 - axis;
    const across = point[other] - within[other] - grid.offset[other], end = grid.count[other] * (grid.cell[other] + grid.gutter[other]);
    if (across < -NEAR / zoom || across > end + NEAR / zoom || pitch * zoom < 4 * NEAR) continue;
    for (const before of [Math.round(along / pitch), Math.round((along + grid.gutter[axis]) / pitch)]) {
      const edge = before === 0 ? 0 : before * pitch - grid.gutter[axis];
      if (before >= 0 && before <= grid.count[axis] && Math.min(Math.abs(along - edge), before < grid.count[axis] ? Math.abs(along - before * pitch) : 1e9) * zoom <= NEAR) return { axis, before };
    }
  }
  return null;
};
const cellAt = ([x, y]) => model.cells.find((one) => x >= one.x && y >= one.y && x < one.x + one.w && y < one.y + one.h);
let drag = null;
over.addEventListener("pointerdown", (event) => {
  if (event.button) return;
  const point = spot(event), { grid } = table.state;
  drag = { point, line: lineAt(point), offset: [...grid.offset], hasMoved: false, key: `drag ${event.timeStamp}`, at: [event.clientX, event.clientY] };
  over.setPointerCapture(event.pointerId);
});
over.addEventListener("pointermove", (event) => {
  const point = spot(event);
  if (!drag) {
    const line = lineAt(point), one = cellAt(point);
    over.style.cursor = line ? (line.axis ? "row-resize" : "col-resize") : "crosshair";
    $("under").textContent = `${Math.floor(point[0])}, ${Math.floor(point[1])}${one ? `: r${one.row}c${one.column}${one.number < 0 ? ", blank" : `, frame ${one.number}`}` : ""}`;
    return;
  }
  drag.hasMoved ||= Math.hypot(event.clientX - drag.at[0], event.clientY - drag.at[1]) > 3;
  if (!drag.hasMoved || table.state.by !== "grid") return;
  const { line } = drag;
  change(drag.key, (state) => {
    const { grid, within } = state;
    if (line && line.before) {
      const { axis, before } = line, way = point[axis] - within[axis] - grid.offset[axis] - (before - 1) * grid.gutter[axis];
      grid.cell[axis] = Math.max(1, Math.min(within[2 + axis], Math.round(way / before)));
      fit(state, axis, "cell");
      return;
    }
    for (const axis of line ? [line.axis] : [0, 1]) {
      grid.offset[axis] = Math.max(0, Math.min(within[2 + axis] - 1, drag.offset[axis] + Math.round(point[axis] - drag.point[axis])));
      fit(state, axis, "");
    }
  }, true);
});
over.addEventListener("pointerup", (event) => {
  const was = drag; drag = null;
  if (was && !was.hasMoved) takeCell(cellAt(spot(event)));
});
over.addEventListener("pointercancel", () => { drag = null; });
over.addEventListener("keydown", (event) => {
  const way = nudge(event);
  if (!way) { if (event.key === " ") { event.preventDefault(); toggle(); } return; }
  change("nudge", (state) => {
    for (const axis of [0, 1]) {
      if (!way[axis]) continue;
      state.grid.offset[axis] = Math.max(0, Math.min(state.within[2 + axis] - 1, state.grid.offset[axis] + way[axis]));
      fit(state, axis, "");
    }
  });
});
const takeCell = (one) => {
  if (!one) return;
  if (one.number < 0) { say(`r${one.row}c${one.column} is blank, so it is not a frame`); return; }
  const key = table.state.chosen ?? `row ${one.row}`, track = model.tracks.find((track) => track.key === key);
  if (!track) return;
  const cells = track.steps.map(([{ id }, hold]) => [id, hold]), is = cells.some(([id]) => id === one.id);
  const next = is ? cells.filter(([id]) => id !== one.id) : [...cells, [one.id, 1]];
  if (!next.length) { say("a clip needs at least one frame"); return; }
  say(`frame ${one.number} ${is ? "removed from" : "added to"} ${track.clip.name || key}`);
  change("", (state) => { state.clips[key] = { ...clipOf(state, key), cells: next }; });
};

// ---- rows that play, each a clip once it has a name
const trackBox = $("tracks"), shownTracks = new Map();
const trackOf = (key) => {
  const box = make("figure", null, "track"), canvas = make("canvas", null, "stage"), caption = make("figcaption"), fieldset = make("div", null, "fields"), now = make("span", null, "what");
  const own = (edit, name) => change(name ? `${key} ${name}` : "", (state) => { const clip = clipOf(state, key); edit(clip, state); state.clips[key] = clip; });
  const get = () => clipOf(table.state, key);
  const name = textField(`Name of ${key}`, () => get().name, (value, input) => {
    const why = nameFault(value);
    wrong(input, why);
    if (!why) own((clip) => { clip.name = value; }, "name");
  }, "unnamed");
  const list = textField(`Frames of ${key}`, () => told(player.track.steps.map(([one, hold]) => [one.number, hold])), (value, input) => {
    const last = model.cells.reduce((most, one) => Math.max(most, one.number), -1), steps = read(value, last);
    if (!steps) { wrong(input, `enter frame numbers from 0 to ${last}, such as 0-3,5 or 7x2`); return; }
    wrong(input, "");
    const byNumber = new Map(model.cells.map((one) => [one.number, one]));
    own((clip) => { clip.cells = steps.map(([number, hold]) => [byNumber.get(number).id, hold]); }, "frames");
  });
  const play = choice(`Play mode of ${key}`, [["loop", "loop"], ["once", "once"], ["bounce", "bounce"]], () => get().play, (value) => own((clip) => { clip.play = value; }));
  const speed = textField(`Frame rate of ${key}`, () => get().fps, (value, input) => {
    if (value.trim() && !rate(value)) { wrong(input, "enter frames per second, such as 12 or 7.5"); return; }
    wrong(input, ""); own((clip) => { clip.fps = value.trim(); }, "rate");
  }, "default");
  const parts = [name, list, play, speed];
  fieldset.append(...parts);
  caption.append(now); box.append(canvas, caption, fieldset);
  canvas.setAttribute("role", "img");
  const choose = () => { if (table.state.chosen !== key) { table.state.chosen = key; refreshChosen(); } };
  box.addEventListener("focusin", choose);
  canvas.addEventListener("click", () => { choose(); toggle(); });
  const player = watched({
    key, canvas, box, track: null, drawn: -1,
    draw: (force) => {
      const { steps, line, clip, where } = player;
      if (!steps.length) return;
      const at = stepAt(line, clip, time.now()), frame = steps[line.steps[at].frame];
      if (at === player.drawn && !force) return;
      player.drawn = at;
      const context = canvas.getContext("2d"), scale = player.zoom;
      const [w, h] = [Math.max(1, Math.round(where[0] * scale)), Math.max(1, Math.round(where[1] * scale))];
      if (canvas.width !== w || canvas.height !== h) { canvas.width = w; canvas.height = h; }
      behind(context, w, h, Math.max(1, scale));
      const left = (where[0] - frame.canvas[0]) / 2, top = where[1] - frame.canvas[1];
      place(context, frame, Math.floor(left) * scale, top * scale, scale);
      now.textContent = `${key}: step ${at}, frame ${frame.number}`;
    },
    set: (track) => {
      player.track = track; player.drawn = -1;
      const [above, under] = rate(track.clip.fps || table.state.fps) || [10, 1];
      player.steps = track.steps.map(([one]) => ({ page: 0, rect: [one.x, one.y, Math.max(0, Math.min(one.w, WIDTH - one.x)), Math.max(0, Math.min(one.h, HEIGHT - one.y))], canvas: [one.w, one.h], number: one.number }));
      player.clip = { play: track.clip.play === "bounce" ? "bounce" : "forward", plays: track.clip.play === "once" ? 1 : 0, timescale: above, steps: track.steps.map(([, hold], frame) => ({ frame, ticks: under * hold })) };
      player.line = timeline(player.clip);
      player.where = player.steps.reduce((most, { canvas: [w, h] }) => [Math.max(most[0], w), Math.max(most[1], h)], [1, 1]);
      player.zoom = fitting(player.where, [106, 104]);
      canvas.setAttribute("aria-label", `${key}${track.clip.name ? `, ${track.clip.name}` : ""}, playing ${count(track.steps.length, "frame")}`);
      box.classList.toggle("named", Boolean(track.clip.name));
      parts.forEach((one) => one.refresh());
      if (player.visible !== false) player.draw(true);
    },
  });
  return player;
};
const refreshChosen = () => { for (const [key, player] of shownTracks) player.box.classList.toggle("chosen", key === table.state.chosen); drawCut(); };
$("add").addEventListener("click", () => {
  const used = Object.keys(table.state.clips).map((key) => /^clip (\d+)$/.exec(key)).filter(Boolean).map((found) => +found[1]);
  const key = `clip ${Math.max(0, ...used) + 1}`;
  change("", (state) => {
    const one = model.cells.find(({ number }) => number >= 0);
    state.clips[key] = { ...DEFAULT, cells: one ? [[one.id, 1]] : [] }; state.chosen = key;
  });
  shownTracks.get(key)?.box.querySelector("input").focus();
});

// ---- redraw everything
// While something is dragged, what a cut goes through is told a moment later.
let later = 0;
const refresh = (isBrief) => {
  const { state } = table;
  clearTimeout(later);
  if (isBrief) later = setTimeout(() => { model.through = model.fault ? [] : throughOf(state, model.cells); tell(); drawCut(); }, 90);
  model = derive(state, isBrief);
  [...fields, ...part, order, by, join, fps].forEach((one) => one.refresh());
  gridBox.hidden = order.hidden = more.hidden = state.by !== "grid";
  join.hidden = state.by === "grid";
  for (const [key, player] of shownTracks) if (!model.tracks.some((track) => track.key === key)) { unwatched(player); player.box.remove(); shownTracks.delete(key); }
  let before = null;
  for (const track of model.tracks) {
    if (!shownTracks.has(track.key)) shownTracks.set(track.key, trackOf(track.key));
    const player = shownTracks.get(track.key);
    player.set(track);
    const wanted = before ? before.nextSibling : trackBox.firstChild;
    if (player.box !== wanted) trackBox.insertBefore(player.box, wanted);
    before = player.box;
  }
  tell();
  refreshChosen();
  conclude(outcome(state));
};
const tell = () => {
  const { state } = table;
  const shownCells = model.cells.filter(({ number }) => number >= 0).length, crossed = new Set(model.through.map(([, , , , , row, column]) => `${row},${column}`)).size;
  const rest = [0, 1].map((axis) => state.within[2 + axis] - state.grid.offset[axis] - state.grid.count[axis] * (state.grid.cell[axis] + state.grid.gutter[axis]) + state.grid.gutter[axis]);
  const restText = state.by === "grid" && !model.fault && rest.some(Boolean) ? `; ${rest[0]} px on the right and ${rest[1]} px at the bottom are left over` : "";
  $("cut").textContent = state.by === "drawings" ? `${count(model.cells.length, "separate drawing")}`
    : `${count(shownCells, "frame")}, ${count(model.cells.length - shownCells, "blank cell")}${crossed ? `; drawings cross the edge of ${count(crossed, "cell")} (orange)` : ""}${restText}`;
};
// For tests: what the page says a cut by its command will hold.
window.shown = () => ({
  cells: model.cells.filter(({ number }) => number >= 0).sort((a, b) => a.number - b.number).map(({ x, y, w, h }) => [x, y, w, h]),
  clips: shown_clips(table.state).map((track) => { const { clip, key } = shownTracks.get(track.key), name = clipOf(table.state, key).name; return [name, clip.play, clip.plays, track.steps.map(([{ number }], at) => [number, clip.steps[at].ticks / clip.timescale])]; }),
});
$("sums").textContent = `${WIDTH}×${HEIGHT} px${data.sheet.background === "flat" ? `, on a flat background of ${data.sheet.color}: add --key auto to make it transparent` : ""}`;
$("sheet-part").hidden = false;
table.begin(start, refresh);
image.decode().catch(() => {}).then(() => { zoomFit(); players.forEach((player) => { player.drawn = -1; }); requestAnimationFrame(tick); document.body.dataset.ready = "yes"; });
