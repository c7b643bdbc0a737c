// The light table of frames that are cut: every clip plays, and the frames of one are over each other to be pushed,
// timed and measured.
import { formatFrames, nameProblem, parseFrames, parseRate } from "../model/clip_text.js";
import { digestOf } from "../model/history.js";
import { createSet } from "../model/set.js";
import { playbackOf, setStepTime, stepAt, stepNumber, timelineOf } from "../model/timeline.js";
import { count, milliseconds, tidy } from "../model/words.js";
import { $, button, decoded, loadImages, make, pageData, zoomToFit } from "./dom.js";
import { choice, labelled, markProblem, numberField, say, textField } from "./fields.js";
import { createPainter, drawBox, drawPivot, extentOf, sizedContext } from "./paint.js";
import { createTable, nudgeOf } from "./table.js";

const data = pageData();
const { pages, drawn } = data.set;
const set = createSet(data.set);
const { frames, bySprite, allClips, numberOf } = set;
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
    ...(clipsDone ? { clips: {} } : {}),
  };
};
const table = createTable(data, set.start, { refresh: () => refresh(), isState: set.isState, signs, settle });
const { change, time, toggle } = table;
const painter = createPainter(images, table.look);
const page = {
  source: data.source,
  output: data.output,
  perFrame: data.per_frame,
  hasManifest: data.has_manifest,
  inPlace: data.in_place,
  inRecipe: data.in_recipe,
  isWindows: data.is_windows,
};
const BOX = "box ";
const shiftOf = (at) => set.shiftOf(table.state, at);
const clipAt = (at) => set.clipOf(table.state, at);

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
const thumbnailOf = (_, at) => {
  const [box, canvas, caption] = [make("figure"), make("canvas"), make("figcaption")];
  const [name, what] = [make("strong"), make("span", null, "what")];
  const press = button("", () => choose(at), "clip");
  press.append(canvas);
  caption.append(name, what);
  box.append(press, caption);
  $("gallery").append(box);
  const player = { canvas, box, drawn: -1, visible: false };
  player.set = () => {
    const clip = clipAt(at);
    const timeline = timelineOf(clip);
    Object.assign(player, { clip, timeline, extent: extentOfSteps(clip.steps), drawn: -1 });
    name.textContent = clip.name ? set.fullName(clip) : `${clip.sprite}, not a clip yet`;
    const parts = [count(clip.steps.length, "step"), milliseconds(timeline.seconds), ...playbackOf(clip)];
    what.textContent = parts.join(", ");
    press.setAttribute("aria-label", `Edit ${name.textContent}`);
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

// ---- the table: one clip, its frames over each other
const stage = $("stage");
const column = stage.parentElement.parentElement;
const big = { drawn: -1, extent: null, zoom: 1 };
let typedZoom = null;
// The step that is held while a drawing is dragged and the clip plays on.
let frozen = null;
const current = () => {
  const clip = clipAt(table.state.chosen);
  const timeline = timelineOf(clip);
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
  if (under === "one") return [[{ frame: table.state.chosenFrame, ticks: 1 }, 0.32]];
  const alpha = Math.max(0.06, 0.5 / Math.max(1, total));
  return under === "all" ? steps.filter((_, at) => at !== step).map((one) => [one, alpha]) : [];
};
const drawMarks = (context, step, frame, x, y, zoom) => {
  const { drag } = table.state;
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
  big.extent = extentOfSteps(clipAt(table.state.chosen).steps);
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
  for (const [skin, alpha] of skinsOf(table.state.under, step, timeline.steps)) {
    drawStep(context, skin, extent, zoom, alpha);
  }
  const own = timeline.steps[step];
  const [frame, x, y] = drawStep(context, own, extent, zoom, 1);
  drawMarks(context, own, frame, x, y, zoom);
  $("now").textContent = describeStep({ clip, timeline, step });
  const number = stepNumber(clip, step);
  [...$("strip").children].forEach((block, at) => block.classList.toggle("now", at === number));
  stepTime.refresh();
  zoomField.refresh();
};
const choose = (at) => {
  frozen = null;
  change("", (state) => {
    state.chosen = at;
    if (state.drag.startsWith(BOX) && !boxNames().includes(state.drag.slice(BOX.length))) state.drag = "drawing";
  });
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
const push = (x, y, name, isDrag) => {
  const { timeline, step } = current();
  const own = timeline.steps[step];
  const way = own.mirror ? -x : x;
  const edit = (state) => {
    if (state.drag === "pivot") movePivots(state, [way, y]);
    else if (state.drag.startsWith(BOX)) {
      changeBoxes(state, state.drag.slice(BOX.length), ([left, top, w, h]) => [left + way, top + y, w, h]);
    } else {
      const [dx, dy] = set.shiftOf(state, own.frame);
      moveDrawing(state, own.frame, [dx + way, dy + y]);
    }
  };
  change(name, edit, isDrag);
};
const stretch = (w, h, name) => {
  const grown = ([x, y, wide, high]) => [x, y, Math.max(1, wide + w), Math.max(1, high + h)];
  change(name, (state) => changeBoxes(state, state.drag.slice(BOX.length), grown), true);
};
// Whether a point of the screen is at the lower right corner of the box that is dragged.
const isAtCorner = (event, scale) => {
  const { drag } = table.state;
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
stage.addEventListener("pointerdown", (event) => {
  if (event.button) return;
  // A drawing is pushed in the step that is seen; pivot and boxes are dragged while it plays.
  if (table.state.drag === "drawing" && time.playing) frozen = current().step;
  const scale = (stage.getBoundingClientRect().width / stage.width) * big.zoom;
  const at = [event.clientX, event.clientY];
  drag = { at, done: [0, 0], scale, name: `drag ${event.timeStamp}`, isCorner: isAtCorner(event, scale) };
  stage.setPointerCapture(event.pointerId);
});
stage.addEventListener("pointermove", (event) => {
  if (!drag) return;
  const now = [event.clientX, event.clientY];
  const to = [0, 1].map((axis) => Math.round((now[axis] - drag.at[axis]) / drag.scale));
  const by = [0, 1].map((axis) => to[axis] - drag.done[axis]);
  if (!by.some(Boolean)) return;
  drag.done = to;
  if (drag.isCorner) stretch(...by, drag.name);
  else push(...by, drag.name, true);
});
// The step that was pushed stays in sight.
const drop = () => {
  if (drag && frozen !== null && time.playing) hold(frozen);
  drag = null;
};
stage.addEventListener("pointerup", drop);
stage.addEventListener("pointercancel", drop);
const hold = (step) => {
  if (time.playing) toggle();
  stay(step);
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
  if (table.state.drag === "drawing" && time.playing) hold(current().step);
  push(...way, "nudge", false);
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
  () => table.state.under,
  (value) =>
    change("", (state) => {
      state.under = value;
      if (value === "one") state.chosenFrame = currentFrame();
    }),
);
const spriteFrames = () => bySprite.get(clipAt(table.state.chosen).sprite);
const chosenFrame = numberField(
  "Chosen frame",
  { max: frames.length - 1 },
  () => numberOf(table.state.chosenFrame),
  (value) => {
    const frame = spriteFrames()[value];
    if (!frame) return;
    change("chosen frame", (state) => {
      state.chosenFrame = set.places.get(frame);
    });
  },
);
const boxNames = () => {
  const names = set.framesOf(clipAt(table.state.chosen)).flatMap((at) => Object.keys(set.boxesOf(table.state, at)));
  return [...new Set(names)];
};
const dragged = choice(
  "Drag",
  [],
  () => table.state.drag,
  (value) =>
    change("", (state) => {
      state.drag = value;
    }),
);
const shiftField = (text, axis) =>
  numberField(
    text,
    { min: -100000 },
    () => shiftOf(currentFrame())[axis],
    (value) => {
      const at = currentFrame();
      if (time.playing) hold(current().step);
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
const boxField = (text, side) => {
  const name = () => table.state.drag.slice(BOX.length);
  const own = () => set.boxOnCanvas(table.state, currentFrame(), name());
  const get = () => (own() || [0, 0, 1, 1])[side];
  return numberField(text, { min: side > 1 ? 1 : -100000 }, get, (value) => {
    if (!own()) return;
    const by = value - get();
    const changed = (box) => box.with(side, side > 1 ? Math.max(1, box[side] + by) : box[side] + by);
    change(text, (state) => changeBoxes(state, name(), changed));
  });
};
const shiftFields = ["Shift x", "Shift y"].map(shiftField);
const pivotFields = ["Pivot x", "Pivot y"].map(pivotField);
const boxFields = ["Box x", "Box y", "Box width", "Box height"].map(boxField);
let newBox = "";
const boxName = textField(
  "New box name",
  () => newBox,
  (value, input) => {
    newBox = value;
    markProblem(input, nameProblem(value));
  },
  "such as body",
);
// A box round what is drawn, in all frames alike.
const addBox = button("Add a box", () => {
  const name = newBox.trim();
  if (!name || nameProblem(name)) {
    say(nameProblem(name) || "a box needs a name, such as body");
    return;
  }
  const seen = members().filter((at) => drawn[at]).map((at) => {
    const [[x, y, w, h], [dx, dy]] = [drawn[at], shiftOf(at)];
    return [x + dx, y + dy, x + dx + w, y + dy + h];
  });
  if (!seen.length) return;
  const edge = (pick, side) => pick(...seen.map((corners) => corners[side]));
  const [left, top, right, bottom] = [edge(Math.min, 0), edge(Math.min, 1), edge(Math.max, 2), edge(Math.max, 3)];
  change("", (state) => {
    const box = (at) => {
      const [dx, dy] = set.shiftOf(state, at);
      return [at, [left - dx, top - dy, right - left, bottom - top]];
    };
    state.boxes[name] = Object.fromEntries(members().map(box));
    state.drag = BOX + name;
  });
});

// ---- the clip
const edit = (name, act) =>
  change(name, (state) => {
    const clip = JSON.parse(JSON.stringify(set.clipOf(state, state.chosen)));
    if (act(clip) !== false) state.clips[state.chosen] = clip;
  });
const clipName = textField(
  "Clip name",
  () => clipAt(table.state.chosen).name,
  (value, input) => {
    const problem = nameProblem(value);
    markProblem(input, problem);
    if (problem) return;
    edit("name", (clip) => {
      clip.name = value;
    });
  },
  "name it to make it a clip",
);
const clipFrames = textField(
  "Clip frames",
  () => formatFrames(clipAt(table.state.chosen).steps.map((step) => [numberOf(step.frame), 1])),
  (value, input) => {
    const mine = spriteFrames();
    const steps = parseFrames(value, mine.length - 1);
    markProblem(input, steps ? "" : `enter frame numbers from 0 to ${mine.length - 1}, such as 0-3,5 or 7x2`);
    if (!steps) return;
    edit("frames", (clip) => {
      const old = [...clip.steps];
      const mirror = old.every((step) => step.mirror) ? { mirror: true } : {};
      clip.steps = steps.map(([number, hold], at) => {
        const frame = set.places.get(mine[number]);
        const isKept = old[at] && old[at].frame === frame && hold === 1;
        return isKept ? old[at] : { frame, ticks: old[0].ticks * hold, ...mirror };
      });
    });
  },
);
const clipPlay = choice(
  "Play mode",
  ["loop", "once", "bounce"].map((word) => [word, word]),
  () => playbackOf(clipAt(table.state.chosen))[0].split(" ")[0],
  (value) =>
    edit("", (clip) => {
      clip.play = value === "bounce" ? "bounce" : "forward";
      clip.plays = value === "once" ? 1 : 0;
    }),
);
const clipRate = textField(
  "Frames per second",
  () => {
    const { steps, timescale } = clipAt(table.state.chosen);
    const isEven = steps.every((step) => step.ticks === steps[0].ticks);
    return isEven ? String(tidy(timescale / steps[0].ticks)) : "";
  },
  (value, input) => {
    const found = parseRate(value);
    markProblem(input, found ? "" : "frames per second must be a number such as 12 or 7.5");
    if (!found) return;
    edit("fps", (clip) => {
      clip.timescale = found[0];
      for (const step of clip.steps) step.ticks = found[1];
    });
  },
  "varies",
);
const stepMillis = (clip, number) => (clip.steps[number].ticks * 1000) / clip.timescale;
const stepTime = numberField(
  "Step duration, ms",
  { min: 1, max: 600000, step: 1 },
  () => tidy(stepMillis(clipAt(table.state.chosen), currentNumber())),
  (value) => {
    const number = currentNumber();
    edit("time", (clip) => setStepTime(clip, number, value));
    stay(number);
    big.draw(true);
  },
);
// A button that changes the step that is seen, and holds it.
const stepButton = (text, act) =>
  button(text, () => {
    const number = currentNumber();
    if (time.playing) hold(number);
    edit("", (clip) => act(clip, number));
  });
// The same for a button that moves the step; it is held where it is then.
const moveButton = (text, by) =>
  button(text, () => {
    const number = currentNumber();
    const to = Math.max(0, number + by);
    edit("", (clip) => {
      if (to === number || to >= clip.steps.length) return false;
      clip.steps.splice(to, 0, ...clip.steps.splice(number, 1));
      return true;
    });
    hold(Math.min(to, clipAt(table.state.chosen).steps.length - 1));
  });
const orders = make("p", null, "orders");
const orderButtons = [
  moveButton("Earlier", -1),
  moveButton("Later", 1),
  stepButton("Double duration", (clip, number) => {
    clip.steps[number].ticks *= 2;
  }),
  stepButton("Duplicate", (clip, number) => {
    const { event, ...step } = clip.steps[number];
    clip.steps.splice(number + 1, 0, step);
  }),
  stepButton("Remove", (clip, number) => {
    if (clip.steps.length < 2) {
      say("a clip needs at least one step");
      return false;
    }
    clip.steps.splice(number, 1);
    return true;
  }),
];
orders.append(...orderButtons.flatMap((one) => [one, " "]));

// ---- the strip: one block per step, as wide as it is long
const strip = $("strip");
let stripShows = "";
const blockOf = (number) => {
  const block = button("", () => hold(number), "block");
  const setTime = (name, millis) => edit(name, (clip) => setStepTime(clip, number, Math.max(1, Math.round(millis))));
  block.append(make("span"), make("span", null, "edge"));
  block.addEventListener("pointerdown", (event) => {
    if (!event.target.classList.contains("edge")) return;
    event.preventDefault();
    const before = stepMillis(clipAt(table.state.chosen), number);
    const [from, name] = [event.clientX, `time ${event.timeStamp}`];
    const scale = before / Math.max(8, block.offsetWidth);
    const move = (event) => setTime(name, before + (event.clientX - from) * scale);
    const up = () => {
      removeEventListener("pointermove", move);
      removeEventListener("pointerup", up);
    };
    addEventListener("pointermove", move);
    addEventListener("pointerup", up);
  });
  block.addEventListener("keydown", (event) => {
    const way = nudgeOf(event);
    if (way && way[0]) setTime("time", stepMillis(clipAt(table.state.chosen), number) + way[0]);
  });
  return block;
};
const drawStrip = () => {
  const clip = clipAt(table.state.chosen);
  const now = JSON.stringify([table.state.chosen, clip.steps, clip.timescale, strip.clientWidth]);
  if (now === stripShows) return;
  stripShows = now;
  const most = Math.max(...clip.steps.map((step) => step.ticks));
  const total = clip.steps.reduce((sum, step) => sum + step.ticks, 0);
  const unit = Math.max(most / 90, total / Math.max(300, strip.clientWidth - 20));
  while (strip.children.length > clip.steps.length) strip.lastChild.remove();
  while (strip.children.length < clip.steps.length) strip.append(blockOf(strip.children.length));
  clip.steps.forEach((step, number) => {
    const block = strip.children[number];
    const shown = milliseconds(step.ticks / clip.timescale);
    const frame = numberOf(step.frame);
    block.style.width = `${Math.max(26, Math.round(step.ticks / unit))}px`;
    block.firstChild.textContent = frame;
    block.title = `step ${number}: frame ${frame}, ${shown}; arrow keys or dragging the edge change its duration`;
    block.setAttribute("aria-label", `Step ${number}, frame ${frame}, ${shown}`);
  });
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
const stepFields = [...shiftFields, ...pivotFields, ...boxFields];
// A number belongs to the frame that was up when its field was entered: playing waits for it.
let isWaiting = false;
for (const { input } of [...stepFields, stepTime]) {
  input.addEventListener("focus", () => {
    isWaiting ||= time.playing;
    time.play(false);
  });
  input.addEventListener("blur", (event) => {
    const isNext = [...stepFields, stepTime].some((field) => field.input === event.relatedTarget);
    if (!isWaiting || isNext) return;
    isWaiting = false;
    time.play(true);
    table.players.redraw();
  });
}
const clipFields = [clipName, clipFrames, clipPlay, clipRate, stepTime];
const controls = [under, chosenFrame, dragged, ...stepFields, boxName, ...clipFields];
const group = (title, ...parts) => {
  const box = make("fieldset");
  box.append(make("legend", title), ...parts);
  return box;
};
$("table-numbers").append(
  group("View", under, chosenFrame, zoomField),
  group("Move", dragged, every, ...stepFields, boxName, addBox),
  group("Clip", ...clipFields, orders),
);
const thumbnails = allClips.map(thumbnailOf);

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
  const { state } = table;
  if (state.chosen >= allClips.length) state.chosen = 0;
  const choices = ["drawing", "pivot", ...boxNames().map((name) => BOX + name)];
  if (!choices.includes(state.drag)) state.drag = "drawing";
  showDragChoices(choices);
  thumbnails.forEach((player, at) => {
    player.box.classList.toggle("chosen", at === state.chosen);
    player.set();
  });
  big.set();
  for (const field of shiftFields) field.hidden = state.drag !== "drawing";
  for (const field of pivotFields) field.hidden = state.drag !== "pivot";
  for (const field of boxFields) field.hidden = !state.drag.startsWith(BOX);
  every.hidden = state.drag === "drawing";
  chosenFrame.hidden = state.under !== "one";
  drawStrip();
  controls.forEach((field) => field.refresh());
  big.draw(true);
  const clip = clipAt(state.chosen);
  $("on-table").textContent = clip.name ? set.fullName(clip) : clip.sprite;
  table.showOutcome(set.outcome(state, page));
};
const redraw = () => {
  table.players.redraw();
  big.drawn = -1;
};
table.onLook.push(redraw);
// Fields follow the step that is seen.
let followed = -1;
const follow = () => {
  big.draw();
  if (!time.playing && big.drawn !== followed) {
    followed = big.drawn;
    stepFields.forEach((field) => field.refresh());
  }
  requestAnimationFrame(follow);
};
new ResizeObserver(() => {
  big.drawn = -1;
  stripShows = "";
  drawStrip();
}).observe(strip);
// For tests: what the commands of the page will make.
window.shown = () => set.resultOf(table.state);
window.start = () => set.start;
const sums = [
  [bySprite.size, "sprite"],
  [frames.length, "frame"],
  [set.clips.length, "clip"],
];
$("sums").textContent = sums.map(([number, noun]) => count(number, noun)).join(" · ");
$("set-part").hidden = false;
table.begin();
decoded(images).then(() => {
  table.run(redraw);
  follow();
});
