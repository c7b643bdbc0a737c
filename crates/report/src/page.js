// The page that plays every clip, and shows frames, pages and findings.
const data = JSON.parse(document.getElementById("data").textContent);
const { manifest, pages } = data;
const frames = manifest.frames, clips = manifest.clips || [];
const images = pages.map((page) => Object.assign(new Image(), { src: page.png }));

const state = { zoom: 4, behind: "checker", color: "#2c4a5a", pivot: false, boxes: false, onion: false };
const time = clock(), { place, behind, marks, room, lay } = painter(images, state);
const players = [];

const draw = (player, force) => {
  const at = player.line.steps.length > 1 || force ? stepAt(player.line, player.clip, time.now()) : 0;
  if (!force && at === player.drawn) return;
  player.drawn = at;
  const { canvas, where, line } = player, zoom = state.zoom, context = canvas.getContext("2d");
  if (canvas.width !== where.width * zoom) { canvas.width = where.width * zoom; canvas.height = where.height * zoom; }
  context.clearRect(0, 0, canvas.width, canvas.height);
  behind(context, canvas.width, canvas.height, zoom);
  const step = line.steps[at], total = line.steps.length;
  if (state.onion && total > 1) {
    for (const near of [total - 1, 1]) {
      const other = line.steps[(at + near) % total];
      lay(context, frames[other.frame], other, where, zoom, .28);
    }
  }
  const frame = frames[step.frame], [x, y] = lay(context, frame, step, where, zoom, 1);
  marks(context, frame, x, y, zoom, step.mirror);
  player.now.textContent = `step ${at}, ${frame.name}, ${ms(step.ticks / player.clip.timescale)}`;
  player.event.textContent = step.event ? ` ${step.event}` : "";
};
const drawAll = () => { for (const player of players) if (player.visible) draw(player, true); };
const tick = () => {
  if (time.playing) for (const player of players) if (player.visible) draw(player, false);
  requestAnimationFrame(tick);
};

// ---- what is seen is drawn
const watcher = new IntersectionObserver((entries) => {
  for (const entry of entries) {
    const thing = entry.target.thing;
    if (thing.drawStill) {
      if (entry.isIntersecting) { thing.drawStill(); watcher.unobserve(entry.target); }
    } else {
      thing.visible = entry.isIntersecting;
      if (thing.visible) draw(thing, true);
    }
  }
}, { rootMargin: "200px" });

const still = (frame, mirror) => {
  const canvas = make("canvas"), zoom = Math.max(1, Math.min(4, Math.floor(112 / Math.max(...frame.canvas))));
  canvas.width = frame.canvas[0] * zoom; canvas.height = frame.canvas[1] * zoom;
  const paint = () => {
    const context = canvas.getContext("2d");
    behind(context, canvas.width, canvas.height, zoom);
    context.save();
    if (mirror) { context.translate(canvas.width, 0); context.scale(-1, 1); }
    place(context, frame, 0, 0, zoom);
    marks(context, frame, 0, 0, zoom, false);
    context.restore();
  };
  canvas.thing = { drawStill: paint };
  stills.push(paint);
  watcher.observe(canvas);
  return canvas;
};
const stills = [];

// ---- the document
const { numbers, bySprite } = census(frames);
const clipFigure = (clip) => {
  const line = timeline(clip), figure = make("figure"), canvas = make("canvas", null, "stage");
  const player = { clip, line, canvas, where: room(frames, line.steps), now: make("span", "", "what"), event: make("span", "", "event"), visible: false, drawn: -1 };
  canvas.tabIndex = 0;
  canvas.setAttribute("role", "img");
  canvas.setAttribute("aria-label", `clip ${clip.name} of ${clip.sprite}, playing`);
  canvas.thing = player;
  canvas.addEventListener("click", () => toggle());
  const caption = make("figcaption");
  caption.append(make("strong", clip.name), player.event, make("span", `${count(clip.steps.length, "step")}, ${ms(line.seconds)}, ${way(clip)}`, "what"), player.now);
  figure.append(canvas, caption);
  players.push(player);
  watcher.observe(canvas);
  return figure;
};
const table = (heads, rows) => {
  const box = make("div", null, "scroll"), element = make("table"), head = make("tr");
  heads.forEach(([text, isNumber]) => head.append(make("th", text, isNumber ? "number" : "")));
  element.append(make("thead")); element.firstChild.append(head);
  const body = make("tbody");
  for (const row of rows) {
    const line = make("tr");
    row.forEach((text, at) => line.append(make("td", text, heads[at][1] ? "number" : "")));
    body.append(line);
  }
  element.append(body); box.append(element); box.tabIndex = 0;
  return box;
};
const main = $("main");
$("title").textContent = data.title;
const places = new Map(frames.map((frame, at) => [frame, at]));
const whole = clips.reduce((sum, clip) => sum + timeline(clip).seconds, 0);
const onDisk = pages.reduce((sum, page) => sum + (page.bytes || 0), 0);
const [before, after] = data.memory;
$("sums").textContent = [count(bySprite.size, "sprite"), count(frames.length, "frame"), count(clips.length, "clip") + (clips.length ? ` of ${+whole.toFixed(2)} s` : ""),
  count(pages.length, "page") + (onDisk ? ` of ${bytes(onDisk)} on disk` : ""), `texture memory ${bytes(after)}, ${bytes(before)} as separate untrimmed frames`].join(" · ");

for (const [sprite, own] of bySprite) {
  main.append(make("h2", sprite));
  const mine = clips.filter((clip) => clip.sprite === sprite);
  if (mine.length) {
    const row = make("div", null, "clips");
    mine.forEach((clip) => row.append(clipFigure(clip)));
    main.append(row);
  }
  const groups = mine.map((clip) => [clip.name, clip.steps.map((step) => [frames[step.frame], ms(step.ticks / clip.timescale), step.mirror]), true]);
  const played = new Set(mine.flatMap((clip) => clip.steps.map((step) => step.frame)));
  const rest = own.filter((frame) => !played.has(places.get(frame)));
  if (rest.length) groups.push([mine.length ? "frames not in any clip" : "frames", rest.map((frame) => [frame, ""]), false]);
  for (const [name, list, isClip] of groups) {
    main.append(make("h3", `${name}, ${isClip ? "step by step" : count(list.length, "frame")}`));
    const row = make("div", null, "frames");
    list.forEach(([frame, time, mirror], at) => {
      const figure = make("figure", null, isClip ? (at === 0 ? "starts" : "") + (at === list.length - 1 ? " ends" : "") : "");
      const cell = frame.source && frame.source.cell ? ` ${frame.source.cell}` : "";
      figure.append(still(frame, mirror), make("figcaption", `${numbers.get(frame)}${cell}${time ? ` · ${time}` : ""}`));
      figure.title = frame.name;
      row.append(figure);
    });
    main.append(row);
  }
}

main.append(make("h2", "Findings"));
if (!data.findings.length) main.append(make("p", "No problems found: no drawing is cut off, no figure jumps, no frame differs in size.", "good"));
for (const finding of data.findings) {
  const box = make("div", null, `finding ${finding.level}`);
  const { frames: named } = finding, shown = named.slice(0, 4).join(", ") + (named.length > 4 ? ", …" : "");
  const where = named.length > 1 ? `${count(named.length, "frame")} (${shown})` : shown;
  box.append(make("strong", `${finding.level === "look" ? "worth a look" : finding.level}: ${finding.rule}`), make("span", ` in ${finding.of}, ${where}: ${finding.message}`), make("code", finding.remedy));
  main.append(box);
}

main.append(make("h2", "Pages"));
pages.forEach((page, number) => {
  const entry = manifest.pages[number], [width, height] = entry.size;
  main.append(make("h3", `${page.name}: ${width}×${height} px${page.bytes ? `, ${bytes(page.bytes)} on disk` : ""}, ${bytes(width * height * 4)} of texture memory`));
  const under = make("p", "Hover over a frame to see its name.", "under"), sheet = make("div", null, "sheet"), canvas = make("canvas");
  const zoom = width <= 520 ? 2 : 1;
  canvas.width = width * zoom; canvas.height = height * zoom;
  const mine = frames.filter((frame) => frame.page === number && frame.rect[2]);
  const paint = (marked) => {
    const context = canvas.getContext("2d");
    behind(context, canvas.width, canvas.height, 2);
    context.imageSmoothingEnabled = false;
    context.drawImage(images[number], 0, 0, canvas.width, canvas.height);
    if (!marked) return;
    const [x, y, w, h] = marked.rect.map((n) => n * zoom);
    context.lineWidth = 3; context.strokeStyle = "#10131a"; context.strokeRect(x - .5, y - .5, w + 1, h + 1);
    context.lineWidth = 1; context.strokeStyle = "#ffe05c"; context.strokeRect(x - .5, y - .5, w + 1, h + 1);
  };
  canvas.addEventListener("pointermove", (event) => {
    const box = canvas.getBoundingClientRect();
    const x = (event.clientX - box.left) / box.width * width, y = (event.clientY - box.top) / box.height * height;
    const hits = mine.filter(({ rect }) => x >= rect[0] && y >= rect[1] && x < rect[0] + rect[2] && y < rect[1] + rect[3]);
    under.textContent = hits.length ? hits.map((frame) => `${frame.sprite}:${frame.name} at ${frame.rect.join(", ")}`).join("; ") : `${Math.floor(x)}, ${Math.floor(y)}: no frame`;
    paint(hits[0]);
  });
  canvas.addEventListener("pointerleave", () => paint());
  canvas.thing = { drawStill: paint };
  stills.push(() => paint());
  watcher.observe(canvas);
  sheet.append(canvas);
  main.append(sheet, under);
});

if (clips.length) {
  main.append(make("h2", "Clips"));
  main.append(table([["sprite"], ["clip"], ["steps", true], ["time", true], ["play"], ["events"]], clips.map((clip) =>
    [clip.sprite, clip.name, clip.steps.length, ms(timeline(clip).seconds), way(clip), clip.steps.flatMap((step, at) => step.event ? [`${at} ${step.event}`] : []).join(", ")])));
}
main.append(make("h2", "Frames"));
main.append(table([["sprite"], ["frame"], ["number", true], ["page", true], ["x, y, width, height", true], ["canvas", true], ["inset", true], ["pivot", true]], frames.map((frame) =>
  [frame.sprite, frame.name, numbers.get(frame), frame.page, frame.rect.join(", "), frame.canvas.join("×"), (frame.inset || [0, 0]).join(", "), frame.pivot.join(", ")])));
main.append(make("p", ""));

// ---- controls
const toggle = () => {
  time.play(!time.playing);
  $("play").textContent = time.playing ? "Pause" : "Play";
  drawAll();
};
// A step for the clip in focus is to its own next beginning; the others go along with the clock.
const step = (by) => {
  time.settle();
  if (time.playing) toggle();
  const focused = players.find((player) => player.canvas === document.activeElement) || players.find((player) => player.visible) || players[0];
  if (!focused) return;
  const { line, clip } = focused, at = stepAt(line, clip, time.base), total = line.steps.length;
  const start = at === 0 ? 0 : line.ends[at - 1];
  const round = Math.floor(time.base / line.seconds + 1e-9) * line.seconds;
  const goal = by > 0 ? line.ends[at] : at === 0 ? line.ends[total - 2] ?? 0 : at === 1 ? 0 : line.ends[at - 2];
  time.base = (by < 0 && at === 0 ? Math.max(0, round - line.seconds) : round) + goal / clip.timescale;
  if (start === goal && total === 1) time.base = 0;
  time.since = performance.now();
  drawAll();
};
const setSpeed = (power) => {
  time.settle(); time.speed = 2 ** power; $("speed").value = power;
  $("speed-is").textContent = `${time.speed}×`;
};
const setZoom = (zoom) => {
  state.zoom = Math.max(1, Math.min(12, zoom)); $("zoom").value = state.zoom;
  $("zoom-is").textContent = `${state.zoom}×`; drawAll();
};
const redraw = () => { drawAll(); stills.forEach((paint) => paint()); };
const flip = (name) => { state[name] = !state[name]; $(name).checked = state[name]; redraw(); };
$("play").addEventListener("click", toggle);
$("back").addEventListener("click", () => step(-1));
$("on").addEventListener("click", () => step(1));
$("speed").addEventListener("input", (event) => setSpeed(+event.target.value));
$("zoom").addEventListener("input", (event) => setZoom(+event.target.value));
$("behind").addEventListener("change", (event) => { state.behind = event.target.value; redraw(); });
$("color").addEventListener("input", (event) => { state.color = event.target.value; state.behind = $("behind").value = "color"; redraw(); });
for (const name of ["pivot", "boxes", "onion"]) $(name).addEventListener("change", (event) => { state[name] = event.target.checked; redraw(); });
$("bar").addEventListener("submit", (event) => event.preventDefault());
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || /^(INPUT|SELECT)$/.test(event.target.tagName) && event.target.type !== "checkbox") return;
  const keys = { " ": toggle, ArrowLeft: () => step(-1), ArrowRight: () => step(1), "+": () => setZoom(state.zoom + 1), "=": () => setZoom(state.zoom + 1), "-": () => setZoom(state.zoom - 1),
    "[": () => setSpeed(Math.max(-3, Math.log2(time.speed) - 1)), "]": () => setSpeed(Math.min(2, Math.log2(time.speed) + 1)), p: () => flip("pivot"), b: () => flip("boxes"), o: () => flip("onion") };
  const act = keys[event.key] || keys[event.key.toLowerCase()];
  if (!act || event.target.tagName === "BUTTON" && event.key === " ") return;
  event.preventDefault(); act();
});
matchMedia("(prefers-color-scheme: dark)").addEventListener("change", redraw);

const largest = frames.reduce((most, frame) => Math.max(most, ...frame.canvas), 1);
setZoom(Math.max(1, Math.min(6, Math.floor(260 / largest))));
Promise.all(images.map((image) => image.decode().catch(() => {}))).then(() => { redraw(); requestAnimationFrame(tick); document.body.dataset.ready = "yes"; });
// For tests: which step a clip shows this many seconds after its start.
window.stepOf = (name, seconds) => { const clip = clips.find((one) => one.name === name); return stepAt(timeline(clip), clip, seconds); };
window.stopAt = (seconds) => { if (time.playing) toggle(); time.base = seconds; drawAll(); };
