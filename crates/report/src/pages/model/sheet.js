// A sheet and its cut: which pixels are drawn, the cells of a grid, what lines cross, rows as clips, and the command.
import { isList, isOneOf, isShape, isTable, isText, isWhole } from "./checks.js";
import { cleanCell, formatColor, isBlank, keyOut, mirrorCell, parseAreas, parseColor, parsePivot } from "./clean.js";
import { pixelsOfCell } from "./clean.js";
import { MOST_STEPS, formatFrames, nameProblem, parsePlay, parseTime, textProblem, timeSteps } from "./clip_text.js";
import { commandLine, formatToml, optionWords, pathWord, tomlKey } from "./quoting.js";
import { count, pair } from "./words.js";

// More cells than this are not shown.
const MOST_CELLS = 16384;
// Tiles touch along whole sides.
const WHOLE_SIDE = 0.9;
// A row before anything is typed. Steps are [cell, hold, whether it is mirrored, a time of its own], events
// [step, name].
const CLIP = { name: "", steps: null, time: "", play: "loop", events: [] };
// Frames a second where nothing is typed.
const RATE = "10fps";
// What is done to pixels before anything is typed. A key is `none`, `auto` or a color; areas are as typed.
const CLEAN = { key: "none", tolerance: null, scope: "outside", erase: "", edge: 0, specks: 0, mirror: "", pivot: "" };

// The names of rows from one on: `walk-{dir8}` is eight; null where there is no such sign. The program's own order.
const CLOCKWISE = ["n", "ne", "e", "se", "s", "sw", "w", "nw"];
export const rowNames = (text) => {
  const found = /\{dir8\}|\{dir:([a-z]+(?:,[a-z]+)*)\}/.exec(text);
  if (!found) return null;
  const directions = found[1] ? found[1].split(",") : CLOCKWISE;
  return directions.map((direction) => text.replace(found[0], direction));
};

// Pixels that are drawn, one byte each, from lengths of runs: blank and drawn by turns, seven bits a byte, low ones
// first.
const drawnPixels = (runs, area) => {
  const drawn = new Uint8Array(area);
  const letters = atob(runs);
  let at = 0;
  let isDrawn = false;
  let length = 0;
  let scale = 1;
  for (let n = 0; n < letters.length; n++) {
    const byte = letters.charCodeAt(n);
    length += (byte & 127) * scale;
    scale *= 128;
    if (byte > 127) continue;
    if (isDrawn) drawn.fill(1, at, at + length);
    at += length;
    isDrawn = !isDrawn;
    length = 0;
    scale = 1;
  }
  return drawn;
};

// Sums of drawn pixels, so that any rectangle is counted by four look-ups.
const summed = (drawn, width, height) => {
  const sums = new Uint32Array((width + 1) * (height + 1));
  for (let y = 0; y < height; y++) {
    let row = 0;
    for (let x = 0; x < width; x++) {
      row += drawn[y * width + x];
      sums[(y + 1) * (width + 1) + x + 1] = sums[y * (width + 1) + x + 1] + row;
    }
  }
  return sums;
};

const gridOf = ({ columns, rows, cell, offset, gutter }) => ({
  count: [columns, rows],
  cell: [...cell],
  offset: [...offset],
  gutter: [...gutter],
});

// `sheet` is what a page is given: size, drawn, background, auto_key, readings, drawings, keyed_drawings, is_loose.
export const createSheet = (sheet) => {
  const [width, height] = sheet.size;
  const whole = [0, 0, width, height];
  const asGiven = drawnPixels(sheet.drawn, width * height);
  const given = { drawn: asGiven, sums: summed(asGiven, width, height), rgba: null, pixels: 0 };
  const line = width + 1;
  // The sheet's pixels, once they are there, and what is drawn of them without their background.
  let pixels = null;
  let [shown, shownFor] = [given, ""];
  let { drawn, sums } = given;
  const setPixels = (rgba) => {
    pixels = { width, height, rgba };
    shownFor = "";
  };

  // How many pixels of a rectangle are drawn.
  const drawnIn = (x, y, w, h) => {
    const [right, bottom] = [Math.min(width, x + w), Math.min(height, y + h)];
    const [left, top] = [Math.min(x, right), Math.min(y, bottom)];
    const upTo = (x, y) => sums[y * line + x];
    return upTo(right, bottom) - upTo(right, top) - upTo(left, bottom) + upTo(left, top);
  };

  const first = sheet.readings[0] || { columns: 1, rows: 1, cell: [width, height], offset: [0, 0], gutter: [0, 0] };
  const start = {
    of: [...sheet.size, "sheet"],
    by: sheet.is_loose && sheet.drawings.length ? "drawings" : "grid",
    join: Math.max(
      0,
      sheet.drawings.findIndex((one) => one.is_found),
    ),
    grid: gridOf(first),
    typed: {},
    within: whole,
    read: "across",
    time: RATE,
    clean: CLEAN,
    clips: { grid: {} },
  };
  const startView = { chosen: null };

  // Whether a state could be one of this page: what comes from an address goes into commands.
  const LONGEST = 1048576;
  const isPair = (least) => isList(2, 2, isWhole(least, LONGEST));
  const isKey = isText((key) => /^(row|clip) \d+$/.test(key));
  const LONGEST_HOLD = 4294967295;
  const LAST_STEP = 99999;
  const isTime = isText((time) => time === "" || !parseTime(time).problem);
  const isId = isText((id) => /^(r\d+c\d+|d\d+)$/.test(id));
  const isStep = (step) =>
    isList(4, 4, () => true)(step) &&
    isId(step[0]) &&
    isWhole(1, LONGEST_HOLD)(step[1]) &&
    isOneOf(true, false)(step[2]) &&
    isTime(step[3]);
  const isEvent = (event) =>
    isList(2, 2, () => true)(event) &&
    isWhole(0, LAST_STEP)(event[0]) &&
    isText((name) => !textProblem(name))(event[1]);
  const isClip = isShape({
    name: isText((name) => !nameProblem(name)),
    steps: (steps) => steps === null || isList(0, MOST_STEPS, isStep)(steps),
    time: isTime,
    play: isText((play) => !parsePlay(play).problem),
    events: isList(0, MOST_STEPS, isEvent),
  });
  const isCut = isText((cut) => /^(grid|join \d{1,7})$/.test(cut));
  const isClean = isShape({
    key: (key) =>
      key === "none" || (key === "auto" && Boolean(sheet.auto_key)) || isText((text) => parseColor(text))(key),
    tolerance: (tolerance) => tolerance === null || isWhole(0, 255)(tolerance),
    scope: isOneOf("outside", "everywhere"),
    erase: isText((text) => !parseAreas(text).problem),
    edge: isWhole(0, LONGEST),
    specks: isWhole(0, LONGEST),
    mirror: isOneOf("", "left-right", "up-down"),
    pivot: isText((text) => !parsePivot(text, sheet.size).problem),
  });
  const isState = isShape({
    clean: isClean,
    by: isOneOf("grid", ...(sheet.drawings.length ? ["drawings"] : [])),
    join: isWhole(0, Math.max(0, sheet.drawings.length - 1)),
    grid: isShape({ count: isPair(1), cell: isPair(1), offset: isPair(0), gutter: isPair(0) }),
    typed: isTable(isOneOf("countx", "county", "cellx", "celly"), isOneOf(true)),
    within: isList(4, 4, isWhole(0, LONGEST)),
    read: isOneOf("across", "down"),
    time: (time) => time !== "" && isTime(time),
    clips: isTable(isCut, isTable(isKey, isClip)),
  });
  const isView = isShape({ chosen: (key) => key === null || isKey(key) });

  // Uses a grid that was found.
  const useReading = (state, reading) => {
    Object.assign(state, { by: "grid", grid: gridOf(reading), typed: {}, within: [...whole] });
  };

  // After a change along an axis: what was typed is kept where it fits, and the rest follows.
  const fitGrid = (state, axis, changed) => {
    const { grid, typed, within } = state;
    const side = ["x", "y"][axis];
    const length = within[2 + axis] - grid.offset[axis];
    const gutter = grid.gutter[axis];
    const fits = (cell) => Math.max(1, Math.floor((length + gutter) / (cell + gutter)));
    const share = (count) => Math.floor((length - (count - 1) * gutter) / count);
    if (changed) typed[changed + side] = true;
    const isTyped = (what) => typed[what + side];
    const needs = grid.count[axis] * (grid.cell[axis] + gutter) - gutter;
    if (changed === "count" || (changed !== "cell" && isTyped("count") && !isTyped("cell"))) {
      if ((!isTyped("cell") || needs > length) && share(grid.count[axis]) >= 1) {
        grid.cell[axis] = share(grid.count[axis]);
        delete typed[`cell${side}`];
      }
    } else if (!isTyped("count") || needs > length) {
      grid.count[axis] = fits(grid.cell[axis]);
      if (changed) delete typed[`count${side}`];
    }
  };

  // Why a grid can't be cut; empty if it can.
  const problemOf = ({ grid, within }) => {
    const cells = grid.count[0] * grid.count[1];
    const sides = [
      [0, "column", "wide"],
      [1, "row", "high"],
    ];
    for (const [axis, noun, side] of sides) {
      const [number, cell, gutter] = [grid.count[axis], grid.cell[axis], grid.gutter[axis]];
      const needs = grid.offset[axis] + number * (cell + gutter) - gutter;
      const has = within[2 + axis];
      if (within[axis] + has > sheet.size[axis]) {
        return `the selected part extends beyond the sheet of ${width}×${height} px`;
      }
      if (cells > MOST_CELLS) {
        const [many, most] = [cells, MOST_CELLS].map((number) => number.toLocaleString("en"));
        return `${many} cells are too many; this page shows up to ${most}`;
      }
      if (cell < 1) return "a cell needs at least one pixel";
      if (needs > has) {
        const wanted = `${count(number, noun)} of ${cell} px, with the offset, take ${needs} px`;
        return `${wanted}, but the sheet is only ${has} px ${side}`;
      }
    }
    return "";
  };

  // ---- cleaning
  const isByGrid = (state) => state.by === "grid";
  const drawingsOf = (state) =>
    state.clean.key === "none" || !sheet.keyed_drawings ? sheet.drawings : sheet.keyed_drawings;
  const islandsOf = (state) => drawingsOf(state)[Math.min(state.join, drawingsOf(state).length - 1)];
  // The cells of the grid in reading order, whatever is in them.
  const gridCells = ({ grid: { count: counts, cell, offset, gutter }, within, read }) => {
    const total = counts[0] * counts[1];
    if (total > MOST_CELLS) return [];
    const isDown = read === "down";
    const along = isDown ? counts[1] : counts[0];
    return Array.from({ length: total }, (_, n) => {
      const [a, b] = [Math.floor(n / along), n % along];
      const [row, column] = isDown ? [b, a] : [a, b];
      const x = within[0] + offset[0] + column * (cell[0] + gutter[0]);
      const y = within[1] + offset[1] + row * (cell[1] + gutter[1]);
      return { row, column, x, y, w: cell[0], h: cell[1], id: `r${row}c${column}` };
    });
  };
  // The color that goes, and how; null if none does. What is found holds for the whole sheet only.
  const keyOf = ({ clean }) => {
    if (clean.key === "none") return null;
    const isAuto = clean.key === "auto";
    const color = isAuto ? parseColor(sheet.auto_key.color) : parseColor(clean.key);
    const tolerance = clean.tolerance ?? (isAuto ? sheet.auto_key.tolerance : 0);
    return { color, tolerance, isEverywhere: clean.scope === "everywhere" };
  };
  // Shows the sheet without its background from now on.
  const lookAt = (state) => {
    const key = pixels && keyOf(state);
    const { edge } = state.clean;
    const inner = ({ x, y, w, h }) => [x + edge, y + edge, w - 2 * edge, h - 2 * edge];
    const isCut = key && isByGrid(state) && !problemOf(state);
    const cells = (isCut ? gridCells(state).map(inner) : []).filter(([, , w, h]) => w > 0 && h > 0);
    const now = key ? JSON.stringify([key, state.within, key.isEverywhere ? 0 : cells]) : "";
    if (now === shownFor && (now || shown === given)) return;
    shownFor = now;
    shown = given;
    if (key) {
      const found = keyOut(pixels, key, problemOf(state) ? whole : state.within, cells);
      const mask = new Uint8Array(width * height);
      for (let at = 0; at < mask.length; at++) mask[at] = found.rgba[4 * at + 3] > 0 ? 1 : 0;
      shown = { ...found, drawn: mask, sums: summed(mask, width, height) };
    }
    ({ drawn, sums } = shown);
  };
  const changesCells = ({ clean }) => Boolean(clean.erase || clean.edge || clean.specks);
  const cleanedCell = (state, cell) => {
    const source = { width, height, rgba: shown.rgba || pixels.rgba };
    const { areas } = parseAreas(state.clean.erase);
    return cleanCell(pixelsOfCell(source, cell), [cell.w, cell.h], { ...state.clean, areas });
  };
  // The sheet as its frames will look: RGBA; null while it is as it was.
  const painted = (state, cells) => {
    const { mirror } = state.clean;
    if (!pixels || !(shown.rgba || changesCells(state) || mirror)) return null;
    const all = (shown.rgba || pixels.rgba).slice();
    if (!changesCells(state) && !mirror) return all;
    for (const cell of cells) {
      const one = cleanedCell(state, cell);
      if (mirror) mirrorCell(one, [cell.w, cell.h], mirror);
      const columns = Math.min(cell.w, width - cell.x);
      for (let row = 0; row < Math.min(cell.h, height - cell.y); row++) {
        const from = 4 * row * cell.w;
        all.set(one.subarray(from, from + 4 * columns), 4 * ((cell.y + row) * width + cell.x));
      }
    }
    return all;
  };
  // Why a sheet can't be cleaned so; empty if it can.
  const cleanProblem = (state) => {
    const { clean } = state;
    if (clean.key === "none") return "";
    if (!isByGrid(state) && (clean.key !== "auto" || clean.tolerance !== null || clean.scope !== "outside")) {
      return "separate drawings can be found here with the detected background removed, or with none removed";
    }
    if (pixels && shown !== given && shown.pixels === 0) {
      return clean.scope === "outside"
        ? "no pixel of that color reaches the border; try it everywhere, or a larger tolerance"
        : "no pixel has that color; try a larger tolerance";
    }
    return "";
  };

  // Every cell, blank ones too, in the order in which frames are numbered; a blank one has number -1.
  const cellsOf = (state) => {
    if (state.by === "drawings") {
      const cell = ([row, column, x, y, w, h], number) => ({ row, column, x, y, w, h, number, id: `d${number}` });
      return islandsOf(state).drawings.map(cell);
    }
    const cells = gridCells(state);
    let number = 0;
    const isErased = (one) => pixels && changesCells(state) && isBlank(cleanedCell(state, one));
    for (const one of cells) one.number = drawnIn(one.x, one.y, one.w, one.h) && !isErased(one) ? number++ : -1;
    return cells;
  };

  // Pixels of a line that go on beyond it, straight or slanting.
  const pixelsAcross = (isUpright, own, beyond, { x, y, w, h }) => {
    const length = isUpright ? h : w;
    const stride = isUpright ? width : 1;
    const from = isUpright ? y * width : x;
    let inside = from + (isUpright ? own : own * width);
    let outside = from + (isUpright ? beyond : beyond * width);
    let pixels = 0;
    for (let n = 0; n < length; n++, inside += stride, outside += stride) {
      const before = n > 0 && drawn[outside - stride];
      const after = n + 1 < length && drawn[outside + stride];
      if (drawn[inside] && (drawn[outside] || before || after)) pixels++;
    }
    return pixels;
  };

  // The sides of cells that drawings cross: {x, y, length, isUpright, pixels, row, column}.
  const crossingsOf = (state, cells) => {
    if (state.by === "drawings" || (sheet.background === "none" && shown === given)) return [];
    const {
      count: [columns, rows],
      gutter,
    } = state.grid;
    const [left, top, wide, high] = state.within;
    const found = [];
    for (const cell of cells) {
      const { row, column, x, y, w, h, number } = cell;
      if (number < 0) continue;
      const sides = [
        [true, x, x - 1, column > 0 && !gutter[0]],
        [true, x + w - 1, x + w, column + 1 < columns && !gutter[0]],
        [false, y, y - 1, row > 0 && !gutter[1]],
        [false, y + h - 1, y + h, row + 1 < rows && !gutter[1]],
      ];
      sides.forEach(([isUpright, own, beyond, isShared], side) => {
        // A side that two cells share is looked at once.
        if (isShared && side % 2 === 0) return;
        const [begin, extent] = isUpright ? [left, wide] : [top, high];
        if (beyond < begin || beyond >= begin + extent) return;
        const drawnAlong = (at) => (isUpright ? drawnIn(at, y, 1, h) : drawnIn(x, at, w, 1));
        if (!drawnAlong(own) || !drawnAlong(beyond)) return;
        const length = isUpright ? h : w;
        const pixels = pixelsAcross(isUpright, own, beyond, cell);
        if (!pixels || (isShared && pixels >= WHOLE_SIDE * length)) return;
        const at = Math.max(own, beyond);
        found.push({ x: isUpright ? at : x, y: isUpright ? y : at, length, isUpright, pixels, row, column });
      });
    }
    return found;
  };

  // Each way of cutting keeps its own clips, for when it is chosen again.
  const cutOf = (state) => (state.by === "grid" ? "grid" : `join ${islandsOf(state).join}`);
  const clipsIn = (state) => (state.clips[cutOf(state)] ||= {});
  const clipOf = (state, key) => ({ ...CLIP, ...state.clips[cutOf(state)]?.[key] });
  // Cuts another way. Rows whose frames were not changed keep their names if that way has none yet.
  const cutBy = (state, change) => {
    const before = Object.entries(clipsIn(state)).filter(([, clip]) => !clip.steps && !clip.events.length);
    Object.assign(state, change);
    state.clips[cutOf(state)] ||= state.by === "grid" ? {} : structuredClone(Object.fromEntries(before));
  };
  const addClip = (state, clip) => {
    const clips = clipsIn(state);
    const used = Object.keys(clips).map((key) => +(/^clip (\d+)$/.exec(key) || [0, 0])[1]);
    const taken = Object.values(clips).map(({ name }) => name);
    let name = clip.name && `${clip.name}-2`;
    for (let n = 3; taken.includes(name) && name; n++) name = `${clip.name}-${n}`;
    const key = `clip ${Math.max(0, ...used) + 1}`;
    clips[key] = { ...CLIP, ...structuredClone(clip), name };
    return key;
  };

  // Rows with a drawing, and clips that were added: {key, clip, steps: [{cell, hold, mirror, time}..]}.
  const tracksOf = (state, cells) => {
    const rows = new Map();
    for (const cell of cells.filter(({ number }) => number >= 0)) {
      const key = `row ${cell.row}`;
      if (!rows.has(key)) rows.set(key, []);
      rows.get(key).push(cell);
    }
    for (const list of rows.values()) list.sort((a, b) => a.column - b.column);
    const clips = state.clips[cutOf(state)] || {};
    for (const key of Object.keys(clips)) if (!rows.has(key) && !key.startsWith("row ")) rows.set(key, []);
    const byId = new Map(cells.map((cell) => [cell.id, cell]));
    const step = ([id, hold, mirror, time]) => ({ cell: byId.get(id), hold, mirror, time });
    return [...rows].map(([key, own]) => {
      const clip = clipOf(state, key);
      const steps = (clip.steps || own.map(({ id }) => [id, 1, false, ""])).map(step);
      return { key, clip, steps: steps.filter(({ cell }) => cell && cell.number >= 0) };
    });
  };

  // All that follows from a state; crossings take a moment, so they can be left for later.
  const derive = (state, isBrief) => {
    lookAt(state);
    const cells = cellsOf(state);
    const problem = (state.by === "grid" ? problemOf(state) : "") || cleanProblem(state);
    const crossings = problem || isBrief ? [] : crossingsOf(state, cells);
    return { cells, tracks: tracksOf(state, cells), crossings, problem };
  };

  // Tracks that are clips.
  const clipsOf = (derived) => derived.tracks.filter(({ clip, steps }) => clip.name && steps.length);

  const framesText = ({ steps }) =>
    formatFrames(
      steps.map(({ cell, hold, mirror, time }) => {
        const suffix = (hold > 1 ? `x${hold}` : "") + (mirror ? "m" : "") + (time && `@${time}`);
        return { number: cell.number, suffix };
      }),
    );
  const timeOf = (state, { clip }) => clip.time || state.time;
  const clipText = (state, track) => {
    const { play } = track.clip;
    return `${framesText(track)} @${timeOf(state, track)}${play === "loop" ? "" : ` ${play}`}`;
  };

  // A track as a clip of a manifest, its frames numbered by its own steps; or {problem}.
  const clipOfTrack = (state, track) => {
    const item = ({ hold, mirror, time }, at) => {
      return { numbers: [at], hold, mirror, time: time ? parseTime(time) : null };
    };
    const events = new Map(track.clip.events);
    const clip = timeSteps(track.steps.map(item), parseTime(timeOf(state, track)), parsePlay(track.clip.play));
    if (clip.problem) return clip;
    const steps = clip.steps.map(({ number, ...step }, at) => ({
      ...step,
      frame: number,
      event: events.get(at) || "",
    }));
    return { ...clip, steps };
  };

  const cutOptions = (state) => {
    if (state.by === "drawings") {
      const { join, is_found: isFound } = islandsOf(state);
      return [["islands", true], ...(isFound ? [] : [["join", String(join)]])];
    }
    const { grid, within } = state;
    const options = [
      ["grid", grid.count.join("x")],
      ["cell", grid.cell.join("x")],
    ];
    if (grid.offset.some(Boolean)) options.push(["offset", pair(grid.offset)]);
    if (grid.gutter.some(Boolean)) options.push(["gutter", pair(grid.gutter)]);
    if (within.join() !== whole.join()) options.push(["within", within.join(",")]);
    if (state.read === "down") options.push(["read", "down"]);
    return options;
  };

  const cleanOptions = (state) => {
    const { clean } = state;
    const options = [];
    if (clean.key !== "none") {
      // What the program finds on a part may be another color.
      const isPart = state.within.join() !== whole.join();
      const isNamed = clean.key !== "auto" || isPart;
      const { color, tolerance } = keyOf(state);
      options.push(["key", isNamed ? formatColor(color) : "auto"]);
      if (isNamed ? tolerance : clean.tolerance !== null) options.push(["tolerance", String(tolerance)]);
      if (clean.scope !== "outside") options.push(["key-scope", clean.scope]);
    }
    for (const area of parseAreas(clean.erase).areas) options.push(["erase", area.join(",")]);
    if (clean.edge) options.push(["clear-edge", String(clean.edge)]);
    if (clean.specks) options.push(["specks", String(clean.specks)]);
    return options;
  };
  const shapeOptions = ({ clean: { mirror, pivot } }) => [
    ...(mirror ? [["mirror", mirror]] : []),
    ...(pivot.trim() ? [["pivot", pivot.trim().replace(/\s+/g, "")]] : []),
  ];

  // Why clips can't be made; empty if they can.
  const clipProblem = (state, tracks) => {
    const names = tracks.map(({ clip }) => clip.name);
    const twin = names.find((name, at) => names.indexOf(name) !== at);
    if (twin) return `two clips are called ${twin}`;
    for (const track of tracks) {
      const { name, events } = track.clip;
      const { problem } = clipOfTrack(state, track);
      if (problem) return `clip ${name}: ${problem}`;
      const last = track.steps.length - 1;
      const beyond = events.find(([step]) => step > last);
      if (beyond) return `clip ${name} has no step ${beyond[0]} for event ${beyond[1]}; its last is ${last}`;
    }
    return "";
  };

  // The command that cuts it so, the lines of a recipe, or why there are none.
  const outcome = (state, derived, { source, output, sprite, isWindows }) => {
    const tracks = clipsOf(derived);
    const isBlank = derived.cells.every(({ number }) => number < 0);
    const problem = derived.problem || (isBlank ? "every cell is blank" : "") || clipProblem(state, tracks);
    if (problem) return { command: "", lines: "", problem };
    const [cut, clean, shape] = [cutOptions(state), cleanOptions(state), shapeOptions(state)];
    const clips = tracks.map((track) => [track.clip.name, clipText(state, track)]);
    const events = tracks.flatMap(({ clip }) => clip.events.map(([step, event]) => `${clip.name}@${step}=${event}`));
    const clipOptions = clips.map(([name, text]) => ["clip", `${name} = ${text}`]);
    const options = optionWords([
      ...cut,
      ...clean,
      ...shape,
      ...clipOptions,
      ...events.map((event) => ["event", event]),
    ]);
    const commands = [["slice", pathWord(source), ...options, "-o", pathWord(output)]];
    const NUMBERS = ["join", "tolerance", "clear-edge", "specks"];
    const value = ([name, value]) => [name, NUMBERS.includes(name) ? +value : value];
    const areas = clean.filter(([name]) => name === "erase").map(([, area]) => area);
    const cleaning = Object.fromEntries(clean.filter(([name]) => name !== "erase").map(value));
    if (areas.length) cleaning.erase = areas;
    const lines = [
      ["from", source],
      ["slice", Object.fromEntries(cut.map(value))],
      ...(clean.length ? [["clean", cleaning]] : []),
      ...(shape.length ? [["shape", Object.fromEntries(shape)]] : []),
      ...(clips.length ? [["clips", Object.fromEntries(clips)]] : []),
      ...(events.length ? [["event", events]] : []),
    ].map(([key, value]) => `${key.padEnd(5)} = ${formatToml(value)}`);
    return {
      commands,
      command: commandLine(commands, isWindows),
      lines: [`[sprite.${tomlKey(sprite)}]`, ...lines].join("\n"),
    };
  };

  // What is left of the sheet to the right and at the bottom of a grid.
  const restOf = ({ grid, within }) =>
    [0, 1].map((axis) => {
      const used = grid.count[axis] * (grid.cell[axis] + grid.gutter[axis]) - grid.gutter[axis];
      return within[2 + axis] - grid.offset[axis] - used;
    });

  return {
    width,
    height,
    start,
    startView,
    isState,
    isView,
    clipsIn,
    cutBy,
    addClip,
    framesText,
    useReading,
    fitGrid,
    clipOf,
    clipsOf,
    clipOfTrack,
    derive,
    outcome,
    restOf,
    setPixels,
    painted,
    drawingsOf,
  };
};
