// Frames that are cut, and what is changed about them: moves, pivots, boxes, clips; and the commands that make them so.
import { isList, isNumber, isOneOf, isShape, isTable, isText, isWhole } from "./checks.js";
import { MOST_STEPS, formatClip } from "./clip_text.js";
import { csvField, formatOptions, formatTable, pasteablePath, tomlKey, tomlString } from "./quoting.js";
import { numberFrames } from "./timeline.js";
import { tidy } from "./words.js";

// The largest coordinate of a manifest, in pixels, and its largest count.
const FAR = 1048576;
const LARGEST_COUNT = 4294967295;

// `set` is what a page is given: manifest, and for each frame the box round what is drawn on its canvas.
//
// The state holds what differs from the manifest. Moves are of the drawing; boxes are kept as they are on the drawing
// that was not yet moved, so that they go along; pivots are on the canvas as it is.
export const createSet = ({ manifest, drawn }) => {
  const { frames } = manifest;
  const clips = manifest.clips || [];
  const { numbers, bySprite } = numberFrames(frames);
  const sprites = [...bySprite.keys()];
  const places = new Map(frames.map((frame, at) => [frame, at]));
  const numberOf = (at) => numbers.get(frames[at]);
  // A set without clips has each sprite's frames as one, to be looked at; it isn't a clip until something about it is
  // changed.
  const asClip = (sprite) => ({
    name: "",
    sprite,
    play: "forward",
    plays: 0,
    timescale: 1000,
    steps: bySprite.get(sprite).map((frame) => ({ frame: places.get(frame), ticks: 100 })),
  });
  const allClips = clips.length ? clips : sprites.map(asClip);
  const start = {
    of: [frames.length, clips.length, "set"],
    moves: {},
    pivots: {},
    boxes: {},
    clips: {},
    chosen: 0,
    under: "before",
    chosenFrame: 0,
    drag: "drawing",
  };

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
  const clipOf = (state, at) => state.clips[at] || allClips[at];
  const framesOf = (clip) => [...new Set(clip.steps.map((step) => step.frame))];
  const fullName = (clip) => (sprites.length > 1 ? `${clip.sprite}:${clip.name}` : clip.name);

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

  const frameName = (at) => {
    const isTwin = frames.filter((frame) => frame.name === frames[at].name).length > 1;
    return isTwin ? `${frames[at].sprite}:${frames[at].name}` : frames[at].name;
  };

  // Options of shaping, and the lines of a per-frame file where frames differ.
  const shapeOf = (state, { perFrame, inRecipe }) => {
    const grown = growths(state);
    const onCanvas = ([x, y], at) => {
      const [left, top] = grown.get(frames[at].sprite);
      return [tidy(x + left), tidy(y + top)];
    };
    const word = (at) => csvField(frameName(at));
    const every = frames.map((_, at) => at);
    const shifted = Object.entries(state.moves).filter(([, [x, y]]) => x || y);
    const lines = shifted.map(([at, [x, y]]) => `${word(at)},shift,,${x},${y}`);
    const options = [];
    const pivotLine = (at) => `${word(at)},pivot,,${onCanvas(pivotOf(state, at), at).join(",")}`;
    // In a recipe the pivot may be measured, and would follow a drawing that is pushed.
    if (inRecipe && shifted.length) lines.push(...every.filter((at) => !state.pivots[at]).map(pivotLine));
    const pivots = Object.keys(state.pivots);
    const finals = every.map((at) => onCanvas(pivotOf(state, at), at).map((number) => `${number}px`).join(","));
    const isOne = pivots.length === frames.length && finals.every((one) => one === finals[0]);
    if (isOne) options.push(["pivot", finals[0]]);
    else lines.push(...pivots.map(pivotLine));
    for (const name of Object.keys(state.boxes)) {
      const own = Object.keys(state.boxes[name]);
      const place = (at) => {
        const [x, y, w, h] = boxOnCanvas(state, at, name);
        return [...onCanvas([x, y], at), w, h].join(",");
      };
      const isAlike = own.length === frames.length && own.every((at) => place(at) === place(own[0]));
      if (isAlike && /^[\p{L}\p{N}_-]+$/u.test(name)) options.push(["box", `${name}=${place(own[0])}`]);
      else lines.push(...own.map((at) => `${word(at)},box,${csvField(name)},${place(at)}`));
    }
    if (lines.length) options.push(["per-frame", perFrame]);
    return { options, lines };
  };

  // Clips that changed: renames, and texts and events of those that are more than renamed.
  const clipChanges = (state) => {
    const changes = { renames: [], texts: [], events: [] };
    for (const at of Object.keys(state.clips)) {
      const [clip, before] = [state.clips[at], clips[at]];
      if (!clip.name) continue;
      if (before && before.name !== clip.name) changes.renames.push(`${fullName(before)}=${clip.name}`);
      if (before && JSON.stringify({ ...before, name: clip.name }) === JSON.stringify(clip)) continue;
      changes.texts.push(`${fullName(clip)} = ${formatClip(clip, numberOf)}`);
      clip.steps.forEach((step, number) => {
        if (step.event) changes.events.push(`${fullName(clip)}@${number}=${step.event}`);
      });
    }
    return changes;
  };

  const problemOf = (state) => {
    const names = allClips.map((_, at) => fullName(clipOf(state, at)));
    const twin = clips.length && names.find((name, at) => name && names.indexOf(name) !== at);
    if (twin) return `two clips are called ${twin}`;
    return Object.values(state.clips).some((clip) => !clip.name) ? "give the changed clip a name" : "";
  };

  // The commands that make a state so, the lines of a recipe and of a per-frame file, or why there are none. `page`
  // says what the source is: source, output, perFrame, hasManifest, inPlace, inRecipe, isWindows.
  const outcome = (state, page) => {
    const problem = problemOf(state);
    if (problem) return { command: "", lines: "", problem };
    const { options, lines } = shapeOf(state, page);
    const { renames, texts, events } = clipChanges(state);
    const named = (name, values) => values.map((value) => [name, value]);
    const shaping = formatOptions(options, page.isWindows);
    const timing = formatOptions(
      [...named("rename", renames), ...named("clip", texts), ...named("event", events)],
      page.isWindows,
    );
    const [source, output] = [page.source, page.output].map((path) => pasteablePath(path, page.isWindows));
    const commands = [];
    if (page.inRecipe) {
      if (shaping || timing) commands.push("shibori build");
    } else if (page.hasManifest) {
      const isMoved = shaping && !page.inPlace;
      if (shaping) commands.push(`shibori adjust ${source}${shaping} ${page.inPlace ? "--in-place" : `-o ${output}`}`);
      if (timing) commands.push(`shibori clip ${isMoved ? output : source}${timing}`);
    } else if (shaping || timing) {
      commands.push(`shibori slice ${source}${shaping}${timing} -o ${output}`);
    }
    return {
      command: commands.join("\n"),
      lines: recipeLines(state, options, page).join("\n"),
      perFrame: lines.length ? `frame,kind,name,values\n${lines.join("\n")}\n` : "",
      hint: "no changes yet; drag, nudge or type, and the command will appear here",
    };
  };

  const recipeLines = (state, options, page) => {
    const changed = (sprite) => Object.values(state.clips).filter((clip) => clip.sprite === sprite);
    const table = (sprite) => {
      const texts = changed(sprite).filter((clip) => clip.name).map((clip) => [clip.name, formatClip(clip, numberOf)]);
      return [
        `[sprite.${tomlKey(sprite)}]`,
        ...(sprites.length === 1 && page.source ? [`from = ${tomlString(page.source)}`] : []),
        ...(options.length ? [`shape = ${formatTable(options)}`] : []),
        ...(texts.length ? [`clips = ${formatTable(texts)}`] : []),
      ];
    };
    return sprites.filter((sprite) => options.length || changed(sprite).length).flatMap(table);
  };

  // Whether a state could be one of this page: what comes from an address goes into commands.
  const isFrame = isWhole(0, frames.length - 1);
  const isFrameKey = (key) => /^\d+$/.test(key) && isFrame(+key);
  const isPixels = isWhole(-FAR, FAR);
  const isSide = isWhole(1, FAR);
  // What a manifest may call things; commands quote it.
  const isName = isText((name) => name.length <= 200 && !/[\u0000-\u001f\u007f]/.test(name));
  const isBoxName = (name) => name !== "" && isName(name);
  const isClip = isShape({
    name: isName,
    sprite: isOneOf(...sprites),
    play: isOneOf("forward", "bounce"),
    plays: isWhole(0, LARGEST_COUNT),
    timescale: isWhole(1, LARGEST_COUNT),
    steps: isList(
      1,
      MOST_STEPS,
      isShape({
        frame: isFrame,
        ticks: isWhole(1, LARGEST_COUNT),
        mirror: isOneOf(undefined, true, false),
        event: (event) => event === undefined || event === null || isName(event),
      }),
    ),
  });
  const isRightClip = ([at, clip]) => /^\d+$/.test(at) && allClips[at]?.sprite === clip?.sprite && isClip(clip);
  const isState = isShape({
    moves: isTable(isFrameKey, isList(2, 2, isPixels)),
    pivots: isTable(isFrameKey, isList(2, 2, isNumber(FAR))),
    boxes: isTable(
      isBoxName,
      isTable(isFrameKey, (box) => isList(4, 4, isPixels)(box) && box.slice(2).every(isSide)),
    ),
    clips: (clips) => isTable(() => true, () => true)(clips) && Object.entries(clips).every(isRightClip),
    chosen: isWhole(0, allClips.length - 1),
    chosenFrame: isFrame,
    under: isOneOf("none", "before", "after", "both", "all", "one"),
    drag: isText((drag) => ["drawing", "pivot"].includes(drag) || drag.startsWith("box ")),
  });

  // What the commands for a state will make.
  const resultOf = (state) => {
    const grown = growths(state);
    const frame = (one, at) => {
      const [left, top, right, bottom] = grown.get(one.sprite);
      const [px, py] = pivotOf(state, at);
      const [wide, high] = one.canvas;
      const [dx, dy] = shiftOf(state, at);
      const moved = ([x, y, w, h]) => [x + dx + left, y + dy + top, w, h];
      return {
        canvas: [wide + left + right, high + top + bottom],
        pivot: [px + left, py + top],
        boxes: Object.entries(boxesOf(state, at))
          .sort()
          .map(([name, box]) => [name, moved(box)]),
        drawn: drawn[at] && moved(drawn[at]),
      };
    };
    const clip = ({ name, sprite, play, plays, timescale, steps }) => {
      const step = (step) => [step.frame, step.ticks / timescale, Boolean(step.mirror), step.event || ""];
      return [sprite, name, play, plays || 0, steps.map(step)];
    };
    const named = allClips.map((_, at) => clipOf(state, at)).filter(({ name }) => name);
    return { frames: frames.map(frame), clips: named.map(clip) };
  };

  // Frames as they are seen: drawings moved, pivots set.
  const frameSeen = (state, at) => {
    const [dx, dy] = shiftOf(state, at);
    const [x, y] = frames[at].inset || [0, 0];
    return { ...frames[at], inset: [x + dx, y + dy], pivot: pivotOf(state, at) };
  };

  return {
    frames,
    clips,
    allClips,
    bySprite,
    places,
    start,
    isState,
    numberOf,
    shiftOf,
    pivotOf,
    boxesOf,
    boxOnCanvas,
    clipOf,
    framesOf,
    fullName,
    outcome,
    resultOf,
    frameSeen,
  };
};
