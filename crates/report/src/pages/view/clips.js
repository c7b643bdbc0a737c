// The page that plays every clip, and shows frames, pages and findings.
import { formatPlay } from "../model/clip_text.js";
import { createClock, neighborTime, numberFrames, stepAt, timelineOf } from "../model/timeline.js";
import { bytes, count, milliseconds } from "../model/words.js";
import { $, decoded, loadImages, make, pageData } from "./dom.js";
import { createPanel } from "./nine.js";
import { createPainter, drawBox, drawOutlines, drawPivot, extentOf, sizedContext } from "./paint.js";
import { HIGHLIGHT, strokeTwice } from "./paint.js";
import { bindBackground, bindRoving, bindSpeed, createLoop, createPlayers } from "./player.js";
import { isKeyOf, keepFocusInSight, mayMove } from "./player.js";

const data = pageData();
const { manifest, pages } = data;
const { frames } = manifest;
const clips = manifest.clips || [];
const images = loadImages(pages.map((page) => page.png));
const look = {
  zoom: 4,
  behind: "checker",
  color: "#2c4a5a",
  pivot: false,
  boxes: false,
  outlines: false,
  onion: false,
};
const time = createClock(() => performance.now(), mayMove());
const painter = createPainter(images, look);
const { numbers, bySprite } = numberFrames(frames);
const places = new Map(frames.map((frame, at) => [frame, at]));
const BYTES_PER_PIXEL = 4;

// ---- what plays, and what is still
const players = createPlayers("200px", () => wake());
const wake = createLoop(
  () => players.draw(),
  () => time.playing && [...players.seen].some(({ clip }) => clip),
);

const drawMarks = (context, frame, x, y, zoom, isMirrored) => {
  const across = (at) => (isMirrored ? 2 * frame.pivot[0] - at : at);
  if (look.outlines) drawOutlines(context, frame, (px, py) => [x + across(px) * zoom, y + py * zoom]);
  for (const [left, top, width, height] of Object.values(look.boxes ? frame.boxes || {} : {})) {
    const at = isMirrored ? 2 * frame.pivot[0] - left - width : left;
    drawBox(context, [x + at * zoom, y + top * zoom, width, height], zoom, false);
  }
  if (look.pivot) drawPivot(context, x + frame.pivot[0] * zoom, y + frame.pivot[1] * zoom, false);
};

const clipFigure = (clip) => {
  const timeline = timelineOf(clip);
  const figure = make("figure");
  const canvas = make("canvas", null, "stage");
  const [now, event] = [make("span", "", "what"), make("span", "", "event")];
  const extent = extentOf(timeline.steps, (step) => frames[step.frame]);
  const total = timeline.steps.length;
  const player = { clip, timeline, canvas, visible: false, drawn: -1 };
  player.draw = (force) => {
    const at = total > 1 || force ? stepAt(timeline, clip, time.seconds()) : 0;
    if (!force && at === player.drawn) return;
    player.drawn = at;
    const { zoom } = look;
    const context = sizedContext(canvas, extent.width * zoom, extent.height * zoom);
    painter.drawBackground(context, canvas.width, canvas.height, zoom);
    for (const near of look.onion && total > 1 ? [total - 1, 1] : []) {
      const other = timeline.steps[(at + near) % total];
      painter.drawStep(context, frames[other.frame], other.mirror, extent, zoom, 0.28);
    }
    const step = timeline.steps[at];
    const frame = frames[step.frame];
    const [x, y] = painter.drawStep(context, frame, step.mirror, extent, zoom, 1);
    drawMarks(context, frame, x, y, zoom, step.mirror);
    now.textContent = `step ${at}, ${frame.name}, ${milliseconds(step.ticks / clip.timescale)}`;
    event.textContent = step.event ? ` ${step.event}` : "";
  };
  canvas.tabIndex = -1;
  canvas.setAttribute("role", "img");
  const parts = [count(clip.steps.length, "step"), milliseconds(timeline.seconds), formatPlay(clip)];
  canvas.setAttribute("aria-label", `clip ${clip.name} of ${clip.sprite}: ${parts.join(", ")}`);
  canvas.addEventListener("click", () => toggle());
  figure.dataset.clip = clips.indexOf(clip);
  const caption = make("figcaption");
  caption.append(make("strong", clip.name), event, make("span", parts.join(", "), "what"), now);
  figure.append(canvas, caption);
  players.add(player);
  return figure;
};

// What is painted once, when it is first seen; and again when the look changes.
const stills = [];
const addStill = (canvas, paint) => {
  stills.push(() => paint());
  const player = { canvas, drawn: -1, visible: false };
  player.draw = () => {
    if (player.drawn === 0) return;
    player.drawn = 0;
    paint();
  };
  players.add(player);
  return canvas;
};

const stillOf = (frame, isMirrored) => {
  const canvas = make("canvas");
  canvas.setAttribute("role", "img");
  canvas.setAttribute("aria-label", frame.name);
  const zoom = Math.max(1, Math.min(4, Math.floor(112 / Math.max(...frame.canvas))));
  return addStill(canvas, () => {
    const context = sizedContext(canvas, frame.canvas[0] * zoom, frame.canvas[1] * zoom);
    painter.drawBackground(context, canvas.width, canvas.height, zoom);
    context.save();
    if (isMirrored) {
      context.translate(canvas.width, 0);
      context.scale(-1, 1);
    }
    painter.drawFrame(context, frame, 0, 0, zoom);
    drawMarks(context, frame, 0, 0, zoom, false);
    context.restore();
  });
};

// ---- sections of the page
const main = $("main");

const showSums = () => {
  const seconds = clips.reduce((sum, clip) => sum + timelineOf(clip).seconds, 0);
  const onDisk = pages.reduce((sum, page) => sum + (page.bytes || 0), 0);
  const [before, after] = data.memory;
  $("title").textContent = data.title;
  $("sums").textContent = [
    count(bySprite.size, "sprite"),
    count(frames.length, "frame"),
    count(clips.length, "clip") + (clips.length ? ` of ${+seconds.toFixed(2)} s` : ""),
    count(pages.length, "page") + (onDisk ? ` of ${bytes(onDisk)} on disk` : ""),
    `texture memory ${bytes(after)}, ${bytes(before)} as separate untrimmed frames`,
  ].join(" · ");
};

// Frames per row element; the browser skips elements that are out of sight.
const PART = 60;
const framesSection = (title, shown, isClip) => {
  const rows = [];
  shown.forEach(({ frame, time, mirror }, at) => {
    if (at % PART === 0) rows.push(make("div", null, "frames"));
    const ends = [isClip && at === 0 ? "starts" : "", isClip && at === shown.length - 1 ? "ends" : ""];
    const figure = make("figure", null, ends.join(" ").trim());
    const cell = frame.source && frame.source.cell ? ` ${frame.source.cell}` : "";
    const caption = `${numbers.get(frame)}${cell}${time ? ` · ${time}` : ""}`;
    figure.append(stillOf(frame, mirror), make("figcaption", caption));
    figure.title = frame.name;
    rows.at(-1).append(figure);
  });
  const head = make("h3", title);
  main.append(head, ...rows);
  return [head, ...rows];
};
// The elements of each clip and sprite, for the filter.
const stepsOfClip = new Map();
const sections = [];

const spriteSection = (sprite, own) => {
  const head = make("h2", sprite);
  const figures = new Map();
  const rest = [];
  main.append(head);
  const mine = clips.filter((clip) => clip.sprite === sprite);
  if (mine.length) {
    const row = make("div", null, "clips");
    mine.forEach((clip) => figures.set(clip, clipFigure(clip)));
    row.append(...figures.values());
    main.append(row);
  }
  sections.push({ sprite, head, figures, rest });
  const panels = own.filter((frame) => frame.nine);
  if (panels.length) {
    const row = make("div", null, "frames");
    const title = make("h3", "nine-slices, stretched: drag a corner");
    for (const frame of panels) {
      const panel = createPanel(painter);
      addStill(panel.canvas, () => panel.show(frame));
      row.append(panel.figure);
    }
    main.append(title, row);
    rest.push(title, row);
  }
  for (const clip of mine) {
    const step = ({ frame, ticks, mirror }) => {
      return { frame: frames[frame], time: milliseconds(ticks / clip.timescale), mirror };
    };
    stepsOfClip.set(clip, framesSection(`${clip.name}, step by step`, clip.steps.map(step), true));
  }
  const played = new Set(mine.flatMap((clip) => clip.steps.map((step) => step.frame)));
  const others = own.filter((frame) => !played.has(places.get(frame))).map((frame) => ({ frame }));
  const title = `${mine.length ? "frames not in any clip" : "frames"}, ${count(others.length, "frame")}`;
  if (others.length) rest.push(...framesSection(title, others, false));
};

const findingsSection = () => {
  main.append(make("h2", "Findings"));
  if (!data.findings.length) {
    const text = "No problems found: no drawing is cut off, no figure jumps, no frame differs in size.";
    main.append(make("p", text, "good"));
  }
  for (const { level, rule, of, frames: named, message, remedy } of data.findings) {
    const some = named.slice(0, 4).join(", ") + (named.length > 4 ? ", …" : "");
    const where = named.length > 1 ? `${count(named.length, "frame")} (${some})` : some;
    const box = make("div", null, `finding ${level}`);
    const head = make("strong", `${level === "look" ? "worth a look" : level}: ${rule}`);
    box.append(head, make("span", ` in ${of}, ${where}: ${message}`), make("code", remedy));
    main.append(box);
  }
};

const pageSection = (page, number) => {
  const [width, height] = manifest.pages[number].size;
  const onDisk = page.bytes ? `, ${bytes(page.bytes)} on disk` : "";
  const memory = `${bytes(width * height * BYTES_PER_PIXEL)} of texture memory`;
  const under = make("p", "Hover over a frame to see its name.", "under");
  const sheet = make("div", null, "sheet");
  const zoom = width <= 520 ? 2 : 1;
  const mine = frames.filter((frame) => frame.page === number && frame.rect[2]);
  const canvas = make("canvas");
  canvas.setAttribute("role", "img");
  canvas.setAttribute("aria-label", `${page.name}, with ${count(mine.length, "frame")}`);
  sheet.tabIndex = 0;
  sheet.setAttribute("role", "group");
  sheet.setAttribute("aria-label", `${page.name}: arrow keys scroll it`);
  const paint = (marked) => {
    const context = sizedContext(canvas, width * zoom, height * zoom);
    painter.drawBackground(context, canvas.width, canvas.height, 2);
    context.imageSmoothingEnabled = false;
    context.drawImage(images[number], 0, 0, canvas.width, canvas.height);
    if (!marked) return;
    const [x, y, w, h] = marked.rect.map((pixels) => pixels * zoom);
    strokeTwice(context, HIGHLIGHT, 1, () => context.strokeRect(x - 0.5, y - 0.5, w + 1, h + 1));
  };
  canvas.addEventListener("pointermove", (event) => {
    const box = canvas.getBoundingClientRect();
    const x = ((event.clientX - box.left) / box.width) * width;
    const y = ((event.clientY - box.top) / box.height) * height;
    const isHit = ({ rect: [left, top, w, h] }) => x >= left && y >= top && x < left + w && y < top + h;
    const hits = mine.filter(isHit);
    const name = (frame) => `${frame.sprite}:${frame.name} at ${frame.rect.join(", ")}`;
    under.textContent = hits.map(name).join("; ") || `${Math.floor(x)}, ${Math.floor(y)}: no frame`;
    paint(hits[0]);
  });
  canvas.addEventListener("pointerleave", () => paint());
  sheet.append(addStill(canvas, paint));
  main.append(make("h3", `${page.name}: ${width}×${height} px${onDisk}, ${memory}`), sheet, under);
};

// `heads` are titles; one that ends in # is of numbers.
const table = (name, heads, rows) => {
  const isNumber = (column) => heads[column].endsWith("#");
  const line = (tag, texts) => {
    const row = make("tr");
    texts.forEach((text, column) => row.append(make(tag, text, isNumber(column) ? "number" : "")));
    return row;
  };
  const [box, element, head, body] = [make("div", null, "scroll"), make("table"), make("thead"), make("tbody")];
  const titles = heads.map((title) => title.replace("#", ""));
  head.append(line("th", titles));
  body.append(...rows.map((row) => line("td", row)));
  element.append(head, body);
  box.append(element);
  box.tabIndex = 0;
  box.setAttribute("role", "group");
  box.setAttribute("aria-label", `Table of ${name}`);
  return box;
};

const clipRow = (clip) => {
  const events = clip.steps.flatMap((step, at) => (step.event ? [`${at} ${step.event}`] : []));
  const time = milliseconds(timelineOf(clip).seconds);
  return [clip.sprite, clip.name, clip.steps.length, time, formatPlay(clip), events.join(", ")];
};
const frameRow = (frame) => [
  frame.sprite,
  frame.name,
  numbers.get(frame),
  frame.page,
  frame.rect.join(", "),
  frame.canvas.join("×"),
  (frame.inset || [0, 0]).join(", "),
  frame.pivot.join(", "),
];

showSums();
for (const [sprite, own] of bySprite) spriteSection(sprite, own);
findingsSection();
main.append(make("h2", "Pages"));
pages.forEach(pageSection);
if (clips.length) {
  main.append(make("h2", "Clips"));
  main.append(table("clips", ["sprite", "clip", "steps#", "time#", "play", "events"], clips.map(clipRow)));
}
main.append(make("h2", "Frames"));
const frameHeads = ["sprite", "frame", "number#", "page#", "x, y, width, height#", "canvas#", "inset#", "pivot#"];
main.append(table("frames", frameHeads, frames.map(frameRow)), make("p", ""));

// ---- controls
const redraw = () => {
  players.redraw();
  stills.forEach((paint) => paint());
};
const showPlaying = () => {
  $("play").textContent = time.playing ? "Pause" : "Play";
};
const toggle = () => {
  time.play(!time.playing);
  showPlaying();
  wake();
};
// A step for the clip in focus is to its own next beginning; the others go along with the clock.
const step = (by) => {
  if (time.playing) toggle();
  const all = [...players.players].filter(({ clip }) => clip);
  const focused = all.find(({ canvas }) => canvas === document.activeElement) || all.find(({ visible }) => visible);
  if (!focused && !all.length) return;
  const { timeline, clip } = focused || all[0];
  time.seek(neighborTime(timeline, clip, time.base, by));
  wake();
};
const setZoom = (zoom) => {
  look.zoom = Math.max(1, Math.min(12, zoom));
  $("zoom").value = look.zoom;
  $("zoom").setAttribute("aria-valuetext", `${look.zoom} times`);
  $("zoom-is").textContent = `${look.zoom}×`;
  players.redraw();
};
const setMark = (name, isShown) => {
  look[name] = $(name).checked = isShown;
  redraw();
};
$("play").addEventListener("click", toggle);
$("back").addEventListener("click", () => step(-1));
$("on").addEventListener("click", () => step(1));
$("zoom").addEventListener("input", (event) => setZoom(+event.target.value));
for (const name of ["pivot", "boxes", "outlines", "onion"]) {
  $(name).addEventListener("change", (event) => setMark(name, event.target.checked));
}
bindBackground(look, $("behind"), $("color"), redraw);
keepFocusInSight($("bar"), null);
$("bar").addEventListener("submit", (event) => event.preventDefault());
const KEYS = {
  " ": toggle,
  arrowleft: () => step(-1),
  arrowright: () => step(1),
  "+": () => setZoom(look.zoom + 1),
  "=": () => setZoom(look.zoom + 1),
  "-": () => setZoom(look.zoom - 1),
  ...bindSpeed(time, $("speed"), $("speed-is")),
  p: () => setMark("pivot", !look.pivot),
  b: () => setMark("boxes", !look.boxes),
  n: () => setMark("outlines", !look.outlines),
  o: () => setMark("onion", !look.onion),
};
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  const act = KEYS[event.key.toLowerCase()];
  if (!act || isKeyOf(event)) return;
  event.preventDefault();
  act();
});

// One Tab stop for all clips; up and down go from clip to clip, left and right from step to step.
const settleClips = bindRoving(main, "canvas.stage", { ArrowUp: -1, ArrowDown: 1, Home: -Infinity, End: Infinity });
// With more clips than this there is a field to find one.
const MANY_CLIPS = 8;
const filterClips = () => {
  const wanted = $("filter").value.trim().toLowerCase();
  let shown = 0;
  for (const { sprite, head, figures, rest } of sections) {
    let isAny = false;
    for (const [clip, figure] of figures) {
      const isShown = `${sprite}:${clip.name}`.toLowerCase().includes(wanted);
      for (const element of [figure, ...stepsOfClip.get(clip)]) element.hidden = !isShown;
      isAny ||= isShown;
      shown += isShown;
    }
    const isSprite = sprite.toLowerCase().includes(wanted);
    for (const element of rest) element.hidden = !isSprite;
    head.hidden = !isAny && !isSprite;
  }
  $("found").textContent = wanted ? `${shown} of ${count(clips.length, "clip")}` : "";
  settleClips();
};
$("find").hidden = clips.length <= MANY_CLIPS;
$("filter").addEventListener("input", filterClips);
filterClips();

const largest = frames.reduce((most, frame) => Math.max(most, ...frame.canvas), 1);
setZoom(Math.max(1, Math.min(6, Math.floor(260 / largest))));
showPlaying();
decoded(images).then(() => {
  redraw();
  document.body.dataset.ready = "yes";
});
// For tests: which step a clip shows this many seconds after its start.
window.stepOf = (name, seconds) => {
  const clip = clips.find((one) => one.name === name);
  return stepAt(timelineOf(clip), clip, seconds);
};
window.stopAt = (seconds) => {
  if (time.playing) toggle();
  time.seek(seconds);
  players.redraw();
};
