// The light table of a sheet: numbers, lines that can be dragged, rows that play meanwhile, and the command that cuts
// it so.
import { parsePivot } from "../model/clean.js";
import { nameProblem, parseFrames, parsePlay, parseTime, textProblem } from "../model/clip_text.js";
import { createSheet, rowNames } from "../model/sheet.js";
import { stepAt, timelineOf } from "../model/timeline.js";
import { count, pair } from "../model/words.js";
import { createCleaning } from "./cleaning.js";
import { $, button, decoded, loadImages, make, pageData, zoomToFit } from "./dom.js";
import { choice, numberField, say, textField } from "./fields.js";
import { createPainter, drawPivot, HIGHLIGHT, sizedContext } from "./paint.js";
import { bindTouch } from "./player.js";
import { createTable, nudgeOf } from "./table.js";

const data = pageData();
const given = data.sheet;
const sheet = createSheet(given);
const size = [sheet.width, sheet.height];
const [image, solid] = loadImages([given.png, ...(given.solid ? [given.solid] : [])]);
const table = createTable(data, sheet, { refresh: (isBrief) => refresh(isBrief), draw: () => {} });
const { change, look, time, toggle } = table;
// The sheet, or how it looks once it is cleaned.
const pictures = [image];
const painter = createPainter(pictures, table.behind);
let derived = { cells: [], tracks: [], crossings: [], problem: "" };

// ---- numbers beside the sheet
const gridField = (text, what, axis, min = 0) => {
  const changed = what === "count" || what === "cell" ? what : "";
  const set = (value, name) =>
    change(name, (state) => {
      state.grid[what][axis] = value;
      sheet.fitGrid(state, axis, changed);
    });
  return numberField(text, { min }, () => table.state.grid[what][axis], set);
};
const partField = (text, at, min = 0) => {
  const set = (value, name) =>
    change(name, (state) => {
      state.within[at] = value;
      sheet.fitGrid(state, at % 2, "");
    });
  return numberField(text, { min }, () => table.state.within[at], set);
};
const gridFields = [
  gridField("Columns", "count", 0, 1),
  gridField("Rows", "count", 1, 1),
  gridField("Cell width", "cell", 0, 1),
  gridField("Cell height", "cell", 1, 1),
  gridField("Offset x", "offset", 0),
  gridField("Offset y", "offset", 1),
  gridField("Gutter x", "gutter", 0),
  gridField("Gutter y", "gutter", 1),
];
const partFields = [
  partField("Part x", 0),
  partField("Part y", 1),
  partField("Part width", 2, 1),
  partField("Part height", 3, 1),
];
const order = choice(
  "Reading order",
  [
    ["across", "by row"],
    ["down", "by column"],
  ],
  () => table.state.read,
  (value) =>
    change("", (state) => {
      state.read = value;
    }),
);
const by = choice(
  "Slice by",
  [
    ["grid", "grid"],
    ["drawings", "separate drawings"],
  ],
  () => table.state.by,
  (value) => change("", (state) => sheet.cutBy(state, { by: value })),
);
by.select.querySelector("[value=drawings]").disabled = !given.drawings.length;
const joinOption = ({ join, is_found: isFound }, at) => [String(at), `${join} px${isFound ? " (detected)" : ""}`];
const join = choice(
  "Join pieces up to",
  given.drawings.map(joinOption),
  () => String(table.state.join),
  (value) => change("", (state) => sheet.cutBy(state, { join: +value })),
);
const TIMES = ["8fps", "12fps", "24fps", "80ms", "100ms", "total 0.8s"];
// A bare number is a rate.
const unitOf = (text) => (/^[\d.]+$/.test(text.trim()) ? `${text.trim()}fps` : text.trim().replace(/^@\s*/, ""));
const rate = textField(
  "Rate or time",
  () => table.state.time,
  (value, { gesture }) => {
    const { problem } = parseTime(value);
    if (problem) return problem;
    change("", (state) => void (state.time = unitOf(value)), { gesture });
    return "";
  },
  { options: TIMES },
);
// Up and down change the number.
rate.input.addEventListener("keydown", (event) => {
  const way = { ArrowUp: 1, ArrowDown: -1 }[event.key];
  const found = /^(\d+(?:\.\d+)?)(fps|ms)$/.exec(table.state.time);
  if (!way || !found) return;
  event.preventDefault();
  const next = Math.max(1, Math.min(1000, Math.round(+found[1] + way * (event.shiftKey ? 10 : 1))));
  change("rate", (state) => void (state.time = next + found[2]));
});
const auto = given.auto_key;
const cleaning = createCleaning(table, auto, size);
const [gridBox, more, readings] = [make("div", null, "grid"), make("details"), make("p", null, "readings")];
gridBox.append(...gridFields);
more.append(make("summary", "Use only part of the sheet"), ...partFields);
$("numbers").append(by, join, gridBox, order, rate, ...cleaning.parts, more, readings);
const describeReading = ({ columns, rows, cell, offset, gutter }) => {
  const spacing = [
    ["offset", offset],
    ["gutter", gutter],
  ];
  const parts = spacing.filter(([, value]) => value.some(Boolean)).map(([name, value]) => `, ${name} ${pair(value)}`);
  return `${columns}×${rows} of ${cell.join("×")} px${parts.join("")}`;
};
given.readings.forEach((reading, at) => {
  const act = () => change("", (state) => sheet.useReading(state, reading));
  const lead = at === 0 ? `${reading.is_sure ? "Detected" : "Most likely"}: ` : at === 1 ? " Others: " : " ";
  readings.append(lead, button(describeReading(reading), act));
});
if (!given.readings.length) readings.append("No grid was found; these numbers cover the whole sheet.");

// ---- the sheet with its cut
const [view, over, spacer] = [$("view"), $("over"), $("spacer")];
const ZOOMS = [1 / 16, 1 / 8, 1 / 4, 1 / 2, 1, 2, 3, 4, 6, 8, 12, 16];
const CROSSING = "#ff7a3c";
// More cells in sight than this, or smaller ones, have thin lines and no labels.
const MANY = 4000;
const SMALL = 24;
let zoom = 1;
let isFitted = true;
const setZoom = (to) => {
  zoom = to;
  spacer.style.width = `${Math.round(size[0] * zoom)}px`;
  spacer.style.height = `${Math.round(size[1] * zoom)}px`;
  $("zoom-is").textContent = `${+zoom.toFixed(2)}×`;
  drawCut();
};
const zoomBy = (way) => {
  isFitted = false;
  const [nearer, farther] = [ZOOMS.find((one) => one > zoom + 1e-6), ZOOMS.findLast((one) => one < zoom - 1e-6)];
  setZoom(way > 0 ? (nearer ?? ZOOMS.at(-1)) : (farther ?? ZOOMS[0]));
};
const zoomAll = () => {
  isFitted = true;
  setZoom(zoomToFit(size, [view.clientWidth - 2, Math.max(240, innerHeight * 0.6)]));
};
$("nearer").addEventListener("click", () => zoomBy(1));
$("farther").addEventListener("click", () => zoomBy(-1));
$("fit").addEventListener("click", zoomAll);

// A large sheet is scaled down once, not again for every pixel a line is dragged.
let shrunk = null;
const shrunkSheet = (ratio) => {
  const [picture] = pictures;
  const wanted = size.map((side) => Math.max(1, Math.round(Math.round(side * zoom) * ratio)));
  if (!shrunk || shrunk.of !== picture || shrunk.width !== wanted[0] || shrunk.height !== wanted[1]) {
    shrunk = Object.assign(make("canvas"), { width: wanted[0], height: wanted[1], of: picture });
    const context = shrunk.getContext("2d");
    context.imageSmoothingQuality = "high";
    context.drawImage(picture, 0, 0, ...wanted);
  }
  return shrunk;
};
const drawSheet = (context, ratio, [dx, dy], [wide, high]) => {
  const [picture] = pictures;
  if (!picture.complete) return;
  if (zoom < 1) {
    context.drawImage(shrunkSheet(ratio), -dx, -dy, ...size.map((side) => Math.round(side * zoom)));
    return;
  }
  const [left, top] = [dx, dy].map((at) => Math.floor(at / zoom));
  const w = Math.min(size[0] - left, Math.ceil(wide / zoom) + 1);
  const h = Math.min(size[1] - top, Math.ceil(high / zoom) + 1);
  if (w <= 0 || h <= 0) return;
  context.drawImage(picture, left, top, w, h, left * zoom - dx, top * zoom - dy, w * zoom, h * zoom);
};
const drawCut = () => {
  const context = over.getContext("2d");
  const ratio = devicePixelRatio || 1;
  const [wide, high] = [
    Math.min(view.clientWidth, spacer.offsetWidth),
    Math.min(view.clientHeight, spacer.offsetHeight),
  ];
  if (over.width !== Math.round(wide * ratio) || over.height !== Math.round(high * ratio)) {
    Object.assign(over, { width: Math.round(wide * ratio), height: Math.round(high * ratio) });
    Object.assign(over.style, { width: `${wide}px`, height: `${high}px` });
  }
  const [dx, dy] = [view.scrollLeft, view.scrollTop];
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  painter.drawBackground(context, wide, high, 2);
  context.imageSmoothingEnabled = false;
  drawSheet(context, ratio, [dx, dy], [wide, high]);
  // The corners of a cell on the screen: left, top, right, bottom.
  const at = (x, y) => [Math.round(x * zoom - dx) + 0.5, Math.round(y * zoom - dy) + 0.5];
  const corners = ({ x, y, w, h }) => [...at(x, y), ...at(x + w, y + h)];
  const isSeen = ({ x, y, w, h }) =>
    (x + w) * zoom >= dx && (y + h) * zoom >= dy && x * zoom <= dx + wide && y * zoom <= dy + high;
  const seen = derived.cells.filter(isSeen);
  if (seen.length <= MANY) hatch(context, seen.filter(({ number }) => number < 0).map(corners));
  outlineCells(context, seen, corners);
  const chosen = derived.tracks.find(({ key }) => key === table.view.chosen);
  for (const { cell } of chosen ? chosen.steps : []) {
    const [l, t, r, b] = corners(cell);
    context.lineWidth = 2;
    context.strokeStyle = HIGHLIGHT;
    context.strokeRect(l + 2, t + 2, r - l - 5, b - t - 5);
  }
  for (const { x, y, length, isUpright } of derived.crossings) {
    const [l, t] = at(x, y);
    context.lineWidth = 3;
    context.strokeStyle = CROSSING;
    context.beginPath();
    context.moveTo(l, t);
    context.lineTo(isUpright ? l : l + length * zoom, isUpright ? t + length * zoom : t);
    context.stroke();
  }
  if (seen.length <= MANY) drawPivots(context, seen, at);
  labelCells(context, seen, corners);
};
// Where a pivot is the same point of every cell.
const drawPivots = (context, seen, at) => {
  const text = table.state.clean.pivot;
  if (!text) return;
  for (const cell of seen.filter(({ number, w, h }) => number >= 0 && Math.min(w, h) * zoom >= SMALL)) {
    const { point } = parsePivot(text, [cell.w, cell.h]);
    if (!point) return;
    const [x, y] = at(cell.x + point[0], cell.y + point[1]);
    drawPivot(context, x, y, false);
  }
};
// Blank cells are hatched, in one path for all.
const hatch = (context, blank) => {
  context.beginPath();
  for (const [l, t, r, b] of blank) {
    for (let n = 8; n < r - l + b - t; n += 8) {
      context.moveTo(Math.min(r, l + n), Math.max(t, t + n - (r - l)));
      context.lineTo(Math.max(l, l + n - (b - t)), Math.min(b, t + n));
    }
  }
  context.strokeStyle = "rgba(127,137,152,.7)";
  context.lineWidth = 1;
  context.stroke();
};
// Lines of cells that are tiny on the screen must not hide what is in them.
const outlineCells = (context, seen, corners) => {
  const isTiny = seen.length > MANY || (seen.length > 0 && Math.min(seen[0].w, seen[0].h) * zoom < SMALL);
  const strong = [
    [3, "#10131a"],
    [1, "#ffffff"],
  ];
  for (const [width, tone] of isTiny ? [[1, "rgba(16,19,26,.6)"]] : strong) {
    context.beginPath();
    for (const [l, t, r, b] of seen.map(corners)) context.rect(l, t, r - l - 1, b - t - 1);
    context.lineWidth = width;
    context.strokeStyle = tone;
    context.stroke();
  }
};
const labelCells = (context, seen, corners) => {
  context.font = "11px system-ui, sans-serif";
  context.textBaseline = "top";
  for (const cell of seen.filter(({ number, w, h }) => number >= 0 && w * zoom >= SMALL && h * zoom >= 18)) {
    const [l, t] = corners(cell);
    context.fillStyle = "rgba(16,19,26,.75)";
    context.fillRect(l + 1, t + 1, 7 + 6.4 * String(cell.number).length, 13);
    context.fillStyle = "#ffffff";
    context.fillText(cell.number, l + 4, t + 2);
  }
};
view.addEventListener("scroll", () => requestAnimationFrame(drawCut));
new ResizeObserver(() => (isFitted ? zoomAll() : drawCut())).observe(view);

// ---- hands on the sheet: lines and the grid are dragged, cells are clicked in and out
const NEAR = 5;
const pointOf = (event) => {
  const box = over.getBoundingClientRect();
  return [(event.clientX - box.left + view.scrollLeft) / zoom, (event.clientY - box.top + view.scrollTop) / zoom];
};
// The line under a point: its axis, and how many cells are before it.
const lineAt = (point) => {
  const { grid, within } = table.state;
  if (table.state.by !== "grid") return null;
  for (const axis of [0, 1]) {
    const [gutter, other] = [grid.gutter[axis], 1 - axis];
    const pitch = grid.cell[axis] + gutter;
    const along = point[axis] - within[axis] - grid.offset[axis];
    const across = point[other] - within[other] - grid.offset[other];
    const end = grid.count[other] * (grid.cell[other] + grid.gutter[other]);
    if (across < -NEAR / zoom || across > end + NEAR / zoom || pitch * zoom < 4 * NEAR) continue;
    for (const before of [along, along + gutter].map((place) => Math.round(place / pitch))) {
      if (before < 0 || before > grid.count[axis]) continue;
      const edges = [before === 0 ? 0 : before * pitch - gutter];
      if (before < grid.count[axis]) edges.push(before * pitch);
      if (Math.min(...edges.map((edge) => Math.abs(along - edge))) * zoom <= NEAR) return { axis, before };
    }
  }
  return null;
};
const cellAt = ([x, y]) =>
  derived.cells.find((cell) => x >= cell.x && y >= cell.y && x < cell.x + cell.w && y < cell.y + cell.h);
const moveOffset = (state, axis, to) => {
  state.grid.offset[axis] = Math.max(0, Math.min(state.within[2 + axis] - 1, to));
  sheet.fitGrid(state, axis, "");
};
const dragTo = (state, point) => {
  const { grid, within } = state;
  const { line } = drag;
  if (line && line.before) {
    const { axis, before } = line;
    const length = point[axis] - within[axis] - grid.offset[axis] - (before - 1) * grid.gutter[axis];
    grid.cell[axis] = Math.max(1, Math.min(within[2 + axis], Math.round(length / before)));
    sheet.fitGrid(state, axis, "cell");
    return;
  }
  for (const axis of line ? [line.axis] : [0, 1]) {
    moveOffset(state, axis, drag.offset[axis] + Math.round(point[axis] - drag.point[axis]));
  }
};
let drag = null;
const mayDrag = bindTouch(over, $("touch-sheet"));
// When a finger scrolls, a tap still toggles cells.
let isTap = false;
over.addEventListener("pointerdown", (event) => {
  isTap = !mayDrag(event);
  if (event.button || isTap) return;
  const point = pointOf(event);
  drag = {
    point,
    line: lineAt(point),
    offset: [...table.state.grid.offset],
    hasMoved: false,
    gesture: Symbol("drag"),
    at: [event.clientX, event.clientY],
  };
  over.setPointerCapture(event.pointerId);
});
over.addEventListener("pointermove", (event) => {
  const point = pointOf(event);
  if (!drag) {
    const [line, cell] = [lineAt(point), cellAt(point)];
    const what = cell && (cell.number < 0 ? "blank" : `frame ${cell.number}`);
    over.style.cursor = line ? (line.axis ? "row-resize" : "col-resize") : "crosshair";
    const name = cell ? `: r${cell.row}c${cell.column}, ${what}` : "";
    $("under").textContent = `${point.map(Math.floor).join(", ")}${name}`;
    return;
  }
  drag.hasMoved ||= Math.hypot(event.clientX - drag.at[0], event.clientY - drag.at[1]) > 3;
  if (!drag.hasMoved || table.state.by !== "grid") return;
  change("", (state) => dragTo(state, point), { isDrag: true, gesture: drag.gesture });
});
over.addEventListener("click", (event) => {
  if (isTap) clickCell(cellAt(pointOf(event)), pointOf(event));
});
over.addEventListener("pointerup", (event) => {
  const before = drag;
  drag = null;
  if (before && !before.hasMoved) clickCell(cellAt(pointOf(event)), pointOf(event));
});
over.addEventListener("pointercancel", () => {
  drag = null;
});
over.addEventListener("keydown", (event) => {
  const way = nudgeOf(event);
  if (!way) return;
  change("nudge", (state) => {
    for (const axis of [0, 1]) if (way[axis]) moveOffset(state, axis, state.grid.offset[axis] + way[axis]);
  });
});
// Takes a cell into the chosen clip, or out of it; or picks a color.
const clickCell = (cell, [x, y]) => {
  if (cleaning.pickAt(() => colorAt(Math.floor(x), Math.floor(y)))) return;
  if (!cell) return;
  if (cell.number < 0) {
    say(`r${cell.row}c${cell.column} is blank, so it is not a frame`);
    return;
  }
  const key = table.view.chosen ?? `row ${cell.row}`;
  const track = derived.tracks.find((one) => one.key === key);
  if (!track) return;
  const steps = stepsOf(track);
  const isIn = steps.some(([id]) => id === cell.id);
  const next = isIn ? steps.filter(([id]) => id !== cell.id) : [...steps, [cell.id, 1, false, ""]];
  if (!next.length) {
    say("a clip needs at least one frame");
    return;
  }
  say(`frame ${cell.number} ${isIn ? "removed from" : "added to"} ${track.clip.name || key}`);
  edit(key, "", (clip) => {
    clip.steps = next;
  });
};
const stepsOf = ({ steps }) => steps.map(({ cell, hold, mirror, time }) => [cell.id, hold, mirror, time]);
// Changes a clip.
const edit = (key, name, act, gesture = null) =>
  change(
    name && `${key} ${name}`,
    (state) => {
      const clip = sheet.clipOf(state, key);
      act(clip);
      sheet.clipsIn(state)[key] = clip;
    },
    { gesture },
  );

// ---- rows that play, each a clip once it has a name
const trackBox = $("tracks");
const shownTracks = new Map();
const STAGE = [106, 104];
const PLAYS = ["loop", "once", "bounce", "loop 3", "bounce 2", "loop mirrored"];
// Events as they are typed: 3=splash, 5=land.
const formatEvents = (events) => events.map(([step, event]) => `${step}=${event}`).join(", ");
const parseEvents = (text) => {
  const events = [];
  for (const part of text
    .split(",")
    .map((one) => one.trim())
    .filter(Boolean)) {
    const found = /^(\d{1,5})\s*=\s*(.+)$/.exec(part);
    if (!found || textProblem(found[2])) return { problem: "write a step and its event, such as 3=splash" };
    if (events.some(([step]) => step === +found[1])) return { problem: `step ${found[1]} has two events` };
    events.push([+found[1], found[2]]);
  }
  return { events };
};
const NAMING = Symbol("rows");
const fieldsOf = (key, player) => {
  const get = () => sheet.clipOf(table.state, key);
  // A field for one part of a clip; `read` returns {problem} or the new value of that part.
  const part = (text, name, show, read, options) =>
    textField(
      `${text} of ${key}`,
      show,
      (value, { gesture }) => {
        const { problem, ...found } = read(value);
        if (problem) return problem;
        edit(key, name, (clip) => Object.assign(clip, found), gesture);
        return "";
      },
      options,
    );
  const readFrames = (value) => {
    const shown = derived.cells.filter(({ number }) => number >= 0).sort((a, b) => a.number - b.number);
    const { problem, items } = parseFrames(
      value,
      shown.map((cell) => ({ ...cell, name: "" })),
    );
    if (problem) return { problem };
    if (items.some(({ time }) => time?.total))
      return { problem: "a total is for the whole clip; enter it as its time" };
    const times = value.split(",").map((one) => (/@(.*)$/.exec(one)?.[1] || "").trim());
    const steps = items.flatMap(({ numbers, hold, mirror }, at) =>
      numbers.map((number) => [shown[number].id, hold, mirror, times[at]]),
    );
    return { steps };
  };
  const readTime = (value) => {
    const { problem } = value.trim() ? parseTime(value) : {};
    return problem ? { problem } : { time: value.trim() && unitOf(value) };
  };
  const readPlay = (value) => {
    const { problem } = parsePlay(value);
    return problem ? { problem } : { play: value.trim().replace(/\s+/g, " ") || "loop" };
  };
  // `walk-{dir8}` names this row and those below it.
  const readName = (name) => {
    const names = rowNames(name);
    if (!names) return { problem: nameProblem(name), name };
    const rows = derived.tracks.map((track) => track.key).filter((one) => one.startsWith("row "));
    const below = rows.slice(rows.indexOf(key));
    if (!key.startsWith("row ") || below.length < names.length) {
      return {
        problem: `needs ${names.length} rows from here; there are ${key.startsWith("row ") ? below.length : 0}`,
      };
    }
    names.slice(1).forEach((one, at) => edit(below[at + 1], "", (clip) => void (clip.name = one), NAMING));
    return { problem: nameProblem(names[0]), name: names[0] };
  };
  return [
    part("Name", "name", () => get().name, readName, { placeholder: "unnamed" }),
    part("Frames", "frames", () => sheet.framesText(player.track), readFrames, { placeholder: "0-3,5x2" }),
    part("Play mode", "play", () => get().play, readPlay, { options: PLAYS }),
    part("Rate or time", "time", () => get().time, readTime, { options: TIMES }),
    part("Events", "events", () => formatEvents(get().events), parseEvents, { placeholder: "3=splash" }),
  ];
};
const buttonsOf = (key, player) => {
  const box = make("p", null, "orders");
  const press = (text, act) => {
    const one = button(text, act);
    one.setAttribute("aria-label", `${text} ${key}`);
    return one;
  };
  const copy = () => {
    let copied = null;
    change("", (state) => {
      copied = sheet.addClip(state, { ...sheet.clipOf(state, key), steps: stepsOf(player.track) });
    });
    chooseTrack(copied);
    shownTracks.get(copied)?.box.querySelector("input").focus();
  };
  const mirror = () =>
    edit(key, "", (clip) => {
      const isMirrored = / ?\bmirrored\b/;
      clip.play = isMirrored.test(clip.play)
        ? clip.play.replace(isMirrored, "").trim() || "loop"
        : `${clip.play} mirrored`;
    });
  const drop = () => {
    const what = sheet.clipOf(table.state, key).name || key;
    change("", (state) => void delete sheet.clipsIn(state)[key]);
    say(key.startsWith("row ") ? `${what} is an unnamed row again` : `${what} dropped; Undo brings it back`);
  };
  box.append(press("Copy", copy), press("Mirror", mirror), press("Drop", drop));
  return box;
};
const frameOfCell = ({ x, y, w, h, number }) => {
  const inside = (at, length, side) => Math.max(0, Math.min(length, size[side] - at));
  return { page: 0, rect: [x, y, inside(x, w, 0), inside(y, h, 1)], canvas: [w, h], number };
};
const trackOf = (key) => {
  const [box, caption, fieldset] = [
    make("div", null, "track"),
    make("div", null, "under"),
    make("div", null, "fields"),
  ];
  const [canvas, now] = [make("canvas", null, "stage"), make("span", null, "what")];
  const player = { key, canvas, box, track: null, drawn: -1 };
  const fields = fieldsOf(key, player);
  const timeField = fields[3];
  const orders = buttonsOf(key, player);
  player.draw = (force) => {
    const { frames, timeline, clip, extent, scale } = player;
    if (!frames.length || !timeline) return;
    const at = stepAt(timeline, clip, time.seconds());
    if (at === player.drawn && !force) return;
    player.drawn = at;
    const frame = frames[timeline.steps[at].frame];
    const context = sizedContext(canvas, extent[0] * scale, extent[1] * scale);
    painter.drawBackground(context, canvas.width, canvas.height, Math.max(1, scale));
    const left = Math.floor((extent[0] - frame.canvas[0]) / 2);
    const step = timeline.steps[at];
    context.save();
    if (step.mirror) {
      context.translate(canvas.width, 0);
      context.scale(-1, 1);
    }
    painter.drawFrame(context, frame, left * scale, (extent[1] - frame.canvas[1]) * scale, scale);
    context.restore();
    now.textContent = `${key}: step ${at}, frame ${frame.number}${step.event ? `, ${step.event}` : ""}`;
  };
  player.set = (track) => {
    const clip = sheet.clipOfTrack(table.state, track);
    const frames = track.steps.map(({ cell }) => frameOfCell(cell));
    const extent = [0, 1].map((axis) => Math.max(1, ...frames.map((frame) => frame.canvas[axis])));
    const scale = zoomToFit(extent, STAGE);
    const timeline = clip.problem ? null : timelineOf(clip);
    Object.assign(player, { track, clip, frames, extent, scale, timeline, drawn: -1 });
    const name = track.clip.name ? `, ${track.clip.name}` : "";
    canvas.setAttribute("aria-label", `${key}${name}, playing ${count(frames.length, "frame")}`);
    box.classList.toggle("named", Boolean(track.clip.name));
    timeField.input.placeholder = table.state.time;
    fields.forEach((field) => field.refresh());
    if (player.visible !== false) player.draw(true);
  };
  const choose = () => chooseTrack(key);
  fieldset.append(...fields, orders);
  caption.append(now);
  box.append(canvas, caption, fieldset);
  box.setAttribute("role", "group");
  box.setAttribute("aria-label", key);
  canvas.setAttribute("role", "img");
  box.addEventListener("focusin", choose);
  canvas.addEventListener("click", () => {
    choose();
    toggle();
  });
  return table.players.add(player);
};
const chooseTrack = (key) => {
  if (table.view.chosen !== key) look({ chosen: key });
};
const refreshChosen = () => {
  for (const [key, player] of shownTracks) {
    const isChosen = key === table.view.chosen;
    player.box.classList.toggle("chosen", isChosen);
    if (isChosen) player.box.setAttribute("aria-current", "true");
    else player.box.removeAttribute("aria-current");
  }
  drawCut();
};
const showTracks = () => {
  for (const [key, player] of shownTracks) {
    if (derived.tracks.some((track) => track.key === key)) continue;
    table.players.remove(player);
    player.box.remove();
    shownTracks.delete(key);
  }
  let before = null;
  for (const track of derived.tracks) {
    if (!shownTracks.has(track.key)) shownTracks.set(track.key, trackOf(track.key));
    const player = shownTracks.get(track.key);
    player.set(track);
    const wanted = before ? before.nextSibling : trackBox.firstChild;
    if (player.box !== wanted) trackBox.insertBefore(player.box, wanted);
    before = player.box;
  }
};
$("add").addEventListener("click", () => {
  let key = null;
  change("", (state) => {
    const cell = derived.cells.find(({ number }) => number >= 0);
    const steps = cell ? [[cell.id, 1, false, ""]] : [];
    key = sheet.addClip(state, { name: "", steps });
  });
  chooseTrack(key);
  shownTracks.get(key)?.box.querySelector("input").focus();
});

// ---- all of it
// The sheet's pixels, as the program reads them.
let ownPixels = null;
const readPixels = () => {
  const read = (from) => {
    const canvas = Object.assign(make("canvas"), { width: size[0], height: size[1] });
    const context = canvas.getContext("2d", { willReadFrequently: true });
    context.drawImage(from, 0, 0);
    return context.getImageData(0, 0, ...size).data;
  };
  ownPixels = read(image);
  if (!solid) return;
  const colors = read(solid);
  for (let at = 0; at < ownPixels.length; at += 4) for (let n = 0; n < 3; n++) ownPixels[at + n] = colors[at + n];
};
const colorAt = (x, y) => {
  if (!ownPixels || x < 0 || y < 0 || x >= size[0] || y >= size[1]) return null;
  return [...ownPixels.slice(4 * (y * size[0] + x), 4 * (y * size[0] + x) + 3)];
};
const showPicture = () => {
  const pixels = sheet.painted(table.state, derived.cells);
  if (!pixels) {
    pictures[0] = image;
    return;
  }
  const canvas = Object.assign(make("canvas"), { width: size[0], height: size[1], complete: true });
  canvas.getContext("2d").putImageData(new ImageData(pixels, ...size), 0, 0);
  pictures[0] = canvas;
};
const joinChoices = () => {
  const options = sheet.drawingsOf(table.state).map(joinOption);
  const texts = options.map(([, text]) => text).join();
  if (join.texts === texts) return;
  join.texts = texts;
  join.select.replaceChildren(...options.map(([value, text]) => Object.assign(make("option", text), { value })));
};
const describeCut = () => {
  const { cells, crossings, problem } = derived;
  if (table.state.by === "drawings") return count(cells.length, "separate drawing");
  const shown = cells.filter(({ number }) => number >= 0).length;
  const crossed = new Set(crossings.map(({ row, column }) => `${row},${column}`)).size;
  const edges = crossed ? `; drawings cross the edge of ${count(crossed, "cell")} (orange)` : "";
  const rest = sheet.restOf(table.state);
  const left = `; ${rest[0]} px on the right and ${rest[1]} px at the bottom are left over`;
  const blank = count(cells.length - shown, "blank cell");
  return `${count(shown, "frame")}, ${blank}${edges}${!problem && rest.some(Boolean) ? left : ""}`;
};
// While something is dragged, crossings are found a moment later.
let crossingsLater = 0;
const refresh = (isBrief) => {
  const { state } = table;
  clearTimeout(crossingsLater);
  derived = sheet.derive(state, isBrief);
  if (isBrief) {
    crossingsLater = setTimeout(() => {
      derived = sheet.derive(state, false);
      showPicture();
      $("cut").textContent = describeCut();
      drawCut();
    }, 90);
  }
  if (!isBrief) showPicture();
  if (given.drawings.length) joinChoices();
  [...gridFields, ...partFields, order, by, join, rate].forEach((field) => field.refresh());
  cleaning.refresh(state);
  gridBox.hidden = order.hidden = more.hidden = state.by !== "grid";
  join.hidden = state.by === "grid";
  showTracks();
  $("cut").textContent = describeCut();
  refreshChosen();
  const { source, output, sprite, is_windows: isWindows } = data;
  table.showOutcome(sheet.outcome(state, derived, { source, output, sprite, isWindows }));
};
// For tests: what the page says a cut by its command will hold.
window.start = () => ({ ...sheet.start, view: sheet.startView });
window.shown = () => {
  const cells = derived.cells.filter(({ number }) => number >= 0).sort((a, b) => a.number - b.number);
  const clip = (track) => {
    const { play, plays, timescale, steps } = sheet.clipOfTrack(table.state, track);
    const step = ({ cell }, at) => {
      return [cell.number, steps[at].ticks / timescale, steps[at].mirror, steps[at].event];
    };
    return [track.clip.name, play, plays, track.steps.map(step)];
  };
  return { cells: cells.map(({ x, y, w, h }) => [x, y, w, h]), clips: sheet.clipsOf(derived).map(clip) };
};
const background = auto ? `, on a flat background of ${auto.color}, which can be removed below` : "";
$("sums").textContent = `${size.join("×")} px${background}`;
$("sheet-part").hidden = false;
table.begin();
$("recipe-how").textContent = "A sprite that is cut this way:";
decoded(solid ? [image, solid] : [image]).then(() => {
  readPixels();
  sheet.setPixels(ownPixels);
  refresh(false);
  table.run(zoomAll);
});
