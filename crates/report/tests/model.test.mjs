// The model of the pages against what the program does: `node --test crates/report/tests/model.test.mjs`. The vectors are written by
// `cargo test -p shibori vectors`; UPDATE=1 writes the texts of clips, which that test reads back.
import assert from "node:assert/strict";
import { readFileSync, writeFileSync } from "node:fs";
import { test } from "node:test";

import { formatClip, formatFrames, nameProblem, parseFrames, parseRate } from "../src/pages/model/clip_text.js";
import { createHistory, decodeState, digestOf, encodeState } from "../src/pages/model/history.js";
import { pasteable, pasteablePath, tomlKey, tomlString } from "../src/pages/model/quoting.js";
import { createSet } from "../src/pages/model/set.js";
import { createSheet } from "../src/pages/model/sheet.js";
import { createClock, setStepTime, stepAt, stepNumber, stepsPlayed, timelineOf } from "../src/pages/model/timeline.js";

const file = (name) => new URL(name, import.meta.url);
const vectors = JSON.parse(readFileSync(file("vectors.json")));

test("words are quoted as the program quotes them", () => {
  assert.ok(vectors.quoting.length > 20);
  for (const { word, pasted, path, toml, key } of vectors.quoting) {
    assert.equal(pasteable(word, false), pasted);
    assert.equal(pasteablePath(word, false), path);
    assert.equal(tomlString(word), toml);
    assert.equal(tomlKey(word), key);
  }
  assert.equal(pasteable("it's $5", true), "'it''s $5'");
});

test("lists of frames are read as the program reads them, and written so that they read the same", () => {
  assert.ok(vectors.frames.some(({ steps }) => !steps) && vectors.frames.some(({ steps }) => steps));
  for (const { text, steps } of vectors.frames) {
    const read = parseFrames(text, 11);
    assert.deepEqual(read, steps, text);
    if (read) assert.deepEqual(parseFrames(formatFrames(read), 11), read, text);
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

test("clips are written as texts that the program reads back", () => {
  const texts = vectors.clips.map(({ clip }) => formatClip(clip, (frame) => frame));
  if (process.env.UPDATE) writeFileSync(file("clip-texts.json"), `${JSON.stringify(texts, null, 2)}\n`);
  assert.deepEqual(texts, JSON.parse(readFileSync(file("clip-texts.json"))));
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
  state.clips["row 0"] = { ...sheet.clipOf(state, "row 0"), name: "swim", play: "once" };
  const derived = sheet.derive(state, false);
  assert.deepEqual(derived.cells.map(({ number }) => number), [0, 1, -1, 2]);
  const { command, lines } = sheet.outcome(state, derived, PAGE);
  const cut = 'shibori slice "art/koi pond.png" --grid 4x1 --cell 2x2 --clip "swim = 0-2 @10fps once" -o koi';
  assert.equal(command, cut);
  assert.deepEqual(lines.split("\n"), [
    "[sprite.koi]",
    'from = "art/koi pond.png"',
    'slice = { grid = "4x1", cell = "2x2" }',
    'clips = { swim = "0-2 @10fps once" }',
  ]);
  state.clips["clip 1"] = { ...sheet.clipOf(state, "clip 1"), name: "swim", cells: [["r0c0", 1]] };
  assert.equal(sheet.outcome(state, sheet.derive(state, false), PAGE).problem, "two clips are called swim");
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
const IN_PLACE = { ...PAGE, source: "koi", perFrame: "koi-per-frame.csv", hasManifest: true, inPlace: true };

test("moves, pivots and boxes come out as options or as lines of a per-frame file", () => {
  const koi = set();
  const state = structuredClone(koi.start);
  assert.equal(koi.outcome(state, IN_PLACE).command, "");
  for (const at of [0, 1, 2]) state.pivots[at] = [2, 3.5];
  assert.equal(koi.outcome(state, IN_PLACE).command, "shibori adjust koi --pivot 2px,3.5px --in-place");
  // A drawing that is pushed over the edge makes every canvas larger, and all that is measured goes along.
  state.moves[0] = [-2, 0];
  const { command, perFrame } = koi.outcome(state, IN_PLACE);
  assert.equal(command, "shibori adjust koi --pivot 4px,3.5px --per-frame koi-per-frame.csv --in-place");
  assert.equal(perFrame, "frame,kind,name,values\nkoi-00,shift,,-2,0\n");
  const { frames } = koi.resultOf(state);
  assert.deepEqual(frames[0].canvas, [6, 4]);
  assert.deepEqual([frames[0].drawn, frames[1].drawn], [[0, 0, 4, 4], [3, 1, 2, 2]]);
  state.boxes.hit = { 1: [0, 0, 1, 1] };
  assert.match(koi.outcome(state, IN_PLACE).perFrame, /koi-01,box,hit,2,0,1,1\n$/);
});

test("a clip that changed is written with its events, and one that is only renamed isn't", () => {
  const koi = set();
  const state = structuredClone(koi.start);
  const clip = structuredClone(koi.allClips[0]);
  state.clips[0] = { ...clip, name: "glide" };
  assert.equal(koi.outcome(state, IN_PLACE).command, "shibori clip koi --rename swim=glide");
  setStepTime(state.clips[0], 0, 120);
  const { command, lines } = koi.outcome(state, IN_PLACE);
  const changed = '--clip "glide = 0x6,1x5 @50fps" --event glide@1=splash';
  assert.equal(command, `shibori clip koi --rename swim=glide ${changed}`);
  assert.match(lines, /clips = \{ glide = "0x6,1x5 @50fps" \}/);
  state.clips[0].name = "";
  assert.equal(koi.outcome(state, IN_PLACE).problem, "give the changed clip a name");
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
  const clip = JSON.parse(JSON.stringify(koi.allClips[0]));
  const ofSet = (change) => koi.isState({ ...structuredClone(koi.start), ...change });
  const ofSheet = (change) => sheet.isState({ ...structuredClone(sheet.start), ...change });
  const grid = (change) => ({ grid: { ...sheet.start.grid, ...change } });
  const right = { moves: { 0: [-3, 4] }, pivots: { 2: [1.5, 9] }, boxes: { hit: { 1: [-1, 2, 3, 4] } }, clips: { 0: clip } };
  assert.ok(ofSet({}) && ofSet(right) && ofSheet({}));
  const track = { name: "swim", cells: [["r0c0", 2]], play: "once", fps: "12.5" };
  assert.ok(ofSheet({ clips: { "row 0": track, "clip 1": { ...track, cells: null } }, chosen: "clip 1" }));
  const touch = "1; touch F #";
  for (const change of [
    { moves: { 0: [touch, 0] } }, { moves: { 3: [1, 1] } }, { moves: [[1, 1]] }, { moves: { 0: [1.5, 0] } },
    { pivots: { 0: [1, null] } }, { pivots: { 0: [1e9, 0] } }, { pivots: { x: [1, 1] } },
    { boxes: { "a\nb": { 0: [0, 0, 1, 1] } } }, { boxes: { hit: { 0: [0, 0, 0, 1] } } }, { boxes: { hit: { 0: [0, 0, 1, touch] } } },
    { clips: { 0: { ...clip, timescale: touch } } }, { clips: { 0: { ...clip, sprite: touch } } },
    { clips: { 0: { ...clip, steps: [] } } }, { clips: { 0: { ...clip, steps: [{ frame: 9, ticks: 1 }] } } },
    { clips: { 1: clip } }, { clips: null }, { chosen: -1 }, { chosen: "0" }, { drag: 7 }, { under: touch },
  ]) {
    assert.ok(!ofSet(change), JSON.stringify(change));
  }
  for (const change of [
    grid({ count: [8, 4, touch] }), grid({ count: [touch, 4] }), grid({ cell: [0, 4] }), grid({ offset: null }), { grid: null },
    { within: [0, 0, 8, touch] }, { read: touch }, { by: "drawings" }, { join: 3 }, { fps: touch }, { typed: { countx: touch } },
    { clips: { [touch]: track } }, { clips: { "row 0": { ...track, name: "a\nb" } } }, { clips: { "row 0": { ...track, fps: touch } } },
    { clips: { "row 0": { ...track, cells: [[touch, 1]] } } }, { chosen: touch },
  ]) {
    assert.ok(!ofSheet(change), JSON.stringify(change));
  }
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
    assert.match(koi.outcome(history.state, IN_PLACE).perFrame, new RegExp(`koi-01,box,${name},0,0,1,1`));
  }
  const again = decodeState(encodeState(history.state));
  assert.ok(koi.isState(again));
  assert.equal(koi.outcome(again, IN_PLACE).perFrame, koi.outcome(history.state, IN_PLACE).perFrame);
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

test("rates and names that can't be are refused", () => {
  assert.deepEqual(["12", "7.5", " 24 "].map(parseRate), [[12, 1], [75, 10], [24, 1]]);
  assert.deepEqual(["0", "", "x", "1e3", "-4", "12345"].map(parseRate), Array(6).fill(null));
  for (const name of ["a=b", "a@b", "a:b", "-a", " a", "a\n", "x".repeat(201)]) assert.notEqual(nameProblem(name), "");
  for (const name of ["swim", "swim fast", "鯉"]) assert.equal(nameProblem(name), "");
});

test("times are set to a thousandth of a millisecond, and others stay", () => {
  const clip = { timescale: 12, steps: [{ ticks: 1 }, { ticks: 2 }, { ticks: 1 }] };
  setStepTime(clip, 1, 80);
  const millis = clip.steps.map(({ ticks }) => (ticks * 1000) / clip.timescale);
  assert.deepEqual(millis.map((time) => +time.toFixed(3)), [83.333, 80, 83.333]);
});
