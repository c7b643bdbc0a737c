// Clips as they are typed: FRAMES, TIME and PLAY, as the program reads them (`shibori-core`, grammar).
import { divisor } from "./timeline.js";

// A text that can't be read, and why.
const wrong = (problem) => ({ problem });

// ---- times: {ticks, timescale}, a fraction of a second
const LARGEST = 4294967295n;

const reduced = (above, under) => {
  const shared = divisor(above, under);
  return [above / shared, under / shared];
};

// In lowest terms, or in milliseconds where those are whole; null if it doesn't fit 32 bits.
const seconds = (above, under) => {
  const [ticks, timescale] = reduced(above, under);
  const [whole, unit] = 1000n % timescale ? [ticks, timescale] : [(ticks * 1000n) / timescale, 1000n];
  return whole > LARGEST || unit > LARGEST ? null : { ticks: whole, timescale: unit };
};
const times = ({ ticks, timescale }, count) => {
  const long = ticks * BigInt(count);
  return long > LARGEST ? null : { ticks: long, timescale };
};

// A clock that keeps all times exact; null if there is none within 32 bits.
const onOneClock = (spans) => {
  const clock = spans.reduce((all, { timescale }) => (all / divisor(all, timescale)) * timescale, 1n);
  const ticks = spans.map((span) => (span.ticks * clock) / span.timescale);
  const fits = clock <= LARGEST && ticks.every((one) => one <= LARGEST);
  return fits ? { timescale: Number(clock), ticks: ticks.map(Number) } : null;
};

const TIME_FORMS = "12fps, 12.5fps, 80ms, 0.08s or total 0.8s";
const TOO_PRECISE = "this time is too long or too precise to be kept exactly";

// TIME: {each: time} or {total: [above, under] in seconds}, or {problem}. A number alone is a rate.
export const parseTime = (text) => {
  const typed = text.trim().replace(/^@\s*/, "");
  const comma = /^(total\s*)?(\d+),(\d+)\s*(fps|ms|s)?$/.exec(typed);
  if (comma) {
    const [total, unit] = comma[1] ? ["total ", comma[4] || "s"] : ["", comma[4] || "fps"];
    return wrong(`write ${total}${comma[2]}.${comma[3]}${unit}, with a period`);
  }
  const found = /^(total\s*)?(\d*)(?:\.(\d*))?\s*(fps|ms|s)?$/.exec(typed);
  if (!found || !(found[2] + (found[3] || ""))) return wrong(`enter a time: ${TIME_FORMS}`);
  const [, isTotal, whole, part = "", unit = isTotal ? "s" : "fps"] = found;
  if (part.length > 6 || whole.length > 12) return wrong("enter at most 12 digits and 6 decimals");
  const [digits, decimals] = [BigInt(whole + part), 10n ** BigInt(part.length)];
  if (digits === 0n) return wrong("a frame needs a duration above 0");
  if (unit === "fps") {
    if (isTotal) return wrong("a total is a time: write total 0.8s or total 800ms");
    if (digits > 1000n * decimals) return wrong("rates are limited to 1000 fps");
    const [above, under] = reduced(digits, decimals);
    return above > LARGEST || under > LARGEST ? wrong(TOO_PRECISE) : { each: { ticks: under, timescale: above } };
  }
  const under = unit === "ms" ? decimals * 1000n : decimals;
  if (isTotal) return { total: [digits, under] };
  const each = seconds(digits, under);
  return each ? { each } : wrong(TOO_PRECISE);
};

// ---- how it plays: {play, plays, mirrored}
export const parsePlay = (text) => {
  const words = text.trim().split(/\s+/).filter(Boolean);
  const how = { play: "forward", plays: 0, mirrored: false };
  let isSaid = false;
  while (words.length) {
    const word = words.shift();
    if (word === "mirrored" && !how.mirrored) {
      how.mirrored = true;
      continue;
    }
    if (!["loop", "once", "bounce"].includes(word)) return wrong("enter loop, once, bounce, loop 3 or bounce 2");
    if (isSaid) return wrong("use only one of loop, once and bounce");
    isSaid = true;
    if (word === "once") {
      how.plays = 1;
      continue;
    }
    if (word === "bounce") how.play = "bounce";
    if (!/^\d/.test(words[0] || "")) continue;
    const count = words.shift();
    if (!/^\d+$/.test(count) || BigInt(count) > LARGEST) return wrong(`'${count}' isn't a number of plays`);
    how.plays = +count;
    if (how.plays === 0) return wrong("0 plays would show nothing; omit the number to play forever");
  }
  return how;
};

// How a clip plays, as it is typed: `loop`, `once`, `loop 3`, `bounce 2`; and whether it is mirrored.
export const formatPlay = ({ play, plays, steps }) => {
  const count = plays > 1 || (plays && play === "bounce") ? ` ${plays}` : "";
  const how = play === "bounce" ? `bounce${count}` : plays === 1 ? "once" : `loop${count}`;
  return steps.length && steps.every((step) => step.mirror) ? `${how} mirrored` : how;
};

// ---- which frames: numbers, rows, columns, cells, names
export const MOST_STEPS = 10000;

const PICK = /^(?:named:([^\s,@]+)|r(\d+)(?:c(\d+)(?:-(?:r(\d+)c)?(\d+))?)?|c(\d+)|(\d+)(?:-(\d+))?(?:\/(\d+))?)/;

// A pattern of names: * any letters, ? one, [a-c] one of these, [!a] one other.
const patternOf = (text) => {
  const escaped = (letter) => letter.replace(/[.*+?^${}()|[\]\\]/g, "\\$&");
  let source = "";
  for (let at = 0; at < text.length; at++) {
    const list = /^\[(!?)([^\]]+)\]/.exec(text.slice(at));
    if (text[at] === "*") source += ".*";
    else if (text[at] === "?") source += ".";
    else if (list) {
      source += `[${list[1] ? "^" : ""}${list[2].replace(/[\\^[\]]/g, "\\$&")}]`;
      at += list[0].length - 1;
    } else source += escaped(text[at]);
  }
  return new RegExp(`^${source}$`, "su");
};

// The numbers of the frames that a pick names, in order; an error message if there are none. `frames` has {name, row,
// column} for each.
const resolvePick = (found, frames) => {
  const [, pattern, row, column, toRow, toColumn, onlyColumn, from, to, by] = found;
  const all = frames.map((_, number) => number);
  const known = `from 0 to ${frames.length - 1}`;
  if (pattern !== undefined) {
    let test = null;
    try {
      test = patternOf(pattern);
    } catch {
      return `'${pattern}' isn't a pattern`;
    }
    const named = all.filter((number) => test.test(frames[number].name));
    return named.length ? named : `no frame is called ${pattern}`;
  }
  if (from !== undefined) {
    const [first, last, step] = [+from, +(to ?? from), +(by ?? 1)];
    if (step === 0) return "a step of 0 would never end; use /1 or more";
    if (first >= frames.length || last >= frames.length) return `enter frame numbers ${known}, such as 0-3,5x2`;
    const numbers = [];
    for (let n = 0; n * step <= Math.abs(last - first); n++) numbers.push(first + Math.sign(last - first) * n * step);
    return numbers;
  }
  if (onlyColumn !== undefined) {
    const own = all.filter((number) => frames[number].column === +onlyColumn);
    return own.length ? own.sort((a, b) => frames[a].row - frames[b].row) : `column ${onlyColumn} has no frames`;
  }
  const inRow = (wanted) => all.filter((number) => frames[number].row === wanted);
  if (column === undefined) return inRow(+row).length ? inRow(+row) : `row ${row} has no frames`;
  const order = (number) => frames[number].row * 1e7 + frames[number].column;
  const ends = [
    [+row, +column],
    [+(toRow ?? row), +(toColumn ?? column)],
  ];
  for (const [r, c] of ends) {
    if (!inRow(r).some((number) => frames[number].column === c)) return `r${r}c${c} has no frame`;
  }
  const [first, last] = ends.map(([r, c]) => r * 1e7 + c);
  const between = all.filter((number) => {
    return order(number) >= Math.min(first, last) && order(number) <= Math.max(first, last);
  });
  between.sort((a, b) => order(a) - order(b));
  return first > last ? between.reverse() : between;
};

// FRAMES: {items: [{numbers, hold, mirror, time}..]}, or {problem}.
export const parseFrames = (text, frames) => {
  const items = [];
  let count = 0;
  for (const part of text.split(",").map((one) => one.trim())) {
    const found = PICK.exec(part);
    const rest = found && /^(?:x(\d+))?(m)?(?:@(.*))?$/s.exec(part.slice(found[0].length));
    if (!rest) return wrong(`enter frame numbers from 0 to ${frames.length - 1}, such as 0-3,5x2`);
    const numbers = resolvePick(found, frames);
    if (typeof numbers === "string") return wrong(numbers);
    const hold = rest[1] === undefined ? 1 : +rest[1];
    if (hold < 1 || hold > LARGEST) return wrong("a frame is held once or more");
    const isBare = rest[3] !== undefined && !/[a-z]\s*$/.test(rest[3]);
    if (isBare) return wrong(`'${rest[3]}' needs a unit, with a period for decimals: ${TIME_FORMS}`);
    const time = rest[3] === undefined ? null : parseTime(rest[3]);
    if (time?.problem) return time;
    count += numbers.length;
    if (count > MOST_STEPS) return wrong(`a clip can have up to ${MOST_STEPS} steps here`);
    items.push({ numbers, hold, mirror: Boolean(rest[2]), time });
  }
  return { items };
};

// Times of the steps of items: {timescale, steps: [{number, ticks, mirror}..], unit}, or {problem}. `time` is of those
// that have none of their own; without it, `ownTime(number)` is the time of a frame.
export const timeSteps = (items, time, { play, plays, mirrored }, ownTime) => {
  const shown = items.flatMap((item) => item.numbers.map((number) => ({ number, ...item })));
  const holds = (list) => list.reduce((sum, { hold }) => sum + BigInt(hold), 0n);
  const back = play === "bounce" && shown.length > 2 ? holds(shown.slice(1, -1)) : 0n;
  const onePlay = holds(shown) + back;
  const spanOf = ({ number, hold, numbers, ...item }) => {
    const own = item.time ?? time;
    if (!own) return times(ownTime(number), hold);
    if (own.each) return times(own.each, hold);
    // A total of one item is shared by that item's holds, one of the whole clip by all.
    const parts = item.time ? BigInt(hold) * BigInt(numbers.length) : onePlay;
    const part = seconds(own.total[0], own.total[1] * parts);
    return part && times(part, hold);
  };
  const spans = shown.map(spanOf);
  const isOne = time?.each && items.every((item) => !item.time);
  const clocked = spans.every(Boolean) && onOneClock([...spans, ...(isOne ? [time.each] : [])]);
  if (!clocked) return wrong(TOO_PRECISE);
  const { timescale, ticks } = clocked;
  const steps = shown.map(({ number, mirror }, at) => ({ number, ticks: ticks[at], mirror: mirror || mirrored }));
  // The length of one hold, so that holds are shown as they were typed.
  return { play, plays, timescale, steps, unit: isOne ? ticks[spans.length] : null };
};

// Sets one step's time in milliseconds; all others keep theirs exactly. False if no clock can hold both.
export const setStepTime = (clip, number, millis) => {
  const typed = seconds(BigInt(Math.round(millis * 1000)), 1000000n);
  const spans = clip.steps.map(({ ticks }) => ({ ticks: BigInt(ticks), timescale: BigInt(clip.timescale) }));
  const clocked = typed && onOneClock(spans.with(number, typed));
  if (!clocked) return false;
  clip.timescale = clocked.timescale;
  clip.steps.forEach((step, at) => {
    step.ticks = clocked.ticks[at];
  });
  delete clip.unit;
  return true;
};

// ---- and back into texts
// [{number, suffix}..] as 0-3,7x2,5-1: three or more in a row are a range.
export const formatFrames = (list) => {
  const parts = [];
  for (let at = 0; at < list.length;) {
    const { number, suffix } = list[at];
    const runTo = (by) => {
      let end = at + 1;
      while (end < list.length && list[end].number === number + by * (end - at) && list[end].suffix === suffix) end++;
      return end;
    };
    const end = Math.max(runTo(1), runTo(-1));
    const isRange = end - at > 2;
    parts.push((isRange ? `${number}-${list[end - 1].number}` : `${number}`) + suffix);
    at = isRange ? end : at + 1;
  }
  return parts.join(",");
};

// A time as text that reads back exactly; null if there is none. Prefers a rate for all steps, milliseconds for one.
const timeText = (ticks, timescale, isOne = false) => {
  const [above, under] = reduced(BigInt(ticks), BigInt(timescale));
  const decimal = (top, bottom, places) => {
    const scale = 10n ** BigInt(places);
    return (top * scale) % bottom ? null : String(Number((top * scale) / bottom) / 10 ** places);
  };
  const whole = under <= 1000n * above && under % above === 0n ? `${under / above}fps` : null;
  if (whole && !isOne) return whole;
  const millis = decimal(above * 1000n, under, 0);
  if (millis) return `${millis}ms`;
  if (whole) return whole;
  const rate = under <= 1000n * above && decimal(under, above, 3);
  if (rate) return `${rate}fps`;
  const fine = decimal(above * 1000n, under, 6);
  return fine && `${fine}ms`;
};

// More holds than this are easier to read as milliseconds.
const MANY_HOLDS = 60;
// Holds are counted at up to this many frames per second; animation is rarely drawn faster.
const SLOW_CLOCK = 30;

// A clip as {frames, time, play, unit}; null if its times have no exact text. `unit` is the ticks of a hold, if all
// steps are holds of one time. `numberOf` gives the number of a frame in its sprite.
export const formatParts = (clip, numberOf) => {
  const { steps, timescale } = clip;
  const play = formatPlay(clip);
  const isPartly = steps.some((step) => step.mirror) && !play.endsWith("mirrored");
  const mark = (step) => (isPartly && step.mirror ? "m" : "");
  const item = (step, hold, time) => {
    return {
      number: numberOf(step.frame),
      suffix: (hold > 1 ? `x${hold}` : "") + mark(step) + (time ? `@${time}` : ""),
    };
  };
  const inUnits = (unit, time) => {
    return { frames: formatFrames(steps.map((step) => item(step, step.ticks / unit, ""))), time, play, unit };
  };
  // The unit that was typed; else the longest one that divides all steps.
  const { unit } = clip;
  const typed = unit && steps.every((step) => step.ticks % unit === 0) && timeText(unit, timescale);
  if (typed) return inUnits(unit, typed);
  const shared = steps.map((step) => step.ticks).reduce(divisor);
  const common = timeText(shared, timescale);
  // On a clock of milliseconds, times were typed in milliseconds.
  const isCounted = timescale % 1000 !== 0 && timescale <= SLOW_CLOCK * shared;
  const isSlow = isCounted || steps.some((step) => step.ticks === shared);
  if (common && isSlow && steps.every((step) => step.ticks / shared <= MANY_HOLDS)) return inUnits(shared, common);
  const each = steps.map((step) => timeText(step.ticks, timescale, true));
  if (each.every(Boolean)) {
    return { frames: formatFrames(steps.map((step, at) => item(step, 1, each[at]))), time: "", play, unit: null };
  }
  if (common) return inUnits(shared, common);
  return timescale <= 1000 ? inUnits(1, `${timescale}fps`) : null;
};

// The same as one text, as it follows a name: `0-3@80ms,4@240ms once`.
export const formatClip = (clip, numberOf) => {
  const parts = formatParts(clip, numberOf);
  const play = parts && parts.play.replace(/^loop( (?!\d)|$)/, "");
  return parts && parts.frames + (parts.time && ` @${parts.time}`) + (play && ` ${play}`);
};

// ---- names
const DEVICES = /^(con|prn|aux|nul|com[1-9]|lpt[1-9])$/i;
const MOST_LETTERS = 200;

// Why a manifest can't hold a name; empty if it can.
export const textProblem = (name) => {
  if (/[\u0000-\u001f\u007f-\u009f]/.test(name)) return "a name can't contain control characters";
  if ([...name].length > MOST_LETTERS) return `a name can't exceed ${MOST_LETTERS} characters`;
  return name !== name.trim() ? "a name can't start or end with a space" : "";
};

// Why a clip can't have a name; empty if it can. Files and folders are named after clips, on every system.
export const nameProblem = (name) => {
  const problem = textProblem(name);
  if (problem || !name) return problem;
  if (name.includes("=")) return "a name can't contain =";
  for (const part of name.split("/")) {
    if (!part) return "a part between slashes is empty";
    if (part === "." || part === "..") return "'.' and '..' are reserved for folders";
    if (/[<>:"\\|?*]/.test(part)) return 'the characters < > : " \\ | ? * are not allowed in file names on Windows';
    if (/[. ]$|^ /.test(part)) return "Windows drops a dot or space at the end";
    if (DEVICES.test(part.split(".")[0].trimEnd())) return "Windows reserves this name for a device";
  }
  return "";
};
