// One list of changes, written as commands to paste or as lines of a recipe.
import { commandLine, csvField, formatToml, optionWords, pathWord, tomlKey } from "./quoting.js";

const perFrameFile = (lines) =>
  lines.length ? `frame,kind,name,values\n${lines.map((line) => line.map(csvField).join(",")).join("\n")}\n` : "";

// Changes of clips as options: those with old names first, then those with new ones.
const clipOptions = ({ drops, renames, clips }, nameOf) => [
  ...drops.map(({ clip }) => ["drop", nameOf(clip.sprite, clip.name)]),
  ...renames.map(({ before, clip }) => ["rename", `${nameOf(before.sprite, before.name)}=${clip.name}`]),
  ...clips.filter(({ text }) => text).map(({ clip, text }) => ["clip", `${nameOf(clip.sprite, clip.name)} = ${text}`]),
  ...clips.flatMap(({ clip, events }) =>
    events.map(([step, event]) => ["event", `${nameOf(clip.sprite, clip.name)}@${step}=${event}`]),
  ),
];

// `page` says what the source is: source, from (its path in a recipe), output, perFrame, hasManifest, inPlace, recipe,
// isWindows.
const commandsOf = (changes, page, nameOf) => {
  const [shaping, timing] = [changes.options, clipOptions(changes, nameOf)].map(optionWords);
  const [source, output] = [page.source, page.output].map(pathWord);
  const commands = [];
  if (page.hasManifest) {
    const isMoved = shaping.length && !page.inPlace;
    const target = page.inPlace ? ["--in-place"] : ["-o", output];
    if (shaping.length) commands.push(["adjust", source, ...shaping, ...target]);
    if (timing.length) commands.push(["clip", isMoved ? output : source, ...timing]);
  } else if (changes.drops.length || changes.renames.length) {
    commands.push(["slice", source, ...shaping, "-o", output], ["clip", output, ...timing]);
  } else if (shaping.length || timing.length) {
    commands.push(["slice", source, ...shaping, ...timing, "-o", output]);
  }
  return commands;
};

// ---- recipes. Clips are defined under the names they have before `drop` and `rename`, which come last.
const listOf = (value) => (value === undefined || value === "default" ? [] : [value].flat().map(String));

// The keys of a sprite's table that describe its clips: {key: value}. `all` has every clip as it is now.
const clipKeys = ({ drops, renames, clips }, all, table, nameOf) => {
  if (!drops.length && !renames.length && !clips.length) return {};
  const rename = new Map(listOf(table.rename).map((text) => text.split("=").map((name) => name.trim())));
  const drop = new Set(listOf(table.drop));
  // The name under which the recipe defines a clip.
  const newNames = new Map([...rename].map(([old, name]) => [name, old]));
  const bare = (name) => name.slice(name.indexOf(":") + 1);
  const definedAs = ({ sprite, name }) => newNames.get(name) ?? nameOf(sprite, name);
  const before = all.filter((one) => one.before).map((one) => definedAs(one.before));
  const taken = new Set([...before, ...drops.map(({ clip }) => definedAs(clip)), ...drop]);
  const free = (wanted) => {
    let name = wanted;
    for (let n = 2; taken.has(name); n++) name = `${wanted}-${n}`;
    taken.add(name);
    return name;
  };
  for (const { clip } of drops) {
    drop.add(definedAs(clip));
    rename.delete(definedAs(clip));
  }
  for (const { before: old, clip } of renames) rename.set(definedAs(old), clip.name);
  // If `speed` or `snap` would change times again, all clips are written with their final times.
  const isTimed = ["speed", "snap"].some((key) => table[key] !== undefined && table[key] !== "default");
  const own = Object.assign(Object.create(null), table.clips);
  const lists = { clip: listOf(table.clip), event: listOf(table.event) };
  const changed = new Map(clips.map((one) => [one.key, one]));
  const known = JSON.stringify([listOf(table.drop), listOf(table.rename)]);
  const isChanged = { clips: false, clip: false, event: false };
  for (const { key, before: old, clip, text, inherited } of all) {
    const change = changed.get(key);
    if (!change && !isTimed) continue;
    const name = old ? definedAs(old) : free(nameOf(clip.sprite, clip.name));
    if (!old && name !== nameOf(clip.sprite, clip.name)) rename.set(name, clip.name);
    if (!change || change.isTimed || isTimed) {
      const { speed, snap, ...rest } = typeof own[name] === "object" ? own[name] : {};
      own[name] = Object.keys(rest).filter((key) => key !== "steps").length ? { ...rest, steps: text } : text;
      const isListed = (text) => text.slice(0, text.indexOf("=")).trim() === name;
      isChanged.clips = true;
      isChanged.clip ||= lists.clip.some(isListed);
      lists.clip = lists.clip.filter((text) => !isListed(text));
    }
    const isOfClip = (event) => {
      const place = event.slice(0, event.lastIndexOf("@", event.indexOf("=")));
      return place === name || place === bare(name);
    };
    const isMarked = ({ event }, step) => event || inherited[step];
    const marks = clip.steps.flatMap((one, step) =>
      isMarked(one, step) ? [`${name}@${step}=${one.event || ""}`] : [],
    );
    if (!change || (!marks.length && !lists.event.some(isOfClip))) continue;
    isChanged.event = true;
    lists.event = [...lists.event.filter((event) => !isOfClip(event)), ...marks];
  }
  const orDefault = (list) => (list.length ? list : "default");
  const [dropped, renamed] = [[...drop], [...rename].map((pair) => pair.join("="))];
  const isEdited = JSON.stringify([dropped, renamed]) !== known;
  const said = [
    ["clips", own, isChanged.clips],
    ["clip", orDefault(lists.clip), isChanged.clip],
    ["event", orDefault(lists.event), isChanged.event],
    ["drop", orDefault(dropped), isEdited && (dropped.length || table.drop)],
    ["rename", orDefault(renamed), isEdited && (renamed.length || table.rename)],
    ["speed", "default", isTimed && table.speed],
    ["snap", "default", isTimed && table.snap],
  ];
  return Object.fromEntries(said.filter(([, , isSaid]) => isSaid));
};

// Whole lines for a sprite's table, merged with what it has.
const recipeOf = (changes, all, page, nameOf) => {
  const table = page.recipe || {};
  const shape = { ...(page.recipe ? table.shape : {}) };
  for (const [key, value] of changes.options) {
    if (key === "box") shape.box = [...listOf(shape.box), value];
    else shape[key] = value;
  }
  const keys = {
    ...(page.recipe ? {} : { from: page.from }),
    ...(changes.options.length ? { shape } : {}),
    ...clipKeys(changes, all, table, nameOf),
  };
  if (Object.keys(keys).every((key) => key === "from")) return "";
  const width = Math.max(...Object.keys(keys).map((key) => key.length));
  const lines = Object.entries(keys).map(([key, value]) => `${key.padEnd(width)} = ${formatToml(value)}`);
  return [`[sprite.${tomlKey(page.sprite)}]`, ...lines].join("\n");
};

// The commands, recipe lines and per-frame file for a state, or the problem that prevents them.
export const outcomeOf = (set, state, page) => {
  const problem = set.problemOf(state);
  if (problem) return { command: "", lines: "", problem };
  const changes = set.changesOf(state, page);
  const all = set
    .keysOf(state)
    .map((key) => ({ key, before: set.beforeOf(key), clip: set.clipOf(state, key) }))
    .filter(({ clip }) => clip.name)
    .map((one) => ({ ...one, text: set.textOf(one.clip), inherited: set.inheritedEvents(one.clip, one.before) }));
  const commands = page.recipe ? [] : commandsOf(changes, page, set.fullNameOf);
  const lines = recipeOf(changes, all, page, set.fullNameOf);
  return {
    commands,
    command: page.recipe ? lines && "shibori build" : commandLine(commands, page.isWindows),
    lines,
    perFrame: perFrameFile(changes.lines),
    note: changes.note,
    hint: "no changes yet; drag, nudge or type, and the command will appear here",
  };
};
