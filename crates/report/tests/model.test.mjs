// The model of the pages against what the program does: `node --test crates/report/tests/model.test.mjs`. The vectors are written by
// `cargo test -p shibori vectors`; UPDATE=1 writes the texts of clips, which that test reads back.
import assert from "node:assert/strict";
import { readFileSync, writeFileSync } from "node:fs";
import { test } from "node:test";

import { outcomeOf } from "../src/pages/model/changes.js";
import {
  formatClip, formatParts, nameProblem, parseFrames, parsePlay, parseTime, setStepTime, timeSteps,
} from "../src/pages/model/clip_text.js";
import { parseColor, parsePivot, pixelsOfCell } from "../src/pages/model/clean.js";
import { createHistory, decodeState, digestOf, encodeState } from "../src/pages/model/history.js";
import { commandLine, formatToml, optionWords, pasteable, pathWord, tomlKey, tomlString } from "../src/pages/model/quoting.js";
import { createSet } from "../src/pages/model/set.js";
import { createSheet, rowNames } from "../src/pages/model/sheet.js";
import { createClock, neighborTime, stepAt, stepNumber, stepsPlayed, timelineOf } from "../src/pages/model/timeline.js";

const file = (name) => new URL(name, import.meta.url);
const vectors = JSON.parse(readFileSync(file("vectors.json")));

test("words are quoted as the program quotes them", () => {
  assert.ok(vectors.quoting.length > 20);
  for (const { word, pasted, path, toml, key } of vectors.quoting) {
    assert.equal(pasteable(word, false), pasted);
    assert.equal(pasteable(pathWord(word), false), path);
    assert.equal(tomlString(word), toml);
    assert.equal(tomlKey(word), key);
  }
  assert.equal(pasteable("it's $5", true), "'it''s $5'");
  const words = ["slice", "a b.png", ...optionWords([["islands", true], ["clip", "-a = 0"], ["drop", "b"]])];
  const wanted = 'shibori slice "a b.png" --islands "--clip=-a = 0" --drop b';
  assert.equal(commandLine([words], false), wanted);
  assert.equal(commandLine([words, ["clip", "b"]], false), `${wanted} && shibori clip b`);
  assert.equal(commandLine([words, ["clip", "b"]], true), `${wanted}; if ($?) { shibori clip b }`);
  assert.equal(formatToml({ a: ["x", 1], "b c": true, d: { e: 1.5 } }), '{ a = ["x", 1], "b c" = true, d = { e = 1.5 } }');
});

// Frames of the set that texts are read for.
const pickable = vectors.cells.map(([row, column], at) => ({ name: `koi-${String(at).padStart(2, "0")}`, row, column }));
const ownTime = () => ({ ticks: 100n, timescale: 1000n });
const parsedClip = (frames, time, play) => {
  const parts = [parseFrames(frames, pickable), time === null ? null : parseTime(time), parsePlay(play)];
  const problem = parts.find((part) => part?.problem);
  return problem || timeSteps(parts[0].items, parts[1], parts[2], ownTime);
};
// A clip in comparable form: frames, seconds, mirrored, and how it plays.
const seen = ({ play, plays, timescale, steps }) => [
  play,
  plays || 0,
  steps.map((step) => [step.number ?? step.frame, (step.ticks / timescale).toFixed(12), Boolean(step.mirror)]),
];

test("lists of frames are read as the program reads them, and written so that they read the same", () => {
  assert.ok(vectors.frames.some(({ steps }) => !steps) && vectors.frames.some(({ steps }) => steps));
  for (const { text, steps } of vectors.frames) {
    const clip = parsedClip(text, "1fps", "");
    assert.equal(Boolean(clip.problem), !steps, text);
    if (!steps) continue;
    assert.deepEqual(clip.steps.map(({ number, ticks }) => [number, ticks]), steps, text);
    const parts = formatParts({ ...clip, steps: clip.steps.map((step) => ({ ...step, frame: step.number })) }, (at) => at);
    assert.deepEqual(seen(parsedClip(parts.frames, parts.time, parts.play)), seen(clip), text);
  }
});

test("frames, times and play modes are read as the program reads them", () => {
  const [right, wrong] = [vectors.texts.filter(({ clip }) => clip), vectors.texts.filter(({ clip }) => !clip)];
  assert.ok(right.length > 30 && wrong.length > 30);
  for (const { frames, time, play, clip } of vectors.texts) {
    const text = `${frames} @${time} ${play}`;
    const read = parsedClip(frames, time, play);
    assert.equal(Boolean(read.problem), !clip, `${text}: ${read.problem}`);
    if (clip) assert.deepEqual(seen(read), seen(clip), text);
    else assert.match(read.problem, /^[a-z0-9'].{8,}/, text);
  }
  assert.equal(parseTime("12,5").problem, "write 12.5fps, with a period");
  assert.equal(parseTime("total 0,8").problem, "write total 0.8s, with a period");
});

test("holds stay as they were typed", () => {
  for (const [frames, time] of [["0x3,1,2x5,3", "12fps"], ["0-3x7", "30fps"], ["0x2,1x4", "12fps"], ["0x3", "80ms"]]) {
    const clip = parsedClip(frames, time, "loop 3");
    const steps = clip.steps.map(({ number, ...step }) => ({ ...step, frame: number }));
    const parts = formatParts({ ...clip, steps }, (at) => at);
    assert.deepEqual([parts.frames, parts.time, parts.play], [frames, time, "loop 3"]);
  }
});

test("names are those that the program takes", () => {
  assert.ok(vectors.names.some(({ is_right: isRight }) => isRight));
  for (const { name, is_right: isRight } of vectors.names) assert.equal(!nameProblem(name), isRight, JSON.stringify(name));
});

test("the page and the program know frames by one checksum", () => {
  assert.ok(vectors.checksums.length > 2);
  for (const { frames, drawn, checksum } of vectors.checksums) {
    const koi = createSet({ manifest: { frames, clips: [] }, drawn });
    const state = structuredClone(koi.start);
    // An in-place command with a move carries the checksum.
    state.moves[0] = [1, 0];
    const { perFrame } = outcomeOf(koi, state, { ...IN_PLACE, perFrameLines: [] });
    assert.match(perFrame, /^frame,kind,name,values\n,done,,[0-9a-f]{1,8}\n/);
    assert.equal(koi.checksumOfFrames(koi.resultOf(koi.start)), checksum);
  }
});

test("the step at every tick is the one that the program shows", () => {
  assert.ok(vectors.clips.length > 20);
  for (const { clip, moments, total } of vectors.clips) {
    const timeline = timelineOf(clip);
    assert.equal(timeline.ticks, total);
    for (const [tick, step] of moments) {
      for (const seconds of [tick / clip.timescale, (tick + 0.99) / clip.timescale]) {
        assert.equal(stepAt(timeline, clip, seconds), step, JSON.stringify(clip));
      }
      if (!clip.plays) assert.equal(stepAt(timeline, clip, (tick + 3 * total) / clip.timescale), step);
    }
    // A clip that ends rests on its last step.
    if (clip.plays) {
      assert.equal(stepAt(timeline, clip, (clip.plays * total) / clip.timescale + 0.5), timeline.steps.length - 1);
    }
    stepsPlayed(clip).forEach((step, at) => assert.equal(clip.steps[stepNumber(clip, at)], step));
  }
});

test("step keys go through all plays of a clip, there and back", () => {
  const clip = (play, plays) => ({ play, plays, timescale: 10, steps: [1, 2, 3].map((ticks, frame) => ({ frame, ticks })) });
  for (const [play, plays, wanted] of [
    ["forward", 0, "0120120"], ["forward", 1, "0120120"], ["forward", 2, "0120120"], ["bounce", 0, "0121012"], ["bounce", 1, "0121012"],
  ]) {
    const one = clip(play, plays);
    const timeline = timelineOf(one);
    const [times, seen] = [[0], []];
    for (let n = 0; n < 7; n++) {
      seen.push(stepNumber(one, stepAt(timeline, one, times.at(-1))));
      times.push(neighborTime(timeline, one, times.at(-1), 1));
    }
    assert.equal(seen.join(""), wanted, `${play} ${plays}`);
    for (let n = 6; n > 0; n--) assert.equal(neighborTime(timeline, one, times[n] + 0.05, -1).toFixed(6), times[n - 1].toFixed(6));
    assert.ok(neighborTime(timeline, one, 0, -1) >= 0, "there is no time before the first");
    // During its pause, a clip that ends starts over.
    const rest = timeline.seconds * plays + 0.5;
    if (plays) assert.equal(stepAt(timeline, one, neighborTime(timeline, one, rest, 1)), 0);
  }
});

test("clips are written as texts that the program reads back", () => {
  const texts = vectors.clips.map(({ clip }) => formatClip(clip, (frame) => frame));
  for (const [at, { clip }] of vectors.clips.entries()) {
    const parts = formatParts(clip, (frame) => frame);
    assert.deepEqual(seen(parsedClip(parts.frames, parts.time || null, parts.play)), seen(clip), texts[at]);
  }
  if (process.env.UPDATE) writeFileSync(file("clip-texts.json"), `${JSON.stringify(texts, null, 2)}\n`);
  assert.deepEqual(texts, JSON.parse(readFileSync(file("clip-texts.json"))));
});

const bytesOf = (text) => Uint8ClampedArray.from(atob(text), (letter) => letter.charCodeAt(0));
// A checksum of pixels (FNV-1a); the color of clear ones doesn't count.
const sumOf = (pixels) => {
  let sum = 0x811c9dc5;
  for (let at = 0; at < pixels.length; at++) {
    const byte = pixels[at - (at % 4) + 3] ? pixels[at] : 0;
    sum = Math.imul(sum ^ byte, 0x01000193) >>> 0;
  }
  return sum;
};

test("a sheet is cleaned and mirrored as the program does, and the command says so", () => {
  const kinds = { cut: 0, keyed: 0, refused: 0, blank: 0 };
  for (const vector of vectors.cleanings) {
    const { size, rgba, drawn, background, auto_key: autoKey, grid, clean, words, frames } = vector;
    const given = { size, drawn, background, auto_key: autoKey, readings: [grid], drawings: [], is_loose: false };
    const sheet = createSheet(given);
    sheet.setPixels(bytesOf(rgba));
    const state = { ...structuredClone(sheet.start), clean };
    assert.ok(sheet.isState(JSON.parse(JSON.stringify(state))));
    const derived = sheet.derive(state, false);
    const page = { source: "x.png", output: "x", sprite: "x", isWindows: false };
    const { commands, problem } = sheet.outcome(state, derived, page);
    if (!frames) {
      assert.ok(problem, words.join(" "));
      kinds.refused++;
      continue;
    }
    assert.equal(problem, undefined, words.join(" "));
    assert.deepEqual(commands, [words]);
    const all = sheet.painted(state, derived.cells) || bytesOf(rgba);
    const shown = derived.cells.filter(({ number }) => number >= 0);
    const cell = (one) => [one.id, sumOf(pixelsOfCell({ width: size[0], height: size[1], rgba: all }, one))];
    assert.deepEqual(shown.map(cell), frames, words.join(" "));
    kinds.cut++;
    kinds.keyed += clean.key !== "none";
    kinds.blank += shown.length < derived.cells.length;
  }
  assert.ok(kinds.cut > 30 && kinds.keyed > 15 && kinds.blank > 4 && kinds.refused > 0, JSON.stringify(kinds));
});

test("pivots and colors are read as the program reads them", () => {
  for (const { text, is_right: isRight, point } of vectors.pivots) {
    const found = parsePivot(text, [8, 4]);
    assert.equal(!found.problem, isRight, text);
    assert.deepEqual(found.point ?? null, point, text);
  }
  assert.deepEqual(parseColor("#f0A"), [255, 0, 170]);
  assert.equal(parseColor("red-ish"), null);
  assert.deepEqual(rowNames("walk-{dir8}").slice(0, 3), ["walk-n", "walk-ne", "walk-e"]);
  assert.deepEqual(rowNames("{dir:e,w} run"), ["e run", "w run"]);
  assert.equal(rowNames("walk"), null);
});

test("cells and crossings are those of the program", () => {
  assert.ok(vectors.grids.length > 20 && vectors.grids.some(({ crossings }) => crossings.length));
  for (const { size, drawn, grid, cells, crossings } of vectors.grids) {
    const sheet = createSheet({ size, drawn, background: "clear", readings: [grid], drawings: [], is_loose: false });
    const derived = sheet.derive(sheet.start, false);
    assert.equal(derived.problem, "");
    const shown = derived.cells.filter(({ number }) => number >= 0).map(({ x, y, w, h }) => [x, y, w, h]);
    assert.deepEqual(shown, cells);
    const byCell = (a, b) => a[0] - b[0] || a[1] - b[1] || a[2] - b[2];
    const found = derived.crossings.map(({ row, column, pixels }) => [row, column, pixels]);
    assert.deepEqual(found.sort(byCell), crossings.sort(byCell));
  }
});

const PAGE = { source: "art/koi pond.png", output: "koi", sprite: "koi", isWindows: false };
// A sheet of 4x1 cells of 2x2 px; the third is blank.
const strip = () =>
  createSheet({
    size: [8, 2],
    drawn: Buffer.from([0, 4, 2, 6, 2, 2]).toString("base64"),
    background: "clear",
    readings: [{ columns: 4, rows: 1, cell: [2, 2], offset: [0, 0], gutter: [0, 0] }],
    drawings: [],
    is_loose: false,
  });

test("a cut and its clips come out as a command and as lines of a recipe", () => {
  const sheet = strip();
  const state = structuredClone(sheet.start);
  sheet.clipsIn(state)["row 0"] = { ...sheet.clipOf(state, "row 0"), name: "swim", play: "once", events: [[1, "splash"]] };
  const derived = sheet.derive(state, false);
  assert.deepEqual(derived.cells.map(({ number }) => number), [0, 1, -1, 2]);
  const { command, lines } = sheet.outcome(state, derived, PAGE);
  const cut = 'shibori slice "art/koi pond.png" --grid 4x1 --cell 2x2 --clip "swim = 0-2 @10fps once" --event swim@1=splash -o koi';
  assert.equal(command, cut);
  assert.deepEqual(lines.split("\n"), [
    "[sprite.koi]",
    'from  = "art/koi pond.png"',
    'slice = { grid = "4x1", cell = "2x2" }',
    'clips = { swim = "0-2 @10fps once" }',
    'event = ["swim@1=splash"]',
  ]);
  const problem = () => sheet.outcome(state, sheet.derive(state, false), PAGE).problem;
  sheet.clipsIn(state)["row 0"].events = [[3, "splash"]];
  assert.equal(problem(), "clip swim has no step 3 for event splash; its last is 2");
  sheet.clipsIn(state)["row 0"].events = [];
  const key = sheet.addClip(state, sheet.clipOf(state, "row 0"));
  assert.deepEqual([key, sheet.clipOf(state, key).name], ["clip 1", "swim-2"]);
  Object.assign(sheet.clipsIn(state)[key], { name: "swim", steps: [["r0c0", 2, true, ""], ["r0c1", 1, false, "80ms"]] });
  assert.equal(problem(), "two clips are called swim");
  sheet.clipsIn(state)[key].name = "turn";
  const turn = sheet.outcome(state, sheet.derive(state, false), PAGE);
  assert.match(turn.command, /--clip "turn = 0x2m,1@80ms @10fps once"/);
});

test("what is typed about a grid is kept, and the rest follows", () => {
  const sheet = strip();
  const state = structuredClone(sheet.start);
  const type = (what, axis, value) => {
    state.grid[what][axis] = value;
    sheet.fitGrid(state, axis, what === "count" || what === "cell" ? what : "");
  };
  type("count", 0, 2);
  assert.deepEqual(state.grid.cell, [4, 2]);
  type("offset", 0, 2);
  assert.deepEqual([state.grid.count[0], state.grid.cell[0]], [2, 3]);
  type("cell", 0, 6);
  assert.deepEqual([state.grid.count[0], state.grid.cell[0]], [1, 6]);
  type("count", 0, 9);
  assert.match(sheet.derive(state, false).problem, /take \d+ px, but the sheet is only 8 px wide/);
});

// Two frames of 4x4 px in one clip, and a third in none.
const set = () => {
  const frame = (name, sprite = "koi") => {
    return { name, sprite, page: 0, rect: [0, 0, 4, 4], canvas: [4, 4], pivot: [2, 4], boxes: { body: [1, 1, 2, 2] } };
  };
  const steps = [
    { frame: 0, ticks: 1 },
    { frame: 1, ticks: 1, event: "splash" },
  ];
  const clip = { name: "swim", sprite: "koi", play: "forward", plays: 0, timescale: 10, steps };
  const frames = [frame("koi-00"), frame("koi-01"), frame("koi-02")];
  return createSet({ manifest: { frames, clips: [clip] }, drawn: [[0, 0, 4, 4], [1, 1, 2, 2], null] });
};
const IN_PLACE = {
  ...PAGE, source: "koi", from: "koi", perFrame: "koi-per-frame.csv", perFrameLines: [], hasManifest: true, inPlace: true,
};

const outcome = (koi, state, page = IN_PLACE) => outcomeOf(koi, state, page);
const linesOf = (perFrame) => perFrame.trimEnd().split("\n").slice(1).filter((line) => !line.startsWith(",done,"));

test("moves, pivots and boxes come out as options or as lines of a per-frame file", () => {
  const koi = set();
  const state = structuredClone(koi.start);
  assert.equal(outcome(koi, state).command, "");
  for (const at of [0, 1, 2]) state.pivots[at] = [2, 3.5];
  assert.equal(outcome(koi, state).command, "shibori adjust koi --pivot 2px,3.5px --in-place");
  // A drawing that is pushed over the edge makes every canvas larger, and all that is measured goes along.
  state.moves[0] = [-2, 0];
  const { command, perFrame } = outcome(koi, state);
  // Lines are applied after the move, so that the command can be run again.
  assert.equal(command, "shibori adjust koi --per-frame koi-per-frame.csv --in-place");
  const pivots = [0, 1, 2].map((at) => `koi-0${at},pivot,,"4,3.5"`);
  assert.deepEqual(linesOf(perFrame), ['koi-00,move,,"-2,0"', ...pivots]);
  const { frames } = koi.resultOf(state);
  assert.deepEqual(frames[0].canvas, [6, 4]);
  assert.deepEqual([frames[0].drawn, frames[1].drawn], [[0, 0, 4, 4], [3, 1, 2, 2]]);
  state.boxes.hit = { 1: [0, 0, 1, 1] };
  assert.equal(linesOf(outcome(koi, state).perFrame)[4], 'koi-01,box,hit,"2,0,1,1"');
  // Only commands that change files in place need it.
  assert.match(outcome(koi, state).perFrame, /,done,,/);
  assert.doesNotMatch(outcome(koi, state, { ...IN_PLACE, inPlace: false }).perFrame, /,done,,/);
});

test("a clip that changed is written with its events, and one that is only renamed isn't", () => {
  const koi = set();
  const state = structuredClone(koi.start);
  const clip = structuredClone(koi.clipOf(state, "0"));
  state.clips[0] = { ...structuredClone(clip), name: "glide" };
  assert.equal(outcome(koi, state).command, "shibori clip koi --rename swim=glide");
  setStepTime(state.clips[0], 0, 120);
  assert.equal(outcome(koi, state).command, 'shibori clip koi --rename swim=glide --clip "glide = 0@120ms,1@100ms"');
  // Only events that differ from the inherited ones are written: added, moved, removed.
  state.clips[0].steps.reverse();
  assert.doesNotMatch(outcome(koi, state).command, /--event/);
  [state.clips[0].steps[0].event, state.clips[0].steps[1].event] = ["", "land"];
  assert.match(outcome(koi, state).command, /--event glide@0= --event glide@1=land$/);
  state.clips[0] = JSON.parse(JSON.stringify(koi.clipOf(koi.start, "0")));
  state.clips[0].steps[1].event = "";
  assert.equal(outcome(koi, state).command, "shibori clip koi --event swim@1=");
  for (const [name, problem] of [["", /give the changed clip a name/], ["con", /device/], ["a?", /Windows/], ["a=b", /=/]]) {
    Object.assign(state.clips[0], { name, plays: 3 });
    assert.match(outcome(koi, state).problem, problem);
  }
});

test("a clip is changed by the parts of its text, and what isn't typed stays", () => {
  const koi = set();
  const clip = koi.clipOf(koi.start, "0");
  const text = (clip) => [koi.textOf(clip), clip.steps.map(({ event }) => event || "-").join("")];
  const held = koi.withFrames(clip, "1x3,0,1m").clip;
  assert.deepEqual(text(held), ["1x3,0,1m @10fps", "splash--"], "the first time frame 1 is shown keeps its event");
  const timed = koi.withTime(held, "80 ms").clip;
  assert.deepEqual(text(timed), ["1x3,0,1m @80ms", "splash--"]);
  const three = koi.withPlay(timed, "loop 3").clip;
  assert.equal(koi.textOf(three), "1x3,0,1m @80ms loop 3");
  assert.equal(koi.textOf(koi.withTime(three, "total 1s").clip), "1x3,0,1m @5fps loop 3");
  assert.equal(koi.textOf(koi.withPlay(three, "bounce 2 mirrored").clip), "1x3,0,1 @80ms bounce 2 mirrored");
  assert.equal(koi.textOf(koi.withFrames(koi.withPlay(clip, "mirrored").clip, "0").clip), "0 @10fps mirrored");
  for (const [wrong, problem] of [
    [koi.withFrames(clip, "0-9"), /from 0 to 2/], [koi.withTime(clip, "12,5"), /12\.5fps/], [koi.withPlay(clip, "loop 0"), /omit/],
  ]) {
    assert.match(wrong.problem, problem);
  }
  // Steps keep their own times, and a frame that is added has the time it has elsewhere.
  const own = structuredClone(clip);
  setStepTime(own, 1, 33.333);
  assert.equal(koi.textOf(koi.withFrames(own, "1,1,0").clip), "1@33.333ms,1@33.333ms,0@100ms");
});

test("clips are added, copied and dropped, and names swapped", () => {
  const koi = set();
  const state = structuredClone(koi.start);
  const key = koi.addClip(state, koi.clipOf(state, "0"));
  assert.equal(outcome(koi, state).command, 'shibori clip koi --clip "swim-2 = 0,1 @10fps" --event swim-2@1=splash');
  assert.deepEqual(koi.keysOf(state), ["0", "loose 0", key]);
  // A copy takes the name of a dropped clip.
  koi.dropClip(state, "0");
  state.clips[key].name = "swim";
  assert.match(outcome(koi, state).command, /^shibori clip koi --drop swim --clip "swim = 0,1 @10fps" --event swim@1=splash$/);
  const text = 'clips  = { swim-2 = "0,1 @10fps" }\nevent  = ["swim-2@1=splash"]\ndrop   = ["swim"]\nrename = ["swim-2=swim"]';
  assert.equal(outcome(koi, state).lines, `[sprite.koi]\nfrom   = "koi"\n${text}`);
  // Frames in no clip become one once they are named.
  state.clips["loose 0"] = { ...structuredClone(koi.clipOf(state, "loose 0")), name: "rest" };
  assert.match(outcome(koi, state).command, /--clip "rest = 2 @10fps"/);
});

test("sources without a manifest are cut first, and only then are clips renamed", () => {
  const koi = set();
  const state = structuredClone(koi.start);
  const page = { ...IN_PLACE, source: "art/-koi", output: "koi", hasManifest: false, inPlace: false };
  state.clips[0] = { ...structuredClone(koi.clipOf(state, "0")), plays: 3 };
  assert.equal(outcome(koi, state, page).command, 'shibori slice art/-koi --clip "swim = 0,1 @10fps loop 3" -o koi');
  state.clips[0].name = "glide";
  const commands = ["shibori slice art/-koi -o koi", 'shibori clip koi --rename swim=glide --clip "glide = 0,1 @10fps loop 3"'];
  assert.equal(outcome(koi, state, page).command, commands.join(" && "));
  assert.equal(outcome(koi, state, { ...page, isWindows: true }).command, `${commands[0]}; if ($?) { ${commands[1]} }`);
});

test("lines for a recipe are whole, and hold what its table says already", () => {
  const koi = set();
  const state = structuredClone(koi.start);
  const recipe = {
    shape: { align: "feet", box: ["body=auto", "hit=auto:clip"], "per-frame": "by-hand.csv" },
    clips: { swim: { steps: "0,1", shape: { pivot: "feet" }, speed: 2 } },
    clip: ["rest = 2"],
    event: ["paddle@1=splash", "rest@0=blink"],
    rename: ["paddle=swim"],
  };
  const before = [
    ["koi-00", "move", "", "1,1"], ["koi-01", "pivot", "", "2,4"], ["koi-02", "nine", "", "1,1,1,1"],
  ];
  const page = { ...IN_PLACE, source: "", hasManifest: false, inPlace: false, recipe, perFrame: "by-hand.csv", perFrameLines: before };
  state.moves[0] = [-2, 0];
  let { command, lines, perFrame } = outcome(koi, state, page);
  assert.equal(command, "shibori build");
  assert.equal(
    lines,
    '[sprite.koi]\nshape = { align = "feet", box = ["body=auto", "hit=auto:clip"], per-frame = "by-hand.csv" }',
  );
  // Old and new moves add up, and pivots follow a canvas that grows.
  assert.deepEqual(linesOf(perFrame), ['koi-01,pivot,,"4,4"', 'koi-02,nine,,"1,1,1,1"', 'koi-00,move,,"-1,1"']);
  delete state.moves[0];
  state.clips[0] = { ...structuredClone(koi.clipOf(state, "0")), name: "glide", plays: 1 };
  ({ lines, perFrame } = outcome(koi, state, page));
  assert.equal(perFrame, "");
  assert.deepEqual(lines.split("\n").slice(1).map((line) => line.replace(/ +=/, " =")), [
    'clips = { swim = { steps = "0,1", shape = { pivot = "feet" }, speed = 2 }, paddle = "0,1 @10fps once" }',
    'event = ["rest@0=blink", "paddle@1=splash"]',
    'rename = ["paddle=glide"]',
  ]);
});

test("undo goes back by changes; those with one name that follow closely are one", () => {
  let now = 0;
  const history = createHistory({ n: 0, of: 1 }, () => now);
  const set = (name, n) =>
    history.change(name, (state) => {
      state.n = n;
    });
  assert.ok(set("x", 1) && set("x", 2));
  now += 5000;
  assert.ok(set("x", 3) && set("y", 4));
  assert.ok(!set("y", 4));
  const back = [];
  while (history.undo()) back.push(history.state.n);
  assert.deepEqual(back, [3, 2, 0]);
  assert.ok(history.isUnchanged());
  while (history.redo());
  assert.equal(history.state.n, 4);
  history.undo();
  set("z", 9);
  assert.ok(!history.redo());
});

test("a state goes into an address and back, whatever is in it", () => {
  const state = { name: "köi 鯉 ?&#/+\u{1f438}", list: [1, 2.5, null], n: { deep: true } };
  const word = encodeState(state);
  assert.match(word, /^[A-Za-z0-9_-]+$/);
  assert.equal(JSON.stringify(decodeState(word)), JSON.stringify(state));
  assert.equal(digestOf(state), digestOf(structuredClone(state)));
  assert.notEqual(digestOf(state), digestOf({ ...state, name: "koi" }));
});

test("a state that this page can't have made is refused, whatever is in it", () => {
  const [koi, sheet] = [set(), strip()];
  const clip = JSON.parse(JSON.stringify(koi.clipOf(koi.start, "0")));
  const ofSet = (change) => koi.isState({ ...structuredClone(koi.start), ...change });
  const ofSheet = (change) => sheet.isState({ ...structuredClone(sheet.start), ...change });
  const grid = (change) => ({ grid: { ...sheet.start.grid, ...change } });
  const right = {
    moves: { 0: [-3, 4] }, pivots: { 2: [1.5, 9] }, boxes: { hit: { 1: [-1, 2, 3, 4] } },
    clips: { 0: clip, "new 1": clip }, dropped: ["loose 0"],
  };
  assert.ok(ofSet({}) && ofSet(right) && ofSheet({}));
  const track = {
    name: "swim", steps: [["r0c0", 2, false, "80ms"]], play: "loop 3", time: "12.5fps", events: [[0, "splash"]],
  };
  const tracks = (change) => ({ clips: { grid: { "row 0": { ...track, ...change } } } });
  assert.ok(ofSheet(tracks({})) && ofSheet({ clips: { grid: {}, "join 2": { "clip 1": { ...track, steps: null } } } }));
  const touch = "1; touch F #";
  for (const change of [
    { moves: { 0: [touch, 0] } }, { moves: { 3: [1, 1] } }, { moves: [[1, 1]] }, { moves: { 0: [1.5, 0] } },
    { pivots: { 0: [1, null] } }, { pivots: { 0: [1e9, 0] } }, { pivots: { x: [1, 1] } },
    { boxes: { "a\nb": { 0: [0, 0, 1, 1] } } }, { boxes: { hit: { 0: [0, 0, 0, 1] } } }, { boxes: { hit: { 0: [0, 0, 1, touch] } } },
    { clips: { 0: { ...clip, timescale: touch } } }, { clips: { 0: { ...clip, sprite: touch } } },
    { clips: { 0: { ...clip, steps: [] } } }, { clips: { 0: { ...clip, steps: [{ frame: 9, ticks: 1 }] } } },
    { clips: { 1: clip } }, { clips: { "new x": clip } }, { clips: null }, { clips: { 0: { ...clip, unit: touch } } },
    { dropped: ["7"] }, { dropped: touch },
  ]) {
    assert.ok(!ofSet(change), JSON.stringify(change));
  }
  for (const change of [
    grid({ count: [8, 4, touch] }), grid({ count: [touch, 4] }), grid({ cell: [0, 4] }), grid({ offset: null }), { grid: null },
    { within: [0, 0, 8, touch] }, { read: touch }, { by: "drawings" }, { join: 3 }, { time: touch }, { time: "" },
    { typed: { countx: touch } }, { clips: { grid: { [touch]: track } } }, { clips: { [touch]: {} } }, tracks({ name: "a\nb" }),
    tracks({ time: touch }), tracks({ play: touch }), tracks({ steps: [[touch, 1, false, ""]] }),
    tracks({ steps: [["r0c0", 1, false, touch]] }), tracks({ events: [[touch, "a"]] }), tracks({ events: [[0, "a\nb"]] }),
  ]) {
    assert.ok(!ofSheet(change), JSON.stringify(change));
  }
  const view = { ...koi.startView };
  assert.ok(koi.isView(view) && sheet.isView({ chosen: "clip 1" }));
  for (const change of [{ chosen: 0 }, { chosen: touch }, { drag: 7 }, { under: touch }, { chosenFrame: 9 }]) {
    assert.ok(!koi.isView({ ...view, ...change }), JSON.stringify(change));
  }
  assert.ok(!sheet.isView({ chosen: touch }));
});

test("any name is a name, those of the language too", () => {
  const koi = set();
  const history = createHistory(koi.start, () => 0);
  for (const name of ["constructor", "__proto__", "toString"]) {
    history.change("", (state) => {
      state.boxes[name] ||= {};
      state.boxes[name][1] = [0, 0, 1, 1];
    });
    assert.deepEqual(koi.boxesOf(history.state, 1)[name], [0, 0, 1, 1]);
    assert.match(outcome(koi, history.state).perFrame, new RegExp(`koi-01,box,${name},"0,0,1,1"`));
  }
  const again = decodeState(encodeState(history.state));
  assert.ok(koi.isState(again));
  assert.equal(outcome(koi, again).perFrame, outcome(koi, history.state).perFrame);
  assert.equal({}.polluted, undefined);
});

test("a clock keeps its place through pauses and changes of speed", () => {
  let now = 1000;
  const clock = createClock(() => now);
  now += 500;
  assert.equal(clock.seconds(), 0.5);
  clock.play(false);
  now += 9000;
  assert.equal(clock.seconds(), 0.5);
  clock.play(true);
  clock.settle();
  clock.speed = 2;
  now += 250;
  assert.equal(clock.seconds(), 1);
  clock.seek(7);
  assert.equal(clock.seconds(), 7);
});

test("times are set to a thousandth of a millisecond, and others stay", () => {
  const clip = { timescale: 12, steps: [{ ticks: 1 }, { ticks: 2 }, { ticks: 1 }] };
  setStepTime(clip, 1, 80);
  const millis = clip.steps.map(({ ticks }) => (ticks * 1000) / clip.timescale);
  assert.deepEqual(millis.map((time) => +time.toFixed(3)), [83.333, 80, 83.333]);
  assert.equal(clip.steps[0].ticks * 12, clip.timescale, "exactly a twelfth");
  assert.ok(!setStepTime({ timescale: 4294967291, steps: [{ ticks: 1 }, { ticks: 2 }] }, 0, 33.333));
});
