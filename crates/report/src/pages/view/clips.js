// The page that plays every clip, and shows frames, pages and findings.
import { createClock, numberFrames, playbackOf, stepAt, timelineOf } from "../model/timeline.js";
import { bytes, count, milliseconds } from "../model/words.js";
import { $, decoded, loadImages, make, pageData } from "./dom.js";
import { createPainter, drawBox, drawPivot, extentOf, HIGHLIGHT, sizedContext, strokeTwice } from "./paint.js";
import { bindBackground, createPlayers } from "./player.js";

const data = pageData();
const { manifest, pages } = data;
const { frames } = manifest;
const clips = manifest.clips || [];
const images = loadImages(pages.map((page) => page.png));
const look = { zoom: 4, behind: "checker", color: "#2c4a5a", pivot: false, boxes: false, onion: false };
const time = createClock(() => performance.now());
const painter = createPainter(images, look);
const { numbers, bySprite } = numberFrames(frames);
const places = new Map(frames.map((frame, at) => [frame, at]));
const BYTES_PER_PIXEL = 4;

// ---- what plays, and what is still
const players = createPlayers("200px", (player) => player.draw(true));

const drawMarks = (context, frame, x, y, zoom, isMirrored) => {
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
  canvas.tabIndex = 0;
  canvas.setAttribute("role", "img");
  canvas.setAttribute("aria-label", `clip ${clip.name} of ${clip.sprite}, playing`);
  canvas.addEventListener("click", () => toggle());
  const parts = [count(clip.steps.length, "step"), milliseconds(timeline.seconds), playbackOf(clip).join(", ")];
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

const framesSection = (title, shown, isClip) => {
  const row = make("div", null, "frames");
  shown.forEach(({ frame, time, mirror }, at) => {
    const ends = [isClip && at === 0 ? "starts" : "", isClip && at === shown.length - 1 ? "ends" : ""];
    const figure = make("figure", null, ends.join(" ").trim());
    const cell = frame.source && frame.source.cell ? ` ${frame.source.cell}` : "";
    const caption = `${numbers.get(frame)}${cell}${time ? ` · ${time}` : ""}`;
    figure.append(stillOf(frame, mirror), make("figcaption", caption));
    figure.title = frame.name;
    row.append(figure);
  });
  main.append(make("h3", title), row);
};

const spriteSection = (sprite, own) => {
  main.append(make("h2", sprite));
  const mine = clips.filter((clip) => clip.sprite === sprite);
  if (mine.length) {
    const row = make("div", null, "clips");
    mine.forEach((clip) => row.append(clipFigure(clip)));
    main.append(row);
  }
  for (const clip of mine) {
    const step = ({ frame, ticks, mirror }) => {
      return { frame: frames[frame], time: milliseconds(ticks / clip.timescale), mirror };
    };
    framesSection(`${clip.name}, step by step`, clip.steps.map(step), true);
  }
  const played = new Set(mine.flatMap((clip) => clip.steps.map((step) => step.frame)));
  const rest = own.filter((frame) => !played.has(places.get(frame))).map((frame) => ({ frame }));
  const title = `${mine.length ? "frames not in any clip" : "frames"}, ${count(rest.length, "frame")}`;
  if (rest.length) framesSection(title, rest, false);
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
const table = (heads, rows) => {
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
  return box;
};

const clipRow = (clip) => {
  const events = clip.steps.flatMap((step, at) => (step.event ? [`${at} ${step.event}`] : []));
  const time = milliseconds(timelineOf(clip).seconds);
  return [clip.sprite, clip.name, clip.steps.length, time, playbackOf(clip).join(", "), events.join(", ")];
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
  main.append(table(["sprite", "clip", "steps#", "time#", "play", "events"], clips.map(clipRow)));
}
main.append(make("h2", "Frames"));
const frameHeads = ["sprite", "frame", "number#", "page#", "x, y, width, height#", "canvas#", "inset#", "pivot#"];
main.append(table(frameHeads, frames.map(frameRow)), make("p", ""));

// ---- controls
const clipPlayers = () => players.players.filter((player) => player.clip);
const drawAll = () => {
  for (const player of clipPlayers()) if (player.visible) player.draw(true);
};
const redraw = () => {
  drawAll();
  stills.forEach((paint) => paint());
};
const toggle = () => {
  time.play(!time.playing);
  $("play").textContent = time.playing ? "Pause" : "Play";
  drawAll();
};
// A step for the clip in focus is to its own next beginning; the others go along with the clock.
const step = (by) => {
  time.settle();
  if (time.playing) toggle();
  const all = clipPlayers();
  const focused = all.find(({ canvas }) => canvas === document.activeElement) || all.find(({ visible }) => visible);
  if (!focused && !all.length) return;
  const { timeline, clip } = focused || all[0];
  const at = stepAt(timeline, clip, time.base);
  const startOf = (step) => (step <= 0 ? 0 : timeline.ends[step - 1]);
  let round = Math.floor(time.base / timeline.seconds + 1e-9) * timeline.seconds;
  let goal = startOf(at - 1);
  if (by > 0) goal = timeline.ends[at];
  else if (at === 0) {
    goal = startOf(timeline.steps.length - 1);
    round = Math.max(0, round - timeline.seconds);
  }
  time.seek(timeline.steps.length === 1 ? 0 : round + goal / clip.timescale);
  drawAll();
};
const setSpeed = (power) => {
  time.settle();
  time.speed = 2 ** power;
  $("speed").value = power;
  $("speed-is").textContent = `${time.speed}×`;
};
const setZoom = (zoom) => {
  look.zoom = Math.max(1, Math.min(12, zoom));
  $("zoom").value = look.zoom;
  $("zoom-is").textContent = `${look.zoom}×`;
  drawAll();
};
const setMark = (name, isShown) => {
  look[name] = $(name).checked = isShown;
  redraw();
};
$("play").addEventListener("click", toggle);
$("back").addEventListener("click", () => step(-1));
$("on").addEventListener("click", () => step(1));
$("speed").addEventListener("input", (event) => setSpeed(+event.target.value));
$("zoom").addEventListener("input", (event) => setZoom(+event.target.value));
for (const name of ["pivot", "boxes", "onion"]) {
  $(name).addEventListener("change", (event) => setMark(name, event.target.checked));
}
bindBackground(look, $("behind"), $("color"), redraw);
$("bar").addEventListener("submit", (event) => event.preventDefault());
const KEYS = {
  " ": toggle,
  ArrowLeft: () => step(-1),
  ArrowRight: () => step(1),
  "+": () => setZoom(look.zoom + 1),
  "=": () => setZoom(look.zoom + 1),
  "-": () => setZoom(look.zoom - 1),
  "[": () => setSpeed(Math.max(-3, Math.log2(time.speed) - 1)),
  "]": () => setSpeed(Math.min(2, Math.log2(time.speed) + 1)),
  p: () => setMark("pivot", !look.pivot),
  b: () => setMark("boxes", !look.boxes),
  o: () => setMark("onion", !look.onion),
};
document.addEventListener("keydown", (event) => {
  const { target } = event;
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (/^(INPUT|SELECT)$/.test(target.tagName) && target.type !== "checkbox") return;
  const act = KEYS[event.key] || KEYS[event.key.toLowerCase()];
  if (!act || (target.tagName === "BUTTON" && event.key === " ")) return;
  event.preventDefault();
  act();
});

const largest = frames.reduce((most, frame) => Math.max(most, ...frame.canvas), 1);
setZoom(Math.max(1, Math.min(6, Math.floor(260 / largest))));
decoded(images).then(() => {
  redraw();
  const run = () => {
    if (time.playing) for (const player of clipPlayers()) if (player.visible) player.draw();
    requestAnimationFrame(run);
  };
  run();
  document.body.dataset.ready = "yes";
});
// For tests: which step a clip shows this many seconds after its start.
window.stepOf = (name, seconds) => {
  const clip = clips.find((one) => one.name === name);
  return stepAt(timelineOf(clip), clip, seconds);
};
window.stopAt = (seconds) => {
  if (time.playing) toggle();
  time.base = seconds;
  drawAll();
};
