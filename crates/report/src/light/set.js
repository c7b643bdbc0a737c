// The light table of frames that are cut: every clip plays, and the frames of one lie over each other to be pushed, timed and measured.
const { manifest, pages, drawn } = data.set;
const frames = manifest.frames, clips = manifest.clips || [];
const images = pages.map((page) => Object.assign(new Image(), { src: page }));
const { place, behind, room } = painter(images, look);
const { numbers, bySprite } = census(frames);
const isSeveral = bySprite.size > 1;
const sprites = [...bySprite.keys()];
const spriteOf = frames.map((frame) => frame.sprite);
const inset = (frame) => frame.inset || [0, 0];

// ---- the state holds what differs from the manifest. Moves are of the drawing; boxes are kept as they lie on the drawing that was
// not yet moved, so that they go along; pivots lie on the canvas as it is.
const start = { of: [frames.length, clips.length, "set"], moves: {}, pivots: {}, boxes: {}, clips: {}, chosen: 0, under: "before", chosenFrame: 0, drag: "drawing" };
const change = table.change;
const places = new Map(frames.map((frame, at) => [frame, at])), placeOf = (frame) => places.get(frame);
const shiftOf = (at, state = table.state) => state.moves[at] || [0, 0];
const pivotOf = (at, state = table.state) => state.pivots[at] || frames[at].pivot;
const boxesOf = (at, state = table.state) => {
  const own = { ...frames[at].boxes };
  for (const [name, by] of Object.entries(state.boxes)) if (by[at]) own[name] = by[at];
  return own;
};
const boxOf = (at, name) => boxesOf(at)[name];
// Where it is seen on the canvas.
const seenBox = (at, name) => { const box = boxOf(at, name), [dx, dy] = shiftOf(at); return box && [box[0] + dx, box[1] + dy, box[2], box[3]]; };
// A set without clips has each sprite's frames as one, to be looked at; it is no clip until something about it is changed.
const made = clips.length ? [] : sprites.map((sprite) => ({ name: "", sprite, play: "forward", plays: 0, timescale: 1000, steps: bySprite.get(sprite).map((frame) => ({ frame: placeOf(frame), ticks: 100 })) }));
const all = clips.length ? clips : made;
const clipOf = (at, state = table.state) => state.clips[at] || all[at];

// ---- what becomes of canvases: they grow with a drawing that is pushed over the edge, all of a sprite alike.
const growths = (state) => {
  const found = new Map(sprites.map((sprite) => [sprite, [0, 0, 0, 0]]));
  for (const [at, [x, y]] of Object.entries(state.moves)) {
    const box = drawn[at], grown = found.get(spriteOf[at]), [wide, high] = frames[at].canvas;
    if (!box) continue;
    [-(box[0] + x), -(box[1] + y), box[0] + box[2] + x - wide, box[1] + box[3] + y - high].forEach((out, side) => { grown[side] = Math.max(grown[side], out); });
  }
  return found;
};

// ---- the commands
const nameOf = (at) => frames.filter((frame) => frame.name === frames[at].name).length > 1 ? `${spriteOf[at]}:${frames[at].name}` : frames[at].name;
const timeOf = ({ steps, timescale }) => {
  const gcd = (a, b) => b ? gcd(b, a % b) : a;
  const unit = steps.map((step) => step.ticks).reduce(gcd);
  // A rate with few decimals says times of any timescale exactly; else thousandths of a second do, or a rate of the finest unit.
  const fps = timescale / unit, short = +fps.toFixed(3);
  const isHeld = steps.every((step) => step.ticks / unit <= 60);
  if (short * unit === timescale && isHeld && short <= 1000) return { each: (step) => step.ticks / unit, after: ` @${short}fps` };
  const millis = (step) => +(step.ticks * 1000 / timescale).toFixed(3);
  if (steps.every((step) => Math.abs(millis(step) * timescale - step.ticks * 1000) < 1e-6)) return { millis, after: "" };
  return { each: (step) => step.ticks / unit, after: ` @${short}fps` };
};
const specOf = (clip) => {
  const { each, millis, after } = timeOf(clip), steps = clip.steps;
  let list;
  if (each) list = told(steps.map((step) => [numbers.get(frames[step.frame]), each(step)]));
  else {
    const runs = [];
    for (const step of steps) {
      const last = runs[runs.length - 1], time = millis(step);
      if (last && last[0] === time) last[1].push(step); else runs.push([time, [step]]);
    }
    list = runs.map(([time, own]) => told(own.map((step) => [numbers.get(frames[step.frame]), 1])).split(",").map((part) => `${part}@${time}ms`).join(",")).join(",");
  }
  const plays = clip.play === "bounce" ? clip.plays ? ` bounce ${clip.plays}` : " bounce" : clip.plays === 1 ? " once" : clip.plays ? ` loop ${clip.plays}` : "";
  return `${list}${after}${plays}${steps.every((step) => step.mirror) ? " mirrored" : ""}`;
};
const fullName = (clip, name = clip.name) => isSeveral ? `${clip.sprite}:${name}` : name;
const tidy = (n) => +n.toFixed(3);
const outcome = (state) => {
  const grown = growths(state), moved = ([x, y], at) => { const [left, top] = grown.get(spriteOf[at]); return [tidy(x + left), tidy(y + top)]; };
  const lines = [], every = frames.map((_, at) => at), word = (at) => cell(nameOf(at));
  for (const [at, [x, y]] of Object.entries(state.moves)) if (x || y) lines.push(`${word(at)},shift,,${x},${y}`);
  const isMoved = lines.length > 0;
  const shape = [];
  // In a recipe the pivot may be measured, and would follow a drawing that is pushed.
  const isHeld = (at) => data.in_recipe && isMoved && !state.pivots[at];
  for (const at of every.filter(isHeld)) lines.push(`${word(at)},pivot,,${moved(frames[at].pivot, at).join(",")}`);
  const pivots = Object.keys(state.pivots), finals = every.map((at) => moved(pivotOf(at, state), at).join("px,") + "px");
  if (pivots.length === frames.length && finals.every((one) => one === finals[0])) shape.push(["pivot", finals[0]]);
  else for (const at of pivots) lines.push(`${word(at)},pivot,,${moved(state.pivots[at], at).join(",")}`);
  for (const [name, by] of Object.entries(state.boxes)) {
    const place = (at) => { const [x, y, w, h] = by[at], [dx, dy] = shiftOf(at, state); return [...moved([x + dx, y + dy], at), w, h]; };
    const own = Object.keys(by), first = own.length ? place(own[0]).join() : "";
    if (own.length === frames.length && own.every((at) => place(at).join() === first) && /^[\p{L}\p{N}_-]+$/u.test(name)) shape.push(["box", `${name}=${first}`]);
    else for (const at of own) lines.push(`${word(at)},box,${cell(name)},${place(at).join(",")}`);
  }
  if (lines.length) shape.push(["per-frame", data.per_frame]);
  const specs = [], renames = [], events = [];
  for (const at of Object.keys(state.clips)) {
    const clip = state.clips[at], was = clips[at];
    if (!clip.name) continue;
    if (was && was.name !== clip.name) renames.push(`${fullName(was)}=${clip.name}`);
    const same = was && JSON.stringify({ ...was, name: clip.name }) === JSON.stringify(clip);
    if (same) continue;
    specs.push([fullName(clip), specOf(clip)]);
    clip.steps.forEach((step, n) => { if (step.event) events.push(`${fullName(clip)}@${n}=${step.event}`); });
  }
  const names = all.map((_, at) => fullName(clipOf(at, state))), twin = names.find((name, at) => names.indexOf(name) !== at && name && all.length === clips.length);
  const unnamed = Object.keys(state.clips).some((at) => !state.clips[at].name);
  const wrong = twin ? `two clips are called ${twin}` : unnamed ? "give the changed clip a name" : "";
  if (wrong) return { command: "", lines: "", wrong };
  const options = shape.map(([name, value]) => ` --${name} ${pasteable(value)}`).join("");
  const clipOptions = [...renames.map((one) => ` --rename ${pasteable(one)}`), ...specs.map(([name, spec]) => ` --clip ${pasteable(`${name} = ${spec}`)}`), ...events.map((one) => ` --event ${pasteable(one)}`)].join("");
  const commands = [], source = pasteablePath(data.source);
  if (data.in_recipe) { if (options || clipOptions) commands.push("shibori build"); } else if (data.has_manifest) {
    const target = data.in_place ? "--in-place" : `-o ${pasteablePath(data.output)}`;
    if (options) commands.push(`shibori adjust ${source}${options} ${target}`);
    if (clipOptions) commands.push(`shibori clip ${options && !data.in_place ? pasteablePath(data.output) : source}${clipOptions}`);
  } else if (options || clipOptions) commands.push(`shibori slice ${source}${options}${clipOptions} -o ${pasteablePath(data.output)}`);
  const recipe = [];
  const touched = sprites.filter((sprite) => shape.length || Object.values(state.clips).some((clip) => clip.sprite === sprite));
  for (const sprite of touched) {
    recipe.push(`[sprite.${tomlKey(sprite)}]`);
    if (!isSeveral && data.source) recipe.push(`from = ${toml(data.source)}`);
    if (shape.length) recipe.push(`shape = { ${shape.map(([name, value]) => `${name} = ${toml(value)}`).join(", ")} }`);
    const mine = Object.values(state.clips).filter((clip) => clip.sprite === sprite && clip.name);
    if (mine.length) recipe.push(`clips = { ${mine.map((clip) => `${tomlKey(clip.name)} = ${toml(specOf(clip))}`).join(", ")} }`);
  }
  return { command: commands.join("\n"), lines: recipe.join("\n"), perFrame: lines.length ? `frame,kind,name,values\n${lines.join("\n")}\n` : "", hint: "no changes yet; drag, nudge or type, and the command will appear here", isMoved };
};

// ---- drawing
const shownFrame = (at) => {
  const frame = frames[at], [x, y] = shiftOf(at), [ix, iy] = inset(frame);
  return { ...frame, inset: [ix + x, iy + y], pivot: pivotOf(at) };
};
const layOut = (steps) => {
  const where = room(frames.map((frame, at) => table.state.pivots[at] ? { ...frame, pivot: pivotOf(at) } : frame), steps);
  // Drawings that were pushed over the edge are still seen.
  let [left, top, right, bottom] = [where.left, where.top, where.left + where.width, where.top + where.height];
  for (const { frame: at } of steps) {
    const [dx, dy] = shiftOf(at), [wide, high] = frames[at].canvas, [px, py] = pivotOf(at).map(Math.floor);
    if (!dx && !dy) continue;
    left = Math.min(left, dx - px); top = Math.min(top, dy - py); right = Math.max(right, wide + dx - px); bottom = Math.max(bottom, high + dy - py);
  }
  return { left, top, width: right - left, height: bottom - top };
};
const lay = (context, step, where, zoom, alpha) => {
  const frame = shownFrame(step.frame), [px, py] = frame.pivot.map(Math.floor);
  const x = (-px - where.left) * zoom, y = (-py - where.top) * zoom;
  context.save();
  context.globalAlpha = alpha;
  if (step.mirror) { context.translate(2 * (-where.left + frame.pivot[0] - px) * zoom, 0); context.scale(-1, 1); }
  place(context, frame, x, y, zoom);
  context.restore();
  return [frame, x, y];
};
const sized = (canvas, where, zoom) => {
  const [w, h] = [Math.max(1, Math.round(where.width * zoom)), Math.max(1, Math.round(where.height * zoom))];
  if (canvas.width !== w || canvas.height !== h) { canvas.width = w; canvas.height = h; }
  const context = canvas.getContext("2d");
  behind(context, w, h, Math.max(1, zoom));
  return context;
};

// ---- all clips, small and playing
const gallery = $("gallery"), small = [];
const smallOf = (at) => {
  const box = make("figure"), press = button("", () => choose(at), "clip"), canvas = make("canvas"), caption = make("figcaption"), name = make("strong"), what = make("span", null, "what");
  press.append(canvas); caption.append(name, what); box.append(press, caption); gallery.append(box);
  const player = watched({
    canvas, box, drawn: -1, visible: false,
    set: () => {
      const clip = clipOf(at);
      Object.assign(player, { clip, line: timeline(clip), where: layOut(clip.steps), drawn: -1 });
      name.textContent = clip.name ? fullName(clip) : `${clip.sprite}, not a clip yet`;
      what.textContent = `${count(clip.steps.length, "step")}, ${ms(player.line.seconds)}, ${way(clip)}`;
      press.setAttribute("aria-label", `Edit ${name.textContent}`);
    },
    draw: (force) => {
      const { line, clip, where } = player, step = stepAt(line, clip, time.now());
      if (step === player.drawn && !force) return;
      player.drawn = step;
      const zoom = fitting([where.width, where.height], [120, 72]);
      lay(sized(canvas, where, zoom), line.steps[step], where, zoom, 1);
    },
  });
  small.push(player);
};
all.forEach((_, at) => smallOf(at));

// ---- the table: one clip, its frames over each other
const stage = $("stage"), now = $("now"), column = stage.parentElement.parentElement;
let chosenBox = "", zoom = null, frozen = null;
const current = () => {
  const clip = clipOf(table.state.chosen), line = timeline(clip);
  return { clip, line, step: frozen === null ? stepAt(line, clip, time.now()) : Math.min(frozen, line.steps.length - 1) };
};
const stepNumber = ({ clip, step }) => { const n = clip.steps.length; return step < n ? step : 2 * n - 2 - step; };
const big = {
  canvas: stage, drawn: -1, visible: true, where: null,
  set: () => { const clip = clipOf(table.state.chosen); big.where = layOut(clip.steps); big.drawn = -1; },
  draw: (force) => {
    const { clip, line, step } = current();
    if (step === big.drawn && !force) return;
    big.drawn = step;
    const { where } = big, scale = zoom ?? fitting([where.width, where.height], [Math.max(120, column.clientWidth - 2), Math.max(220, innerHeight * .4)]);
    big.zoom = scale;
    const context = sized(stage, where, scale), { under } = table.state, total = line.steps.length;
    const faint = under === "none" ? [] : under === "before" ? [step + total - 1] : under === "after" ? [step + 1] : under === "both" ? [step + total - 1, step + 1]
      : under === "all" ? line.steps.map((_, n) => n).filter((n) => n !== step) : [];
    const alpha = under === "all" ? Math.max(.06, .5 / Math.max(1, total)) : .32;
    for (const n of faint) lay(context, line.steps[n % total], where, scale, alpha);
    if (under === "one") lay(context, { frame: table.state.chosenFrame, ticks: 1 }, where, scale, .32);
    const own = line.steps[step], [frame, x, y] = lay(context, own, where, scale, 1);
    marksOn(context, own, frame, x, y, scale);
    now.textContent = `step ${stepNumber({ clip, step })}: frame ${numbers.get(frames[own.frame])} ${frames[own.frame].name}, ${ms(own.ticks / clip.timescale)}${own.event ? `, ${own.event}` : ""}${shiftOf(own.frame).some(Boolean) ? `, moved ${shiftOf(own.frame).join(", ")} px` : ""}`;
    if (strip.shown !== step) { strip.shown = step; [...$("strip").children].forEach((block, n) => block.classList.toggle("now", n === stepNumber({ clip, step }))); }
    step_time.refresh(); zoomField.refresh();
  },
};
const marksOn = (context, step, frame, x, y, scale) => {
  const { drag } = table.state, [dx, dy] = shiftOf(step.frame);
  for (const [name, [left, top, w, h]] of Object.entries(boxesOf(step.frame))) {
    const at = step.mirror ? 2 * frame.pivot[0] - (left + dx) - w : left + dx, isOwn = drag === `box ${name}`;
    for (const [width, tone] of [[isOwn ? 5 : 3, "#10131a"], [isOwn ? 3 : 1, isOwn ? "#ffe05c" : "#ffa95e"]]) {
      context.lineWidth = width; context.strokeStyle = tone;
      context.strokeRect(Math.round(x + at * scale) + .5, Math.round(y + (top + dy) * scale) + .5, Math.round(w * scale) - 1, Math.round(h * scale) - 1);
    }
  }
  const px = Math.round(x + frame.pivot[0] * scale) + .5, py = Math.round(y + frame.pivot[1] * scale) + .5, far = drag === "pivot" ? 11 : 7;
  for (const [width, tone] of [[3, "#10131a"], [1, drag === "pivot" ? "#ffe05c" : "#ffffff"]]) {
    context.lineWidth = width; context.strokeStyle = tone;
    context.beginPath(); context.moveTo(px - far, py); context.lineTo(px + far, py); context.moveTo(px, py - far); context.lineTo(px, py + far); context.stroke();
  }
};
const choose = (at) => { frozen = null; change("", (state) => { state.chosen = at; if (state.drag.startsWith("box ") && !boxNames().includes(state.drag.slice(4))) state.drag = "drawing"; }); };

// Moves what is dragged by this many pixels: the drawing of this step alone, pivot and box in all frames of the clip.
const framesOf = (clip) => [...new Set(clip.steps.map((step) => step.frame))];
const push = (x, y, key, isDrag) => {
  const { clip, line, step } = current(), own = line.steps[step], way = own.mirror ? -x : x;
  change(key, (state) => {
    if (state.drag === "drawing") {
      const [dx, dy] = shiftOf(own.frame, state);
      if (dx + way || dy + y) state.moves[own.frame] = [dx + way, dy + y]; else delete state.moves[own.frame];
      return;
    }
    const members = isEvery.checked ? frames.map((_, at) => at) : framesOf(clip);
    if (state.drag === "pivot") for (const at of members) { const [px, py] = pivotOf(at, state); state.pivots[at] = [tidy(px + way), tidy(py + y)]; }
    else {
      const name = state.drag.slice(4);
      state.boxes[name] ||= {};
      for (const at of members) { const box = boxesOf(at, state)[name]; if (box) state.boxes[name][at] = [box[0] + way, box[1] + y, box[2], box[3]]; }
    }
  }, isDrag);
};
const stretch = (w, h, key) => {
  const name = table.state.drag.slice(4), members = isEvery.checked ? frames.map((_, at) => at) : framesOf(current().clip);
  change(key, (state) => {
    state.boxes[name] ||= {};
    for (const at of members) { const box = boxesOf(at, state)[name]; if (box) state.boxes[name][at] = [box[0], box[1], Math.max(1, box[2] + w), Math.max(1, box[3] + h)]; }
  }, true);
};
let drag = null;
stage.addEventListener("pointerdown", (event) => {
  if (event.button) return;
  const { state } = table, { line, step } = current(), own = line.steps[step];
  // A drawing is pushed in the step that is seen; pivot and boxes are dragged while it plays.
  if (state.drag === "drawing" && time.playing) { frozen = step; }
  const box = stage.getBoundingClientRect(), scale = box.width / stage.width * big.zoom;
  let isCorner = false;
  if (state.drag.startsWith("box ")) {
    const found = boxOf(own.frame, state.drag.slice(4));
    if (found) {
      const [dx, dy] = shiftOf(own.frame), pivot = pivotOf(own.frame).map(Math.floor);
      const right = (found[0] + found[2] + dx - pivot[0] - big.where.left) * scale, bottom = (found[1] + found[3] + dy - pivot[1] - big.where.top) * scale;
      isCorner = Math.hypot(event.clientX - box.left - right, event.clientY - box.top - bottom) < 12;
    }
  }
  drag = { at: [event.clientX, event.clientY], done: [0, 0], scale, key: `drag ${event.timeStamp}`, isCorner };
  stage.setPointerCapture(event.pointerId);
});
stage.addEventListener("pointermove", (event) => {
  if (!drag) return;
  const to = [0, 1].map((axis) => Math.round(([event.clientX, event.clientY][axis] - drag.at[axis]) / drag.scale)), by = [to[0] - drag.done[0], to[1] - drag.done[1]];
  if (!by[0] && !by[1]) return;
  drag.done = to;
  if (drag.isCorner) stretch(...by, drag.key); else push(...by, drag.key, true);
});
const drop = () => { if (drag && frozen !== null && time.playing) { hold(frozen); } drag = null; };
stage.addEventListener("pointerup", drop);
stage.addEventListener("pointercancel", drop);
// The step that was pushed stays in sight.
const hold = (step) => {
  if (time.playing) toggle();
  const { line, clip } = current();
  frozen = null; time.settle();
  time.base = (step ? line.ends[step - 1] : 0) / clip.timescale; time.since = performance.now();
  big.drawn = -1;
};
const walk = (by) => { const { line, step } = current(); hold((step + by + line.steps.length) % line.steps.length); };
stage.addEventListener("keydown", (event) => {
  if (event.key === " ") { event.preventDefault(); toggle(); return; }
  if (event.key === "," || event.key === ".") { event.preventDefault(); walk(event.key === "," ? -1 : 1); return; }
  const way = nudge(event);
  if (!way) return;
  if (table.state.drag === "drawing" && time.playing) hold(current().step);
  push(...way, "nudge", false);
});
$("back").addEventListener("click", () => walk(-1));
$("on").addEventListener("click", () => walk(1));

// ---- numbers of the table
const step_of = () => { const found = current(); return [found.clip.steps[stepNumber(found)], stepNumber(found)]; };
const edit = (key, act) => change(key, (state) => {
  const at = state.chosen, clip = state.clips[at] || JSON.parse(JSON.stringify(all[at]));
  if (act(clip) === false) return;
  state.clips[at] = clip;
});
const own_frame = () => { const { line, step } = current(); return line.steps[step].frame; };
const under = choice("Onion skin", [["none", "none"], ["before", "previous frame"], ["after", "next frame"], ["both", "previous and next"], ["all", "whole clip"], ["one", "one chosen frame"]],
  () => table.state.under, (value) => change("", (state) => { state.under = value; if (value === "one") state.chosenFrame = own_frame(); }));
const lent = numberField("Chosen frame", { max: frames.length - 1 }, () => numbers.get(frames[table.state.chosenFrame]), (value) => {
  const mine = bySprite.get(clipOf(table.state.chosen).sprite);
  if (mine[value]) change("lent", (state) => { state.chosenFrame = placeOf(mine[value]); });
});
const boxNames = () => [...new Set([...framesOf(clipOf(table.state.chosen)).flatMap((at) => Object.keys(boxesOf(at)))])];
const dragged = choice("Drag", [["drawing", "the drawing"], ["pivot", "the pivot"]], () => table.state.drag, (value) => change("", (state) => { state.drag = value; }));
const isEvery = make("input");
isEvery.type = "checkbox";
const every = labelled("all frames, not just this clip", isEvery, "check");
const nearest = (axis, what) => numberField(what, { min: -100000 }, () => shiftOf(own_frame())[axis], (value) => {
  const at = own_frame();
  if (time.playing) hold(current().step);
  change(what, (state) => { const shift = [...shiftOf(at, state)]; shift[axis] = value; if (shift.some(Boolean)) state.moves[at] = shift; else delete state.moves[at]; });
});
const shift_x = nearest(0, "Shift x"), shift_y = nearest(1, "Shift y");
const pivotField = (axis, what) => numberField(what, { min: -100000, step: .5 }, () => pivotOf(own_frame())[axis], (value) => {
  const by = value - pivotOf(own_frame())[axis], members = isEvery.checked ? frames.map((_, at) => at) : framesOf(current().clip);
  change(what, (state) => { for (const at of members) { const pivot = [...pivotOf(at, state)]; pivot[axis] = tidy(pivot[axis] + by); state.pivots[at] = pivot; } });
});
const pivot_x = pivotField(0, "Pivot x"), pivot_y = pivotField(1, "Pivot y");
const boxField = (side, what) => numberField(what, { min: side > 1 ? 1 : -100000 }, () => (seenBox(own_frame(), table.state.drag.slice(4)) || [0, 0, 1, 1])[side], (value) => {
  const name = table.state.drag.slice(4), own = seenBox(own_frame(), name);
  if (!own) return;
  const by = value - own[side], members = isEvery.checked ? frames.map((_, at) => at) : framesOf(current().clip);
  change(what, (state) => {
    state.boxes[name] ||= {};
    for (const at of members) { const box = boxesOf(at, state)[name]; if (box) { const next = [...box]; next[side] = side > 1 ? Math.max(1, next[side] + by) : next[side] + by; state.boxes[name][at] = next; } }
  });
});
const boxFields = ["Box x", "Box y", "Box width", "Box height"].map((what, side) => boxField(side, what));
let newBox = "";
const boxName = textField("New box name", () => newBox, (value, input) => { newBox = value; wrong(input, nameFault(value)); }, "such as body");
const addBox = button("Add a box", () => {
  const name = newBox.trim(), members = isEvery.checked ? frames.map((_, at) => at) : framesOf(current().clip), seen = members.filter((at) => drawn[at]).map((at) => { const [x, y, w, h] = drawn[at], [dx, dy] = shiftOf(at); return [x + dx, y + dy, w, h]; });
  if (!name || nameFault(name)) { say(nameFault(name) || "a box needs a name, such as body"); return; }
  // Round what is drawn, in all of them alike.
  const [left, top] = [0, 1].map((axis) => Math.min(...seen.map((box) => box[axis]))), [right, bottom] = [0, 1].map((axis) => Math.max(...seen.map((box) => box[axis] + box[2 + axis])));
  if (!seen.length) return;
  change("", (state) => { state.boxes[name] = Object.fromEntries(members.map((at) => { const [dx, dy] = shiftOf(at, state); return [at, [left - dx, top - dy, right - left, bottom - top]]; })); state.drag = `box ${name}`; });
});
const clipName = textField("Clip name", () => clipOf(table.state.chosen).name, (value, input) => {
  const why = nameFault(value);
  wrong(input, why);
  if (!why) edit("name", (clip) => { clip.name = value; });
}, "name it to make it a clip");
const clipFrames = textField("Clip frames", () => { const clip = clipOf(table.state.chosen); return told(clip.steps.map((step) => [numbers.get(frames[step.frame]), 1])); }, (value, input) => {
  const mine = bySprite.get(clipOf(table.state.chosen).sprite), steps = read(value, mine.length - 1);
  if (!steps) { wrong(input, `enter frame numbers from 0 to ${mine.length - 1}, such as 0-3,5 or 7x2`); return; }
  wrong(input, "");
  edit("frames", (clip) => {
    const old = [...clip.steps], usual = old[0].ticks, mirror = old.every((step) => step.mirror);
    clip.steps = steps.map(([number, hold], at) => {
      const frame = placeOf(mine[number]), before = old[at] && old[at].frame === frame ? old[at] : null;
      return before && hold === 1 ? before : { frame, ticks: usual * hold, ...(mirror ? { mirror } : {}) };
    });
  });
});
const clipPlay = choice("Play mode", [["loop", "loop"], ["once", "once"], ["bounce", "bounce"]], () => { const clip = clipOf(table.state.chosen); return clip.play === "bounce" ? "bounce" : clip.plays === 1 ? "once" : "loop"; },
  (value) => edit("", (clip) => { clip.play = value === "bounce" ? "bounce" : "forward"; clip.plays = value === "once" ? 1 : 0; }));
const clipRate = textField("Frames per second", () => {
  const { steps, timescale } = clipOf(table.state.chosen), ticks = steps[0].ticks;
  return steps.every((step) => step.ticks === ticks) ? String(+(timescale / ticks).toFixed(3)) : "";
}, (value, input) => {
  const found = rate(value);
  if (!found) { wrong(input, "frames per second must be a number such as 12 or 7.5"); return; }
  wrong(input, ""); edit("fps", (clip) => { clip.timescale = found[0]; for (const step of clip.steps) step.ticks = found[1]; });
}, "varies");
// A time in milliseconds, exact to a thousandth.
const setTime = (clip, n, millis) => {
  const exact = (m) => Math.round(m * 1000), old = clip.timescale;
  if (old !== 1000000) { for (const step of clip.steps) step.ticks = step.ticks * 1000000 / old; clip.timescale = 1000000; }
  if (!clip.steps.every((step) => Number.isInteger(step.ticks))) for (const step of clip.steps) step.ticks = Math.round(step.ticks);
  clip.steps[n].ticks = exact(millis);
  const gcd = (a, b) => b ? gcd(b, a % b) : a, unit = gcd(clip.steps.map((step) => step.ticks).reduce(gcd), 1000000);
  for (const step of clip.steps) step.ticks /= unit;
  clip.timescale = 1000000 / unit;
};
const step_time = numberField("Step duration, ms", { min: 1, max: 600000, step: 1 }, () => { const [step] = step_of(); return +(step.ticks * 1000 / clipOf(table.state.chosen).timescale).toFixed(3); }, (value) => {
  const [, n] = step_of();
  if (time.playing) hold(n);
  edit("time", (clip) => setTime(clip, n, value));
});
const inStep = (act) => () => { const [, n] = step_of(); if (time.playing) hold(n); act(n); };
const shiftStep = (by) => inStep((n) => { edit("", (clip) => { const to = n + by; if (to < 0 || to >= clip.steps.length) return false; const [step] = clip.steps.splice(n, 1); clip.steps.splice(to, 0, step); }); hold(Math.max(0, n + by)); });
const orders = make("p", null, "orders");
orders.append(button("Earlier", shiftStep(-1)), " ", button("Later", shiftStep(1)), " ", button("Double duration", inStep((n) => edit("", (clip) => { clip.steps[n].ticks *= 2; }))), " ",
  button("Duplicate", inStep((n) => edit("", (clip) => { const { event, ...step } = clip.steps[n]; clip.steps.splice(n + 1, 0, step); }))), " ",
  button("Remove", inStep((n) => edit("", (clip) => { if (clip.steps.length < 2) { say("a clip needs at least one step"); return false; } clip.steps.splice(n, 1); }))));

// ---- the strip: one block per step, as wide as it is long
const strip = { shown: -1, of: "" };
const drawStrip = () => {
  const clip = clipOf(table.state.chosen), box = $("strip"), most = Math.max(...clip.steps.map((step) => step.ticks)), unit = Math.max(most / 90, clip.steps.reduce((sum, step) => sum + step.ticks, 0) / Math.max(300, box.clientWidth - 20));
  const now = JSON.stringify([table.state.chosen, clip.steps, clip.timescale, box.clientWidth]);
  if (now === strip.of) return;
  strip.of = now; strip.shown = -1;
  while (box.children.length > clip.steps.length) box.lastChild.remove();
  while (box.children.length < clip.steps.length) {
    const n = box.children.length, block = button("", () => hold(n), "block");
    block.append(make("span"), make("span", null, "edge"));
    block.addEventListener("pointerdown", (event) => {
      if (!event.target.classList.contains("edge")) return;
      event.preventDefault();
      const own = clipOf(table.state.chosen), was = own.steps[n].ticks * 1000 / own.timescale, from = event.clientX, key = `time ${event.timeStamp}`, scale = was / Math.max(8, block.offsetWidth);
      const move = (event) => { const to = Math.max(1, Math.round(was + (event.clientX - from) * scale)); edit(key, (clip) => setTime(clip, n, to)); };
      const up = () => { removeEventListener("pointermove", move); removeEventListener("pointerup", up); };
      addEventListener("pointermove", move); addEventListener("pointerup", up);
    });
    block.addEventListener("keydown", (event) => {
      const way = nudge(event);
      if (way && way[0]) edit("time", (clip) => setTime(clip, n, Math.max(1, Math.round(clip.steps[n].ticks * 1000 / clip.timescale) + way[0])));
    });
    box.append(block);
  }
  clip.steps.forEach((step, n) => {
    const block = box.children[n], shown = ms(step.ticks / clip.timescale);
    block.style.width = `${Math.max(26, Math.round(step.ticks / unit))}px`;
    block.firstChild.textContent = numbers.get(frames[step.frame]);
    block.title = `step ${n}: frame ${numbers.get(frames[step.frame])}, ${shown}; arrow keys or dragging the edge change its duration`;
    block.setAttribute("aria-label", `Step ${n}, frame ${numbers.get(frames[step.frame])}, ${shown}`);
  });
};

const controls = [under, lent, dragged, shift_x, shift_y, pivot_x, pivot_y, ...boxFields, boxName, clipName, clipFrames, clipPlay, clipRate, step_time];
const part = (title, ...parts) => { const box = make("fieldset"); box.append(make("legend", title), ...parts); return box; };
const zoomField = numberField("Zoom", { min: 1, max: 24 }, () => Math.max(1, Math.round(big.zoom || 1)), (value) => { zoom = value; big.draw(true); });
$("table-numbers").append(part("View", under, lent, zoomField), part("Move", dragged, every, shift_x, shift_y, pivot_x, pivot_y, ...boxFields, boxName, addBox), part("Clip", clipName, clipFrames, clipPlay, clipRate, step_time, orders));

const refresh = () => {
  const { state } = table;
  if (state.chosen >= all.length) state.chosen = 0;
  const names = boxNames(), wanted = ["drawing", "pivot", ...names.map((name) => `box ${name}`)];
  if (!wanted.includes(state.drag)) state.drag = "drawing";
  const options = [...dragged.select.options].map((option) => option.value);
  if (options.join("\n") !== wanted.join("\n")) dragged.select.replaceChildren(...wanted.map((value) => Object.assign(make("option", value === "drawing" ? "the drawing of this step" : value === "pivot" ? "the pivot" : `the box ${value.slice(4)}`), { value })));
  small.forEach((player, at) => { player.box.classList.toggle("chosen", at === state.chosen); player.set(); });
  big.set();
  const isBox = state.drag.startsWith("box "), isDrawing = state.drag === "drawing";
  shift_x.hidden = shift_y.hidden = !isDrawing; pivot_x.hidden = pivot_y.hidden = state.drag !== "pivot";
  boxFields.forEach((field) => { field.hidden = !isBox; }); every.hidden = isDrawing; lent.hidden = state.under !== "one";
  drawStrip();
  controls.forEach((one) => one.refresh());
  big.draw(true);
  const clip = clipOf(state.chosen);
  $("on-table").textContent = clip.name ? fullName(clip) : clip.sprite;
  conclude(outcome(state));
};
const again = () => { players.forEach((player) => { player.drawn = -1; }); big.drawn = -1; };
onLook.push(again);
// Fields that follow the step that is seen.
let seen = -1;
const follow = () => {
  big.draw();
  if (!time.playing && big.drawn !== seen) { seen = big.drawn; [shift_x, shift_y, pivot_x, pivot_y, ...boxFields].forEach((one) => one.refresh()); }
  requestAnimationFrame(follow);
};
new ResizeObserver(() => { big.drawn = -1; strip.of = ""; drawStrip(); }).observe($("strip"));
// What the commands for a state will make.
const madeOf = (state) => {
  const grown = growths(state);
  return {
    frames: frames.map((frame, at) => {
      const [left, top, right, bottom] = grown.get(frame.sprite), [px, py] = pivotOf(at, state), [wide, high] = frame.canvas;
      const box = drawn[at], [dx, dy] = shiftOf(at, state);
      const boxes = Object.entries(boxesOf(at, state)).sort().map(([name, [x, y, w, h]]) => [name, [x + dx + left, y + dy + top, w, h]]);
      return { canvas: [wide + left + right, high + top + bottom], pivot: [px + left, py + top], boxes, drawn: box && [box[0] + dx + left, box[1] + dy + top, box[2], box[3]] };
    }),
    clips: all.map((_, at) => clipOf(at, state)).filter(({ name }) => name).map(({ name, sprite, play, plays, timescale, steps }) => [sprite, name, play, plays || 0, steps.map((step) => [step.frame, step.ticks / timescale, Boolean(step.mirror), step.event || ""])]),
  };
};
// For tests.
window.shown = () => madeOf(table.state);
// Once the command was run, the frames are what the address asks for: it must not be asked for twice.
const digest = (value) => { let sum = 0x811c9dc5; for (const letter of JSON.stringify(value)) sum = Math.imul(sum ^ letter.codePointAt(0), 0x01000193) >>> 0; return sum; };
table.signs = (state) => { const [now, then] = [madeOf(start), madeOf(state)]; return { frames: [digest(now.frames), digest(then.frames)], clips: [digest(now.clips), digest(then.clips)] }; };
table.settle = (state, signs) => {
  const now = madeOf(start), isDone = (what) => signs[what][0] !== signs[what][1] && digest(now[what]) === signs[what][1];
  const [framesDone, clipsDone] = [isDone("frames"), isDone("clips")];
  if (framesDone || clipsDone) say("These changes are already applied; this page shows the result.");
  return { ...state, ...(framesDone ? { moves: {}, pivots: {}, boxes: {} } : {}), ...(clipsDone ? { clips: {} } : {}) };
};
$("sums").textContent = [count(bySprite.size, "sprite"), count(frames.length, "frame"), count(clips.length, "clip")].join(" · ");
$("set-part").hidden = false;
table.begin(start, refresh);
Promise.all(images.map((image) => image.decode().catch(() => {}))).then(() => { again(); requestAnimationFrame(tick); requestAnimationFrame(follow); document.body.dataset.ready = "yes"; });
