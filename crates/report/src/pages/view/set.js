// The light table of frames that are cut: every clip plays, and the frames of one are over each other to be pushed,
// timed and measured.
import { outcomeOf } from "../model/changes.js";
import { nameProblem, setStepTime, textProblem } from "../model/clip_text.js";
import { digestOf } from "../model/history.js";
import { createSet } from "../model/set.js";
import { stepAt, stepNumber, timelineOf } from "../model/timeline.js";
import { count, milliseconds, tidy } from "../model/words.js";
import { $, button, decoded, loadImages, make, pageData, zoomToFit } from "./dom.js";
import { checkbox, choice, labelled, numberField, say, textField } from "./fields.js";
import { createPanel } from "./nine.js";
import { createPainter, drawBox, drawOutlines, drawPivot, extentOf, sizedContext } from "./paint.js";
import { bindRoving, bindTouch } from "./player.js";
import { createTable, nudgeOf } from "./table.js";

const data = pageData();
const { pages, drawn } = data.set;
const set = createSet(data.set);
const { frames, bySprite, numberOf } = set;
const images = loadImages(pages);
const signs = (state) => {
  const [now, then] = [set.resultOf(set.start), set.resultOf(state)];
  const both = (what) => [digestOf(now[what]), digestOf(then[what])];
  return { frames: both("frames"), clips: both("clips") };
};
// Once the command was run, the frames are what the address asks for: it must not be asked for twice.
const settle = (state, known) => {
  const now = set.resultOf(set.start);
  const isDone = (what) => known[what][0] !== known[what][1] && digestOf(now[what]) === known[what][1];
  const [framesDone, clipsDone] = [isDone("frames"), isDone("clips")];
  if (framesDone || clipsDone) say("These changes are already applied; this page shows the result.");
  return {
    ...state,
    ...(framesDone ? { moves: {}, pivots: {}, boxes: {} } : {}),
    ...(clipsDone ? { clips: {}, dropped: [] } : {}),
  };
};
const table = createTable(data, set, { refresh: () => refresh(), draw: () => follow(), signs, settle });
const { change, look, time } = table;
const painter = createPainter(images, table.behind);
const page = {
  source: data.source,
  from: data.from,
  output: data.output,
  // Frames of one sprite keep its name, whatever their folder is called.
  sprite: set.sprites.length === 1 && !data.recipe ? set.sprites[0] : data.sprite,
  perFrame: data.per_frame,
  perFrameLines: data.per_frame_lines,
  hasManifest: data.has_manifest,
  inPlace: data.in_place,
  recipe: data.recipe,
  isWindows: data.is_windows,
};
const BOX = "box ";
const shiftOf = (at) => set.shiftOf(table.state, at);
const clipAt = (key) => set.clipOf(table.state, key);
const chosenClip = () => clipAt(table.view.chosen);

// ---- drawing
const extentOfSteps = (steps) =>
  extentOf(
    steps,
    ({ frame }) => ({ ...frames[frame], pivot: set.pivotOf(table.state, frame) }),
    ({ frame }) => shiftOf(frame),
  );
const drawStep = (context, step, extent, zoom, alpha) => {
  const frame = set.frameSeen(table.state, step.frame);
  return [frame, ...painter.drawStep(context, frame, step.mirror, extent, zoom, alpha)];
};
const contextFor = (canvas, extent, zoom) => {
  const context = sizedContext(canvas, extent.width * zoom, extent.height * zoom);
  painter.drawBackground(context, canvas.width, canvas.height, Math.max(1, zoom));
  return context;
};

// ---- all clips, small and playing
const THUMBNAIL = [120, 72];
// With more clips than this there is a field to find one.
const MANY_CLIPS = 8;
const gallery = $("gallery");
const thumbnails = new Map();
const titleOf = (clip) => (clip.name ? set.fullName(clip) : `${clip.sprite}, frames in no clip`);
const thumbnailOf = (key) => {
  const [box, canvas, caption] = [make("figure"), make("canvas"), make("figcaption")];
  const [name, what] = [make("strong"), make("span", null, "what")];
  const press = button("", () => choose(key), "clip");
  press.append(canvas);
  caption.append(name, what);
  box.append(press, caption);
  const player = { canvas, box, press, drawn: -1, visible: false };
  player.set = () => {
    const clip = clipAt(key);
    const timeline = timelineOf(clip);
    Object.assign(player, { clip, timeline, extent: extentOfSteps(clip.steps), drawn: -1 });
    name.textContent = titleOf(clip);
    const parts = [count(clip.steps.length, "step"), milliseconds(timeline.seconds), set.partsOf(clip).play];
    what.textContent = parts.join(", ");
    press.setAttribute("aria-label", `Edit ${name.textContent}`);
    const isChosen = key === table.view.chosen;
    press.setAttribute("aria-pressed", String(isChosen));
    box.classList.toggle("chosen", isChosen);
  };
  player.draw = (force) => {
    const { timeline, clip, extent } = player;
    const step = stepAt(timeline, clip, time.seconds());
    if (step === player.drawn && !force) return;
    player.drawn = step;
    const zoom = zoomToFit([extent.width, extent.height], THUMBNAIL);
    drawStep(contextFor(canvas, extent, zoom), timeline.steps[step], extent, zoom, 1);
  };
  return table.players.add(player);
};
const settleGallery = bindRoving(gallery, "button.clip", {
  ArrowLeft: -1,
  ArrowUp: -1,
  ArrowRight: 1,
  ArrowDown: 1,
  Home: -Infinity,
  End: Infinity,
});
const filterGallery = () => {
  const wanted = $("filter").value.trim().toLowerCase();
  let shown = 0;
  for (const [key, player] of thumbnails) {
    player.box.hidden = !titleOf(clipAt(key)).toLowerCase().includes(wanted);
    shown += !player.box.hidden;
  }
  $("found").textContent = wanted ? `${shown} of ${count(thumbnails.size, "clip")}` : "";
  settleGallery();
};
$("filter").addEventListener("input", filterGallery);
const showGallery = () => {
  const keys = set.keysOf(table.state);
  for (const [key, player] of thumbnails) {
    if (keys.includes(key)) continue;
    table.players.remove(player);
    player.box.remove();
    thumbnails.delete(key);
  }
  keys.forEach((key, at) => {
    if (!thumbnails.has(key)) thumbnails.set(key, thumbnailOf(key));
    const player = thumbnails.get(key);
    player.set();
    if (gallery.children[at] !== player.box) gallery.insertBefore(player.box, gallery.children[at] || null);
  });
  $("find").hidden = keys.length <= MANY_CLIPS;
  filterGallery();
};

// ---- the table: one clip, its frames over each other
const stage = $("stage");
const column = stage.parentElement.parentElement;
const big = { drawn: -1, extent: null, zoom: 1 };
let typedZoom = null;
// The step that is held while a drawing is dragged and the clip plays on.
let frozen = null;
const current = () => {
  const clip = chosenClip();
  if (big.clip !== clip) Object.assign(big, { clip, timeline: timelineOf(clip) });
  const { timeline } = big;
  const step = frozen === null ? stepAt(timeline, clip, time.seconds()) : frozen;
  return { clip, timeline, step: Math.min(step, timeline.steps.length - 1) };
};
const currentFrame = () => {
  const { timeline, step } = current();
  return timeline.steps[step].frame;
};
const currentNumber = () => {
  const { clip, step } = current();
  return stepNumber(clip, step);
};
// Steps that are seen through the one that is shown, and how strongly.
const skinsOf = (under, step, steps) => {
  const total = steps.length;
  const near = { before: [total - 1], after: [1], both: [total - 1, 1] }[under];
  if (near) return near.map((by) => [steps[(step + by) % total], 0.32]);
  if (under === "one") return [[{ frame: table.view.chosenFrame, ticks: 1 }, 0.32]];
  // Of a long clip, only as many as can be told apart.
  const every = Math.ceil(total / MOST_SKINS);
  const alpha = Math.max(0.06, 0.5 / Math.min(total, MOST_SKINS));
  const isSkin = (_, at) => at !== step && at % every === 0;
  return under === "all" ? steps.filter(isSkin).map((one) => [one, alpha]) : [];
};
const MOST_SKINS = 64;
let hasMarks = true;
const drawMarks = (context, step, frame, x, y, zoom) => {
  if (!hasMarks) return;
  const { drag } = table.view;
  const across = (at) => (step.mirror ? 2 * frame.pivot[0] - at : at);
  const [dx, dy] = shiftOf(step.frame);
  drawOutlines(context, frame, (px, py) => [x + across(px + dx) * zoom, y + (py + dy) * zoom]);
  for (const name of Object.keys(set.boxesOf(table.state, step.frame))) {
    const [left, top, width, height] = set.boxOnCanvas(table.state, step.frame, name);
    const at = step.mirror ? 2 * frame.pivot[0] - left - width : left;
    drawBox(context, [x + at * zoom, y + top * zoom, width, height], zoom, drag === BOX + name);
  }
  drawPivot(context, x + frame.pivot[0] * zoom, y + frame.pivot[1] * zoom, drag === "pivot");
};
const describeStep = ({ clip, step, timeline }) => {
  const own = timeline.steps[step];
  const shift = shiftOf(own.frame);
  const parts = [
    `step ${stepNumber(clip, step)}: frame ${numberOf(own.frame)} ${frames[own.frame].name}`,
    milliseconds(own.ticks / clip.timescale),
    ...(own.event ? [own.event] : []),
    ...(shift.some(Boolean) ? [`moved ${shift.join(", ")} px`] : []),
  ];
  return parts.join(", ");
};
big.set = () => {
  big.extent = extentOfSteps(chosenClip().steps);
  big.drawn = -1;
};
big.draw = (force) => {
  const { clip, timeline, step } = current();
  if (step === big.drawn && !force) return;
  big.drawn = step;
  const { extent } = big;
  const room = [Math.max(120, column.clientWidth - 2), Math.max(220, innerHeight * 0.4)];
  const zoom = (big.zoom = typedZoom ?? zoomToFit([extent.width, extent.height], room));
  const context = contextFor(stage, extent, zoom);
  for (const [skin, alpha] of skinsOf(table.view.under, step, timeline.steps)) {
    drawStep(context, skin, extent, zoom, alpha);
  }
  const own = timeline.steps[step];
  const [frame, x, y] = drawStep(context, own, extent, zoom, 1);
  drawMarks(context, own, frame, x, y, zoom);
  $("now").textContent = describeStep({ clip, timeline, step });
  showNow(stepNumber(clip, step));
  if (panel.figure.isConnected && frames[own.frame].nine) panel.show(frames[own.frame]);
  stepTime.refresh();
  zoomField.refresh();
};
const choose = (key) => {
  frozen = null;
  look({ chosen: key });
};

// ---- what is moved: the drawing of one step alone, pivot and box in all frames of the clip
const isEvery = Object.assign(make("input"), { type: "checkbox" });
const members = () => (isEvery.checked ? frames.map((_, at) => at) : set.framesOf(current().clip));
const moveDrawing = (state, at, [x, y]) => {
  if (x || y) state.moves[at] = [x, y];
  else delete state.moves[at];
};
const movePivots = (state, [dx, dy]) => {
  for (const at of members()) {
    const [x, y] = set.pivotOf(state, at);
    state.pivots[at] = [tidy(x + dx), tidy(y + dy)];
  }
};
const changeBoxes = (state, name, edit) => {
  state.boxes[name] ||= {};
  for (const at of members()) {
    const box = set.boxesOf(state, at)[name];
    if (box) state.boxes[name][at] = edit(box);
  }
};
// Moves what is dragged by this many pixels of the screen's right and down.
const push = (x, y, name, gesture = null) => {
  const { timeline, step } = current();
  const own = timeline.steps[step];
  const way = own.mirror ? -x : x;
  const { drag } = table.view;
  const edit = (state) => {
    if (drag === "pivot") movePivots(state, [way, y]);
    else if (drag.startsWith(BOX)) {
      changeBoxes(state, drag.slice(BOX.length), ([left, top, w, h]) => [left + way, top + y, w, h]);
    } else {
      const [dx, dy] = set.shiftOf(state, own.frame);
      moveDrawing(state, own.frame, [dx + way, dy + y]);
    }
  };
  change(name, edit, { isDrag: Boolean(gesture), gesture });
};
const stretch = (w, h, gesture) => {
  const grown = ([x, y, wide, high]) => [x, y, Math.max(1, wide + w), Math.max(1, high + h)];
  change("", (state) => changeBoxes(state, table.view.drag.slice(BOX.length), grown), { isDrag: true, gesture });
};
// Whether a point of the screen is at the lower right corner of the box that is dragged.
const isAtCorner = (event, scale) => {
  const { drag } = table.view;
  const at = currentFrame();
  const box = drag.startsWith(BOX) && set.boxOnCanvas(table.state, at, drag.slice(BOX.length));
  if (!box) return false;
  const pivot = set.pivotOf(table.state, at).map(Math.floor);
  const corner = stage.getBoundingClientRect();
  const x = corner.left + (box[0] + box[2] - pivot[0] - big.extent.left) * scale;
  const y = corner.top + (box[1] + box[3] - pivot[1] - big.extent.top) * scale;
  return Math.hypot(event.clientX - x, event.clientY - y) < 12;
};
let drag = null;
const mayDrag = bindTouch(stage, $("touch-stage"));
stage.addEventListener("pointerdown", (event) => {
  if (event.button || !mayDrag(event)) return;
  // A drawing is pushed in the step that is seen; pivot and boxes are dragged while it plays.
  if (table.view.drag === "drawing" && time.playing) frozen = current().step;
  const scale = (stage.getBoundingClientRect().width / stage.width) * big.zoom;
  const at = [event.clientX, event.clientY];
  drag = { at, done: [0, 0], scale, gesture: Symbol("drag"), isCorner: isAtCorner(event, scale) };
  stage.setPointerCapture(event.pointerId);
});
stage.addEventListener("pointermove", (event) => {
  if (!drag) return;
  const now = [event.clientX, event.clientY];
  const to = [0, 1].map((axis) => Math.round((now[axis] - drag.at[axis]) / drag.scale));
  const by = [0, 1].map((axis) => to[axis] - drag.done[axis]);
  if (!by.some(Boolean)) return;
  drag.done = to;
  if (drag.isCorner) stretch(...by, drag.gesture);
  else push(...by, "", drag.gesture);
});
// The step that was pushed stays in sight.
const drop = () => {
  if (drag && frozen !== null && time.playing) hold(frozen);
  drag = null;
};
stage.addEventListener("pointerup", drop);
stage.addEventListener("pointercancel", drop);
const hold = (step) => {
  if (time.playing) table.play(false);
  stay(step);
  table.wake();
};
// Shows a step, whether it plays or not.
const stay = (step) => {
  const { timeline, clip } = current();
  frozen = null;
  time.seek((step ? timeline.ends[step - 1] : 0) / clip.timescale);
  big.drawn = -1;
};
const walk = (by) => {
  const { timeline, step } = current();
  hold((step + by + timeline.steps.length) % timeline.steps.length);
};
stage.addEventListener("keydown", (event) => {
  if (event.key === "," || event.key === ".") {
    event.preventDefault();
    walk(event.key === "," ? -1 : 1);
    return;
  }
  const way = nudgeOf(event);
  if (!way) return;
  if (table.view.drag === "drawing" && time.playing) hold(current().step);
  push(...way, "nudge");
});
$("back").addEventListener("click", () => walk(-1));
$("on").addEventListener("click", () => walk(1));

// ---- numbers of the table
const every = labelled("all frames, not just this clip", isEvery, "check");
const skins = [
  ["none", "none"],
  ["before", "previous frame"],
  ["after", "next frame"],
  ["both", "previous and next"],
  ["all", "whole clip"],
  ["one", "one chosen frame"],
];
const under = choice(
  "Onion skin",
  skins,
  () => table.view.under,
  (value) => look({ under: value, ...(value === "one" ? { chosenFrame: currentFrame() } : {}) }),
);
const spriteFrames = () => bySprite.get(chosenClip().sprite);
const chosenFrame = numberField(
  "Chosen frame",
  { max: frames.length - 1 },
  () => numberOf(table.view.chosenFrame),
  (value) => {
    const frame = spriteFrames()[value];
    if (!frame) return `this sprite has only ${count(spriteFrames().length, "frame")}`;
    look({ chosenFrame: set.places.get(frame) });
    return "";
  },
);
const marks = checkbox(
  "Marks (M)",
  () => hasMarks,
  (isShown) => {
    hasMarks = isShown;
    big.drawn = -1;
    table.wake();
  },
);
table.keys = {
  m: () => {
    hasMarks = !hasMarks;
    marks.refresh();
    big.drawn = -1;
    table.wake();
  },
};
const boxNames = () => {
  const names = set.framesOf(chosenClip()).flatMap((at) => Object.keys(set.boxesOf(table.state, at)));
  return [...new Set(names)];
};
const dragged = choice(
  "Drag",
  [],
  () => table.view.drag,
  (value) => look({ drag: value }),
);
const shiftField = (text, axis) =>
  numberField(
    text,
    { min: -100000 },
    () => shiftOf(currentFrame())[axis],
    (value) => {
      const at = currentFrame();
      hold(current().step);
      change(text, (state) => moveDrawing(state, at, set.shiftOf(state, at).with(axis, value)));
    },
  );
const pivotField = (text, axis) => {
  const get = () => set.pivotOf(table.state, currentFrame())[axis];
  return numberField(text, { min: -100000, step: 0.5 }, get, (value) => {
    const by = [0, 0].with(axis, value - get());
    change(text, (state) => movePivots(state, by));
  });
};
// The drawn area of a frame, before any move.
const drawnBox = (at) => drawn[at] || [0, 0, ...frames[at].canvas];
const boxField = (text, side) => {
  const name = () => table.view.drag.slice(BOX.length);
  const get = () => set.boxOnCanvas(table.state, currentFrame(), name())?.[side] ?? null;
  return numberField(text, { min: side > 1 ? 1 : -100000 }, get, (value) => {
    const at = currentFrame();
    const before = get();
    change(text, (state) => {
      if (before !== null) {
        const by = value - before;
        changeBoxes(state, name(), (box) => box.with(side, side > 1 ? Math.max(1, box[side] + by) : box[side] + by));
        return;
      }
      // This frame has no such box yet: its other sides come from the drawing.
      const shift = side < 2 ? set.shiftOf(state, at)[side] : 0;
      state.boxes[name()] ||= {};
      state.boxes[name()][at] = drawnBox(at).with(side, value - shift);
    });
    return "";
  });
};
const shiftFields = ["Shift x", "Shift y"].map(shiftField);
const pivotFields = ["Pivot x", "Pivot y"].map(pivotField);
const boxFields = ["Box x", "Box y", "Box width", "Box height"].map(boxField);
let newBox = "";
const boxName = textField(
  "New box name",
  () => newBox,
  (value) => {
    newBox = value;
    return textProblem(value.trim());
  },
  { placeholder: "such as body" },
);
// A box around what is drawn, in all frames alike.
const addBox = button("Add a box", () => {
  const name = newBox.trim();
  if (!name || textProblem(name)) {
    say(textProblem(name) || "a box needs a name, such as body");
    return;
  }
  if (boxNames().includes(name)) {
    say(`there is already a box called ${name}; you can drag it now`);
    look({ drag: BOX + name });
    return;
  }
  const seen = members()
    .filter((at) => drawn[at])
    .map((at) => {
      const [[x, y, w, h], [dx, dy]] = [drawn[at], shiftOf(at)];
      return [x + dx, y + dy, x + dx + w, y + dy + h];
    });
  if (!seen.length) {
    say("nothing is drawn in these frames, so there is nothing to put a box around");
    return;
  }
  const edge = (pick, side) => pick(...seen.map((corners) => corners[side]));
  const [left, top, right, bottom] = [edge(Math.min, 0), edge(Math.min, 1), edge(Math.max, 2), edge(Math.max, 3)];
  change("", (state) => {
    const box = (at) => {
      const [dx, dy] = set.shiftOf(state, at);
      return [at, [left - dx, top - dy, right - left, bottom - top]];
    };
    state.boxes[name] = { ...state.boxes[name], ...Object.fromEntries(members().map(box)) };
  });
  look({ drag: BOX + name });
});

// ---- the clip
const copyOf = (clip) => JSON.parse(JSON.stringify(clip));
// Changes the chosen clip; `act` may return a problem.
const edit = (name, act, gesture = null) => {
  let problem = "";
  change(
    name,
    (state) => {
      const clip = copyOf(set.clipOf(state, table.view.chosen));
      problem = act(clip) || "";
      if (!problem) state.clips[table.view.chosen] = clip;
    },
    { gesture },
  );
  return problem;
};
const begin = () => copyOf(chosenClip());
// A field for a part of the clip's text; `change(clip, text)` gives {clip} or {problem}.
const partField = (text, part, change, options) =>
  textField(
    text,
    () => set.partsOf(chosenClip())[part],
    (value, { begun, gesture }) => {
      const { problem, clip } = change(begun, value);
      return problem || edit(part, (old) => void Object.assign(old, clip, { name: old.name }), gesture);
    },
    { begin, ...options },
  );
const clipName = textField(
  "Clip name",
  () => chosenClip().name,
  (value, { gesture }) =>
    nameProblem(value) ||
    edit(
      "name",
      (clip) => {
        clip.name = value;
      },
      gesture,
    ),
  { placeholder: "name it to make it a clip" },
);
const clipFrames = partField("Clip frames", "frames", set.withFrames, { placeholder: "0-3,5x2" });
const TIMES = ["8fps", "12fps", "24fps", "80ms", "100ms", "total 0.8s"];
const clipTime = partField("Rate or time", "time", set.withTime, { placeholder: "varies", options: TIMES });
const PLAYS = ["loop", "once", "bounce", "loop 3", "bounce 2", "loop mirrored"];
const clipPlay = partField("Play mode", "play", set.withPlay, { options: PLAYS });
const stepMillis = (clip, number) => (clip.steps[number].ticks * 1000) / clip.timescale;
const TOO_FINE = "this time can't be stored exactly together with the others; enter a rate or time for all steps";
const retime = (name, number, millis, gesture) =>
  edit(name, (clip) => (setStepTime(clip, number, millis) ? "" : TOO_FINE), gesture);
const stepTime = numberField(
  "Step duration, ms",
  { min: 1, max: 600000, step: 1 },
  () => tidy(stepMillis(chosenClip(), currentNumber())),
  (value) => {
    const number = currentNumber();
    const problem = retime("time", number, value);
    stay(number);
    big.draw(true);
    return problem;
  },
);
const stepEvent = textField(
  "Event of this step",
  () => chosenClip().steps[currentNumber()].event || "",
  (value, { begun, gesture }) =>
    textProblem(value.trim()) ||
    edit(
      "event",
      (clip) => {
        clip.steps[begun].event = value.trim();
      },
      gesture,
    ),
  { placeholder: "such as splash", begin: () => currentNumber() },
);
// A button that changes the step that is seen, and holds it.
const stepButton = (text, act) =>
  button(text, () => {
    const number = currentNumber();
    hold(number);
    const problem = edit("", (clip) => act(clip, number));
    if (problem) say(problem);
  });
// The same for a button that moves the step; it is held where it is then.
const moveButton = (text, by) =>
  button(text, () => {
    const number = currentNumber();
    const to = number + by;
    hold(number);
    if (to < 0 || to >= chosenClip().steps.length) {
      say(`this is the ${to < 0 ? "first" : "last"} step`);
      return;
    }
    edit("", (clip) => void clip.steps.splice(to, 0, ...clip.steps.splice(number, 1)));
    hold(to);
  });
const LONGEST = 4294967295;
const orders = make("p", null, "orders");
const orderButtons = [
  moveButton("Earlier", -1),
  moveButton("Later", 1),
  stepButton("Double duration", (clip, number) => {
    if (clip.steps[number].ticks * 2 > LONGEST) return "a step can't be longer";
    clip.steps[number].ticks *= 2;
    return "";
  }),
  stepButton("Duplicate", (clip, number) => {
    const { event, ...step } = clip.steps[number];
    clip.steps.splice(number + 1, 0, step);
  }),
  stepButton("Remove", (clip, number) => {
    if (clip.steps.length < 2) return "a clip needs at least one step";
    clip.steps.splice(number, 1);
    return "";
  }),
];
orders.append(...orderButtons.flatMap((one) => [one, " "]));
const addClip = (clip) => {
  let key = "";
  change("", (state) => {
    key = set.addClip(state, copyOf(clip));
  });
  look({ chosen: key });
  clipName.input.focus();
};
const clipOrders = make("p", null, "orders");
const clipButtons = [
  button("New clip", () => {
    const clip = chosenClip();
    const all = spriteFrames().map((frame) => ({ frame: set.places.get(frame), ticks: 100 }));
    const name = "clip";
    addClip({ name, sprite: clip.sprite, play: "forward", plays: 0, timescale: 1000, steps: all });
  }),
  button("Copy clip", () => addClip({ ...chosenClip(), name: `${chosenClip().name || "clip"}-copy` })),
  button("Mirror clip", () => {
    edit("", (clip) => {
      for (const step of clip.steps) step.mirror = !step.mirror;
    });
  }),
  button("Drop clip", () => {
    const [{ state }, { chosen }] = [table, table.view];
    const name = titleOf(chosenClip());
    const keys = set.keysOf(state);
    if (keys.length < 2) {
      say("this is the only clip; the table needs at least one");
      return;
    }
    const next = keys[keys.indexOf(chosen) + 1] || keys[keys.indexOf(chosen) - 1];
    table.view.chosen = next;
    change("", (state) => set.dropClip(state, chosen));
    say(`${name} dropped; Undo brings it back`);
  }),
];
clipOrders.append(...clipButtons.flatMap((one) => [one, " "]));

// ---- the strip: one block per step, as wide as it is long
const strip = $("strip");
const panel = createPanel(painter);
let stripShows = "";
let nowShown = null;
// In longer clips, only the steps around the current one have blocks.
const MOST_BLOCKS = 300;
let firstBlock = 0;
const showNow = (number) => {
  const first = Math.floor(number / MOST_BLOCKS) * MOST_BLOCKS;
  if (first !== firstBlock) {
    firstBlock = first;
    drawStrip();
  }
  const block = strip.children[number - firstBlock];
  if (block !== nowShown) {
    nowShown?.classList.remove("now");
    nowShown?.removeAttribute("aria-current");
    block?.classList.add("now");
    block?.setAttribute("aria-current", "step");
    nowShown = block;
  }
  const scrub = $("scrub");
  scrub.value = number;
  scrub.setAttribute("aria-valuetext", $("now").textContent);
};
$("scrub").addEventListener("input", () => hold(+$("scrub").value));
const blockOf = () => {
  const block = make("button", null, "block");
  block.type = "button";
  block.append(make("span"), make("span", null, "edge"));
  return block;
};
const numberAt = (element) => {
  const block = [...strip.children].indexOf(element?.closest(".block"));
  return block < 0 ? -1 : firstBlock + block;
};
// Holds a step for the nearest number of holds; if times aren't multiples of one unit, of milliseconds.
const holdFor = (number, ticks, before, gesture) => {
  const { unit } = set.partsOf(before);
  if (!unit) {
    const millis = Math.max(1, Math.round((ticks * 1000) / before.timescale));
    return retime("", number, Math.min(600000, millis), gesture);
  }
  const long = Math.max(1, Math.round(ticks / unit)) * unit;
  return edit(
    "hold",
    (clip) => {
      Object.assign(clip, copyOf(before), { name: clip.name, unit });
      clip.steps[number].ticks = Math.min(long, Math.floor(LONGEST / unit) * unit);
    },
    gesture,
  );
};
strip.addEventListener("pointerdown", (event) => {
  const number = numberAt(event.target);
  if (number < 0 || event.button) return;
  const isEdge = event.target.classList.contains("edge");
  if (!isEdge && event.pointerType === "touch") return;
  event.preventDefault();
  const before = begin();
  const gesture = Symbol("strip");
  const ticksPerPixel = before.steps[number].ticks / Math.max(8, strip.children[number - firstBlock].offsetWidth);
  const move = ({ clientX, clientY }) => {
    if (isEdge) {
      holdFor(number, before.steps[number].ticks + (clientX - event.clientX) * ticksPerPixel, before, gesture);
      return;
    }
    const under = numberAt(document.elementFromPoint(clientX, clientY));
    if (under >= 0) hold(under);
  };
  const up = () => {
    removeEventListener("pointermove", move);
    removeEventListener("pointerup", up);
    removeEventListener("pointercancel", up);
  };
  if (!isEdge) hold(number);
  addEventListener("pointermove", move);
  addEventListener("pointerup", up);
  addEventListener("pointercancel", up);
});
strip.addEventListener("click", (event) => {
  const number = numberAt(event.target);
  if (number >= 0 && !event.target.classList.contains("edge")) hold(number);
});
strip.addEventListener("keydown", (event) => {
  const number = numberAt(event.target);
  if (number < 0 || event.altKey || event.ctrlKey || event.metaKey) return;
  const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
  if (by) {
    event.preventDefault();
    event.stopPropagation();
    const clip = begin();
    const { unit } = set.partsOf(clip);
    const one = unit || clip.timescale / 1000;
    const problem = holdFor(number, clip.steps[number].ticks + by * one * (event.shiftKey ? 10 : 1), clip, null);
    if (problem) say(problem);
  }
});
// One Tab stop; , and . go to the steps beside it.
const settleStrip = bindRoving(strip, ".block", { ",": -1, ".": 1, Home: -Infinity, End: Infinity });
strip.addEventListener("focusin", (event) => {
  const number = numberAt(event.target);
  if (number >= 0 && event.target.matches(":focus-visible")) hold(number);
});
const drawStrip = () => {
  const clip = chosenClip();
  if (firstBlock >= clip.steps.length) firstBlock = 0;
  const shown = clip.steps.slice(firstBlock, firstBlock + MOST_BLOCKS);
  const now = JSON.stringify([table.view.chosen, firstBlock, shown, clip.timescale, strip.clientWidth]);
  if (now === stripShows) return;
  stripShows = now;
  const most = shown.reduce((longest, step) => Math.max(longest, step.ticks), 1);
  const total = shown.reduce((sum, step) => sum + step.ticks, 0);
  const unit = Math.max(most / 90, total / Math.max(300, strip.clientWidth - 20));
  while (strip.children.length > shown.length) strip.lastChild.remove();
  while (strip.children.length < shown.length) strip.append(blockOf());
  const how = "arrow keys or dragging the edge hold it longer or shorter";
  shown.forEach((step, at) => {
    const block = strip.children[at];
    const time = milliseconds(step.ticks / clip.timescale);
    const frame = numberOf(step.frame);
    const parts = [`step ${firstBlock + at}: frame ${frame}`, step.mirror ? "mirrored" : "", time, step.event || ""];
    block.style.width = `${Math.max(34, Math.round(step.ticks / unit))}px`;
    block.firstChild.textContent = `${frame}${step.mirror ? "m" : ""}${step.event ? " ⚑" : ""}`;
    block.title = `${parts.filter(Boolean).join(", ")}; ${how}`;
    block.setAttribute("aria-label", parts.filter(Boolean).join(", "));
  });
  const last = firstBlock + shown.length - 1;
  $("strip-part").textContent = shown.length < clip.steps.length ? ` Steps ${firstBlock} to ${last} are shown.` : "";
  $("scrub").max = clip.steps.length - 1;
  settleStrip();
};

// ---- all of it
const zoomField = numberField(
  "Zoom",
  { min: 1, max: 24 },
  () => Math.max(1, Math.round(big.zoom)),
  (value) => {
    typedZoom = value;
    big.draw(true);
  },
);
const stepFields = [...shiftFields, ...pivotFields, ...boxFields, stepTime, stepEvent];
// A value belongs to the frame that was shown when its field got the focus: playback waits.
let isWaiting = false;
for (const field of stepFields) {
  const { input } = field;
  input.addEventListener("focus", () => {
    isWaiting ||= time.playing;
    const { step } = current();
    time.play(false);
    stay(step);
    big.draw(true);
    for (const one of stepFields) one.refresh();
  });
  input.addEventListener("blur", (event) => {
    const isNext = stepFields.some((field) => field.input === event.relatedTarget);
    if (!isWaiting || isNext) return;
    isWaiting = false;
    table.play(true);
  });
}
const controls = [under, chosenFrame, marks, dragged, ...stepFields, boxName, clipName, clipFrames, clipTime, clipPlay];
const group = (title, ...parts) => {
  const box = make("fieldset");
  box.append(make("legend", title), ...parts);
  return box;
};
$("table-numbers").append(
  group("View", under, chosenFrame, zoomField, marks),
  group("Move", dragged, every, ...shiftFields, ...pivotFields, ...boxFields, boxName, addBox),
  group("Clip", clipName, clipFrames, clipTime, clipPlay, clipOrders),
  group("Step", stepTime, stepEvent, orders),
);

const showDragChoices = (wanted) => {
  const shown = [...dragged.select.options].map((option) => option.value);
  if (shown.join("\n") === wanted.join("\n")) return;
  const words = { drawing: "the drawing of this step", pivot: "the pivot" };
  const option = (value) => {
    return Object.assign(make("option", words[value] || `the box ${value.slice(BOX.length)}`), { value });
  };
  dragged.select.replaceChildren(...wanted.map(option));
};
const refresh = () => {
  const { state, view } = table;
  const keys = set.keysOf(state);
  if (!keys.includes(view.chosen)) view.chosen = keys[0];
  const choices = ["drawing", "pivot", ...boxNames().map((name) => BOX + name)];
  if (!choices.includes(view.drag)) view.drag = "drawing";
  showDragChoices(choices);
  showGallery();
  big.set();
  for (const field of shiftFields) field.hidden = view.drag !== "drawing";
  for (const field of pivotFields) field.hidden = view.drag !== "pivot";
  for (const field of boxFields) field.hidden = !view.drag.startsWith(BOX);
  every.hidden = view.drag === "drawing";
  chosenFrame.hidden = view.under !== "one";
  const hasPanel = set.framesOf(chosenClip()).some((at) => frames[at].nine);
  if (hasPanel && !panel.figure.isConnected) $("panel").append(make("h3", "Stretched"), panel.figure);
  if (!hasPanel) $("panel").replaceChildren();
  drawStrip();
  big.draw(true);
  controls.forEach((field) => field.refresh());
  $("on-table").textContent = titleOf(chosenClip());
  table.showOutcome(outcomeOf(set, state, page));
};
const redraw = () => {
  table.players.redraw();
  big.drawn = -1;
};
// Fields follow the step that is seen.
let followed = -1;
const follow = () => {
  big.draw();
  if (!time.playing && big.drawn !== followed) {
    followed = big.drawn;
    stepFields.forEach((field) => field.refresh());
  }
};
new ResizeObserver(() => {
  big.drawn = -1;
  stripShows = "";
  drawStrip();
  table.wake();
}).observe(strip);
// For tests: what the commands of the page will make.
window.shown = () => set.resultOf(table.state);
window.start = () => ({ ...set.start, view: set.startView });
const sums = [
  [bySprite.size, "sprite"],
  [frames.length, "frame"],
  [set.clips.length, "clip"],
];
$("sums").textContent = sums.map(([number, noun]) => count(number, noun)).join(" · ");
$("set-part").hidden = false;
$("recipe-how").textContent = data.recipe
  ? `Put these lines into [sprite.${data.sprite}], in place of lines and tables of the same name.`
  : "A sprite with these changes:";
table.begin();
decoded(images).then(() => table.run(redraw));
