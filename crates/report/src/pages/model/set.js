// Frames that are already cut, and the changes to them: moves, pivots, boxes, clips. They make up one list, which
// `changes.js` writes as commands or as lines of a recipe.
import { isList, isNumber, isOneOf, isShape, isTable, isText, isWhole } from "./checks.js";
import { MOST_STEPS, formatClip, formatFrames, formatParts, formatPlay, nameProblem } from "./clip_text.js";
import { parseFrames, parsePlay, parseTime, textProblem, timeSteps } from "./clip_text.js";
import { checksumOf } from "./history.js";
import { numberFrames } from "./timeline.js";
import { tidy } from "./words.js";

// The largest coordinate of a manifest, in pixels, and its largest count.
const FAR = 1048576;
const LARGEST_COUNT = 4294967295;

const cellOf = (frame) => /^r(\d+)c(\d+)$/.exec(frame.source?.cell || "");

// `set` is what a page is given: manifest, and for each frame the box around what is drawn on its canvas.
//
// The state holds what differs from the manifest. Moves are of the drawing; boxes are kept as they are on the drawing
// that was not yet moved, so that they go along; pivots are on the canvas as it is. Clips have a key: that of a clip of
// the manifest is its number, `loose 0` is what sprite 0 has in no clip, and `new 1` was added.
export const createSet = ({ manifest, drawn }) => {
  const { frames } = manifest;
  const clips = manifest.clips || [];
  const { numbers, bySprite } = numberFrames(frames);
  const sprites = [...bySprite.keys()];
  const places = new Map(frames.map((frame, at) => [frame, at]));
  const numberOf = (at) => numbers.get(frames[at]);
  const base = new Map(clips.map((clip, at) => [String(at), { plays: 0, ...clip }]));
  // Frames in no clip are shown as one that isn't a clip until it has a name.
  const played = new Set(clips.flatMap((clip) => clip.steps.map((step) => step.frame)));
  sprites.forEach((sprite, at) => {
    const rest = bySprite
      .get(sprite)
      .map((frame) => places.get(frame))
      .filter((frame) => !played.has(frame));
    const steps = rest.map((frame) => ({ frame, ticks: 100 }));
    const loose = { name: "", sprite, play: "forward", plays: 0, timescale: 1000, steps };
    if (steps.length) base.set(`loose ${at}`, loose);
  });
  const start = { of: [frames.length, clips.length, "set"], moves: {}, pivots: {}, boxes: {}, clips: {}, dropped: [] };
  const startView = { chosen: [...base.keys()][0], under: "before", chosenFrame: 0, drag: "drawing" };

  const shiftOf = (state, at) => state.moves[at] || [0, 0];
  const pivotOf = (state, at) => state.pivots[at] || frames[at].pivot;
  const boxesOf = (state, at) => {
    const boxes = Object.assign(Object.create(null), frames[at].boxes);
    for (const [name, byFrame] of Object.entries(state.boxes)) if (byFrame[at]) boxes[name] = byFrame[at];
    return boxes;
  };
  // A box where it is seen on the canvas.
  const boxOnCanvas = (state, at, name) => {
    const box = boxesOf(state, at)[name];
    const [dx, dy] = shiftOf(state, at);
    return box && [box[0] + dx, box[1] + dy, box[2], box[3]];
  };
  const isAdded = (key) => key.startsWith("new ");
  const keysOf = (state) => {
    const dropped = new Set(state.dropped);
    const kept = [...base.keys()].filter((key) => !dropped.has(key));
    return [...kept, ...Object.keys(state.clips).filter(isAdded)];
  };
  const clipOf = (state, key) => state.clips[key] || base.get(key);
  // The manifest's clip for a key, if there is one.
  const beforeOf = (key) => (clips[key] ? base.get(key) : undefined);
  const textOf = (clip) => formatClip(clip, numberOf);
  const framesOf = (clip) => [...new Set(clip.steps.map((step) => step.frame))];
  const fullNameOf = (sprite, name) => (sprites.length > 1 ? `${sprite}:${name}` : name);
  const fullName = (clip) => fullNameOf(clip.sprite, clip.name);
  // The frames of a sprite, as clip texts pick them.
  const pickable = (sprite) =>
    bySprite.get(sprite).map((frame) => {
      const cell = cellOf(frame);
      return { name: frame.name, row: cell ? +cell[1] : -1, column: cell ? +cell[2] : -1 };
    });

  // ---- clips as texts: each gives {clip} or {problem}
  // What steps inherit from the earlier version of a clip, such as events: a step stays if its frame was shown equally
  // often before it.
  const inherited = (steps, before, of) => {
    const byFrame = new Map();
    for (const step of before?.steps || []) {
      if (!byFrame.has(step.frame)) byFrame.set(step.frame, []);
      byFrame.get(step.frame).push(of(step));
    }
    return steps.map(({ frame }) => byFrame.get(frame)?.shift());
  };
  const eventOf = (step) => step.event || "";
  const inheritedEvents = (clip, before) => inherited(clip.steps, before, eventOf);
  const retimed = (clip, items, time, how) => {
    const own = bySprite.get(clip.sprite).map((frame) => places.get(frame));
    const ownTime = (number) => {
      const step = clip.steps.find(({ frame }) => frame === own[number]);
      return { ticks: BigInt(step?.ticks ?? 1), timescale: step ? BigInt(clip.timescale) : 10n };
    };
    const { problem, ...made } = timeSteps(items, time, how, ownTime);
    if (problem) return { problem };
    const steps = made.steps.map(({ number, ticks, mirror }) => ({ frame: own[number], ticks, mirror }));
    const events = inherited(steps, clip, eventOf);
    return { clip: { ...clip, ...made, steps: steps.map((step, at) => ({ ...step, event: events[at] || "" })) } };
  };
  const howOf = ({ play, plays, steps }) => ({ play, plays, mirrored: steps.every((step) => step.mirror) });
  // The parts of a clip as they are typed; frames without times where those have no text.
  const partsOf = (clip) => {
    const parts = formatParts(clip, numberOf);
    const frames = () => formatFrames(clip.steps.map(({ frame }) => ({ number: numberOf(frame), suffix: "" })));
    return parts || { frames: frames(), time: "", play: formatPlay(clip), unit: null };
  };
  const withFrames = (clip, text) => {
    const { problem, items } = parseFrames(text, pickable(clip.sprite));
    const { time } = partsOf(clip);
    return problem ? { problem } : retimed(clip, items, time ? parseTime(time) : null, howOf(clip));
  };
  const withTime = (clip, text) => {
    const time = parseTime(text);
    if (time.problem) return time;
    const { unit } = partsOf(clip);
    const item = ({ frame, ticks, mirror }) => {
      return { numbers: [numberOf(frame)], hold: unit ? ticks / unit : 1, mirror: Boolean(mirror), time: null };
    };
    return retimed(clip, clip.steps.map(item), time, { ...howOf(clip), mirrored: false });
  };
  const withPlay = (clip, text) => {
    const { problem, play, plays, mirrored } = parsePlay(text);
    if (problem) return { problem };
    const isEven = mirrored || howOf(clip).mirrored;
    const steps = clip.steps.map((step) => ({ ...step, mirror: isEven ? mirrored : Boolean(step.mirror) }));
    return { clip: { ...clip, play, plays, steps } };
  };

  // ---- clips that are added, copied, dropped
  const freeName = (state, sprite, wanted) => {
    const taken = keysOf(state).map((key) => clipOf(state, key));
    const isTaken = (name) => taken.some((clip) => clip.sprite === sprite && clip.name === name);
    let name = wanted;
    for (let n = 2; isTaken(name); n++) name = `${wanted}-${n}`;
    return name;
  };
  // Adds a clip, and gives its key.
  const addClip = (state, clip) => {
    const used = Object.keys(state.clips)
      .filter(isAdded)
      .map((key) => +key.slice(4));
    const key = `new ${Math.max(0, ...used) + 1}`;
    state.clips[key] = { ...structuredClone(clip), name: freeName(state, clip.sprite, clip.name || "clip") };
    return key;
  };
  const dropClip = (state, key) => {
    delete state.clips[key];
    if (base.has(key)) state.dropped.push(key);
  };

  // How canvases grow with a drawing that is pushed over the edge, all of a sprite alike: left, top, right, bottom.
  const growths = (state) => {
    const found = new Map(sprites.map((sprite) => [sprite, [0, 0, 0, 0]]));
    for (const [at, [x, y]] of Object.entries(state.moves)) {
      const box = drawn[at];
      if (!box) continue;
      const grown = found.get(frames[at].sprite);
      const [wide, high] = frames[at].canvas;
      const beyond = [-(box[0] + x), -(box[1] + y), box[0] + box[2] + x - wide, box[1] + box[3] + y - high];
      beyond.forEach((pixels, side) => {
        grown[side] = Math.max(grown[side], pixels);
      });
    }
    return found;
  };

  // The program's order of names, by code point.
  const compareNames = (a, b) => {
    const [left, right] = [a, b].map((name) => Array.from(name, (letter) => letter.codePointAt(0)));
    const at = left.findIndex((letter, at) => letter !== right[at]);
    return at < 0 ? left.length - right.length : left[at] - (right[at] ?? -1);
  };
  // Frames and clips as they will be.
  const resultOf = (state) => {
    const grown = growths(state);
    const frame = (one, at) => {
      const [left, top, right, bottom] = grown.get(one.sprite);
      const [px, py] = pivotOf(state, at);
      const [wide, high] = one.canvas;
      const [dx, dy] = shiftOf(state, at);
      const moved = ([x, y, w, h]) => [x + dx + left, y + dy + top, w, h];
      const isSet = Boolean(state.pivots[at]);
      const number = (value) => (isSet ? tidy(value) : value);
      return {
        canvas: [wide + left + right, high + top + bottom],
        pivot: [number(px + left), number(py + top)],
        boxes: Object.entries(boxesOf(state, at))
          .sort(([a], [b]) => compareNames(a, b))
          .map(([name, box]) => [name, moved(box)]),
        drawn: drawn[at] && moved(drawn[at]),
      };
    };
    const clip = ({ name, sprite, play, plays, timescale, steps }) => {
      const step = (step) => [step.frame, step.ticks / timescale, Boolean(step.mirror), step.event || ""];
      return [sprite, name, play, plays || 0, steps.map(step)];
    };
    const named = keysOf(state)
      .map((key) => clipOf(state, key))
      .filter(({ name }) => name);
    return { frames: frames.map(frame), clips: named.map(clip) };
  };
  // The checksum by which the program recognizes frames that are already like this (`placement_checksum`).
  const checksumOfFrames = (result) => {
    const line = ({ canvas, pivot, boxes, drawn }, at) => {
      const all = [
        `${frames[at].sprite}/${frames[at].name}`,
        canvas.join("x"),
        pivot.map((number) => number + 0).join(","),
        ...(drawn ? [drawn.join(",")] : []),
        ...boxes.map(([name, box]) => `${name}=${box.join(",")}`),
      ];
      return `${all.join(" ")}\n`;
    };
    return checksumOf(result.frames.map(line).join(""));
  };

  // ---- the list of changes
  const twins = new Map();
  for (const { name } of frames) twins.set(name, (twins.get(name) || 0) + 1);
  const frameName = (at) =>
    twins.get(frames[at].name) > 1 ? `${frames[at].sprite}:${frames[at].name}` : frames[at].name;

  // Lines of a per-frame file, [frame, kind, name, values]. `before` has the lines that are there already;
  // they are kept unless something new replaces them.
  const perFrameLines = (state, before, skipped) => {
    const grown = growths(state);
    const keyOf = (at, kind, name) => JSON.stringify([at, kind, name]);
    const byName = new Map(frames.flatMap((frame, at) => [[`${frame.sprite}:${frame.name}`, at]]));
    frames.forEach((frame, at) => {
      if (twins.get(frame.name) === 1) byName.set(frame.name, at);
    });
    const lines = new Map();
    const put = (at, kind, name, values) =>
      lines.set(keyOf(at, kind, name), [frameName(at), kind, name, values.join(",")]);
    const onCanvas = ([x, y], at) => {
      const [left, top] = grown.get(frames[at].sprite);
      return [tidy(x + left), tidy(y + top)];
    };
    const putPivot = (at) => put(at, "pivot", "", onCanvas(pivotOf(state, at), at));
    const putBox = (at, name) => {
      const [x, y, w, h] = boxOnCanvas(state, at, name);
      put(at, "box", name, [...onCanvas([x, y], at), w, h]);
    };
    const moves = new Map(Object.entries(state.moves).map(([at, way]) => [+at, way]));
    for (const line of before) {
      const [frame, kind, name, values] = line;
      const at = byName.get(frame);
      if (at === undefined || !["move", "pivot", "box"].includes(kind)) lines.set(JSON.stringify(line), line);
      else if (kind === "move") {
        const [x, y] = values.split(",").map(Number);
        const [dx, dy] = moves.get(at) || [0, 0];
        moves.set(at, [x + dx, y + dy]);
      } else if (kind === "pivot") putPivot(at);
      else if (boxesOf(state, at)[name]) putBox(at, name);
    }
    for (const [at, way] of moves) if (way.some(Boolean)) put(at, "move", "", way);
    if (!skipped.has("pivot")) for (const at of Object.keys(state.pivots)) putPivot(+at);
    for (const [name, byFrame] of Object.entries(state.boxes)) {
      if (!skipped.has(`box ${name}`)) for (const at of Object.keys(byFrame)) putBox(+at, name);
    }
    return [...lines.values()];
  };

  // A pivot or box that is the same in all frames is an option.
  const sharedOptions = (state) => {
    const options = [];
    const pivots = frames.map((_, at) =>
      pivotOf(state, at)
        .map((number) => `${tidy(number)}px`)
        .join(","),
    );
    const isAlike = (list) => list.every((one) => one === list[0]);
    if (Object.keys(state.pivots).length === frames.length && isAlike(pivots)) options.push(["pivot", pivots[0]]);
    for (const [name, byFrame] of Object.entries(state.boxes)) {
      const own = Object.values(byFrame).map((box) => box.join(","));
      if (own.length !== frames.length || !isAlike(own) || !/^[\p{L}\p{N}_-]+$/u.test(name)) continue;
      options.push(["box", `${name}=${own[0]}`]);
    }
    return options;
  };
  // Whether clips have other frames than before, or another first frame: then a recipe that measures by clip would get
  // other results.
  const isRegrouped = (state) => {
    const group = (clip) => (clip ? framesOf(clip).join() : "");
    return Object.entries(state.clips).some(([key, clip]) => clip.name && group(clip) !== group(beforeOf(key)));
  };
  // The state with everything pinned that the recipe would measure again.
  const pinned = (state, shape) => {
    if (!isRegrouped(state)) return state;
    const every = frames.map((_, at) => at);
    const boxes = Object.assign(Object.create(null), state.boxes);
    for (const rule of [shape.box ?? []].flat()) {
      const [name, how] = rule.split("=").map((part) => part.trim());
      const own = every.filter((at) => boxesOf(state, at)[name]).map((at) => [at, boxesOf(state, at)[name]]);
      if (how === "auto:clip") boxes[name] = Object.fromEntries(own);
    }
    const pivots = every.map((at) => [at, pivotOf(state, at)]);
    return { ...state, boxes, ...(shape["pivot-per"] === "clip" ? { pivots: Object.fromEntries(pivots) } : {}) };
  };
  // A recipe that lines frames up by clip will do so again; the page can't show the result.
  const noteOf = (state, { shape = {} } = {}) => {
    const isByClip = (shape.align && shape["align-per"] !== "sprite") || shape.trim === "clip";
    const text = "The recipe lines frames up clip by clip, and clips have changed: the build will line them up again.";
    return isByClip && isRegrouped(state) ? text : "";
  };
  const shapeChanges = (whole, page) => {
    const state = page.recipe ? pinned(whole, page.recipe.shape || {}) : whole;
    // Options are applied before drawings are moved, and a recipe may have others after them; lines of the file are
    // applied last.
    const isMoved = Object.keys(state.moves).length > 0;
    const options = page.recipe || isMoved ? [] : sharedOptions(state);
    const skipped = new Set(options.map(([kind, value]) => (kind === "box" ? `box ${value.split("=")[0]}` : kind)));
    const isAny = [state.moves, state.pivots, state.boxes].some((part) => Object.keys(part).length);
    const lines = isAny ? perFrameLines(state, page.perFrameLines, skipped) : [];
    if (lines.length) options.push(["per-frame", page.perFrame]);
    // Without its checksum, running an in-place command again would move frames again.
    if (page.inPlace && isMoved) lines.unshift(["", "done", "", checksumOfFrames(resultOf(state)).toString(16)]);
    return { options, lines };
  };

  // Why a clip can't be written; empty if it can.
  const clipProblem = (clip) => {
    const called = clip.name && `'${clip.name}'`;
    if (!clip.name) return "give the changed clip a name";
    if (nameProblem(clip.name)) return `clip ${called}: ${nameProblem(clip.name)}`;
    if (/[=:]/.test(clip.sprite) && sprites.length > 1) {
      return `clip ${called}: a command can't name sprite '${clip.sprite}', because of its = or :`;
    }
    if (clip.steps.some((step) => frames[step.frame].sprite !== clip.sprite)) {
      return `clip ${called} shows frames of several sprites; change it in its manifest`;
    }
    return textOf(clip) ? "" : `clip ${called}: its times can't be written exactly; enter a time for all steps`;
  };
  const problemOf = (state) => {
    const named = keysOf(state)
      .map((key) => clipOf(state, key))
      .filter(({ name }) => name)
      .map(fullName);
    const twin = named.find((name, at) => named.indexOf(name) !== at);
    if (twin) return `two clips are called ${twin}`;
    const problems = Object.entries(state.clips).map(([key, clip]) => {
      const before = beforeOf(key);
      const isRenamed = isSameBut(clip, before, ["name"]);
      if (before && before.name !== clip.name && before.name.includes("=")) {
        return `a command can't rename '${before.name}', because of its =`;
      }
      return isRenamed ? nameProblem(clip.name) || (clip.name ? "" : "give the clip a name") : clipProblem(clip);
    });
    return problems.find(Boolean) || "";
  };

  const sameTimes = (a, b) =>
    a.steps.every(
      ({ ticks }, at) => BigInt(ticks) * BigInt(b.timescale) === BigInt(b.steps[at].ticks) * BigInt(a.timescale),
    );
  const sameList = (a, b, of) => a.steps.every((step, at) => of(step) === of(b.steps[at]));
  // Whether two clips are equal, apart from the named parts.
  const isSameBut = (clip, before, parts) =>
    Boolean(before) &&
    (parts.includes("name") || clip.name === before.name) &&
    clip.play === before.play &&
    clip.plays === before.plays &&
    clip.steps.length === before.steps.length &&
    sameList(clip, before, (step) => step.frame) &&
    sameList(clip, before, (step) => Boolean(step.mirror)) &&
    (parts.includes("events") || sameList(clip, before, eventOf)) &&
    sameTimes(clip, before);

  const clipChanges = (state) => {
    const changed = { drops: [], renames: [], clips: [] };
    for (const key of state.dropped) if (beforeOf(key)) changed.drops.push({ key, clip: beforeOf(key) });
    for (const [key, clip] of Object.entries(state.clips)) {
      const before = beforeOf(key);
      if (!clip.name) continue;
      if (before && before.name !== clip.name) changed.renames.push({ key, before, clip });
      if (isSameBut(clip, before, ["name"])) continue;
      const isTimed = !isSameBut(clip, before, ["name", "events"]);
      const had = isTimed ? inheritedEvents(clip, before) : before.steps.map(eventOf);
      const events = clip.steps.flatMap((one, step) =>
        eventOf(one) !== (had[step] || "") ? [[step, eventOf(one)]] : [],
      );
      changed.clips.push({ key, before, clip, isTimed, text: isTimed ? textOf(clip) : "", events });
    }
    return changed;
  };
  const changesOf = (state, page) => {
    return { ...shapeChanges(state, page), ...clipChanges(state), note: noteOf(state, page.recipe) };
  };

  // ---- states that come from outside: they go into commands
  const isFrame = isWhole(0, frames.length - 1);
  const isFrameKey = (key) => /^\d+$/.test(key) && isFrame(+key);
  const isPixels = isWhole(-FAR, FAR);
  const isSide = isWhole(1, FAR);
  // What a manifest may call things; commands quote it.
  const isName = isText((name) => !textProblem(name));
  const isBoxName = (name) => name !== "" && isName(name);
  const isClip = (clip) =>
    isShape({
      name: isName,
      sprite: isOneOf(...sprites),
      play: isOneOf("forward", "bounce"),
      plays: isWhole(0, LARGEST_COUNT),
      timescale: isWhole(1, LARGEST_COUNT),
      unit: (unit) => unit === undefined || unit === null || isWhole(1, LARGEST_COUNT)(unit),
      steps: isList(
        1,
        MOST_STEPS,
        isShape({
          frame: (frame) => isFrame(frame) && frames[frame].sprite === clip.sprite,
          ticks: isWhole(1, LARGEST_COUNT),
          mirror: isOneOf(undefined, true, false),
          event: (event) => event === undefined || event === null || isName(event),
        }),
      ),
    })(clip);
  const isKey = (key) => base.has(key) || /^new [1-9]\d{0,5}$/.test(key);
  const isRightClip = ([key, clip]) =>
    isKey(key) && isClip(clip) && (!base.has(key) || base.get(key).sprite === clip.sprite);
  const isState = isShape({
    moves: isTable(isFrameKey, isList(2, 2, isPixels)),
    pivots: isTable(isFrameKey, isList(2, 2, isNumber(FAR))),
    boxes: isTable(
      isBoxName,
      isTable(isFrameKey, (box) => isList(4, 4, isPixels)(box) && box.slice(2).every(isSide)),
    ),
    clips: (clips) =>
      isTable(
        () => true,
        () => true,
      )(clips) && Object.entries(clips).every(isRightClip),
    dropped: isList(0, clips.length + sprites.length, (key) => base.has(key)),
  });
  const isView = isShape({
    chosen: isText(isKey),
    chosenFrame: isFrame,
    under: isOneOf("none", "before", "after", "both", "all", "one"),
    drag: isText((drag) => ["drawing", "pivot"].includes(drag) || drag.startsWith("box ")),
  });

  // Frames as they are seen: drawings moved, pivots set.
  const frameSeen = (state, at) => {
    const [dx, dy] = shiftOf(state, at);
    const [x, y] = frames[at].inset || [0, 0];
    return { ...frames[at], inset: [x + dx, y + dy], pivot: pivotOf(state, at) };
  };

  return {
    frames,
    clips,
    sprites,
    bySprite,
    places,
    start,
    startView,
    isState,
    isView,
    numberOf,
    shiftOf,
    pivotOf,
    boxesOf,
    boxOnCanvas,
    keysOf,
    clipOf,
    beforeOf,
    textOf,
    framesOf,
    fullName,
    fullNameOf,
    partsOf,
    inheritedEvents,
    withFrames,
    withTime,
    withPlay,
    addClip,
    dropClip,
    problemOf,
    changesOf,
    resultOf,
    checksumOfFrames,
    frameSeen,
  };
};
