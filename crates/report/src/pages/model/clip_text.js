// Clips as they are typed: lists of frames, rates, times.
import { divisor, playbackOf } from "./timeline.js";

// [[frame, hold]..] as 0-3,7x2,5-1.
export const formatFrames = (steps) => {
  const parts = [];
  for (let at = 0; at < steps.length; ) {
    const [first, hold] = steps[at];
    let end = at + 1;
    const by = end < steps.length ? steps[end][0] - first : 0;
    if (Math.abs(by) === 1) {
      while (end < steps.length && steps[end][0] === steps[end - 1][0] + by && steps[end][1] === hold) end++;
    }
    if (end - at < 3 && end > at + 1) end = at + 1;
    const range = end - at > 1 ? `${first}-${steps[end - 1][0]}` : `${first}`;
    parts.push(hold > 1 ? `${range}x${hold}` : range);
    at = end;
  }
  return parts.join(",");
};

export const MOST_STEPS = 10000;
const MOST_HOLD = 1000;

// The same read; null if it isn't such a list. `last` is the highest number there is.
export const parseFrames = (text, last) => {
  const steps = [];
  for (const part of text.split(",").map((part) => part.trim())) {
    const found = /^(\d+)(?:-(\d+)(?:\/(\d+))?)?(?:x(\d+))?$/.exec(part);
    if (!found) return null;
    const from = +found[1];
    const to = found[2] === undefined ? from : +found[2];
    const by = Math.max(1, +(found[3] ?? 1));
    const hold = +(found[4] ?? 1);
    if (from > last || to > last || hold < 1 || hold > MOST_HOLD || steps.length > MOST_STEPS) return null;
    const more = Math.floor(Math.abs(to - from) / by);
    for (let n = 0; n <= more; n++) steps.push([from + Math.sign(to - from) * n * by, hold]);
  }
  return steps.length ? steps : null;
};

// A rate as a fraction of whole numbers: 12 is [12, 1], 7.5 is [75, 10]; null if it isn't one.
export const parseRate = (text) => {
  const found = /^(\d{1,4})(?:\.(\d{1,3}))?$/.exec(String(text).trim());
  if (!found) return null;
  const digits = found[2] || "";
  const above = +(found[1] + digits);
  return above > 0 ? [above, 10 ** digits.length] : null;
};

// How the times of a clip are typed: as holds at one rate, or as milliseconds of each step.
const timesOf = ({ steps, timescale }) => {
  const unit = steps.map((step) => step.ticks).reduce(divisor);
  // A rate with few decimals gives times of any timescale exactly; else thousandths of a second do, or a rate of the
  // finest unit.
  const fps = +(timescale / unit).toFixed(3);
  const holds = { hold: (step) => step.ticks / unit, rate: ` @${fps}fps` };
  const isHeld = steps.every((step) => step.ticks / unit <= 60);
  if (fps * unit === timescale && isHeld && fps <= 1000) return holds;
  const millis = (step) => +((step.ticks * 1000) / timescale).toFixed(3);
  const isExact = steps.every((step) => Math.abs(millis(step) * timescale - step.ticks * 1000) < 1e-6);
  return isExact ? { millis, rate: "" } : holds;
};

// A clip after its name: `0-3@80ms,4@240ms once`. `numberOf` gives the number of a frame in its sprite.
export const formatClip = (clip, numberOf) => {
  const { hold, millis, rate } = timesOf(clip);
  const [playback, ...mirrored] = playbackOf(clip);
  const how = [playback === "loop" ? [] : [playback], mirrored].flat().map((word) => ` ${word}`);
  if (hold) {
    return formatFrames(clip.steps.map((step) => [numberOf(step.frame), hold(step)])) + rate + how.join("");
  }
  // Steps of one time in a row are one part.
  const runs = [];
  for (const step of clip.steps) {
    const last = runs[runs.length - 1];
    if (last && last.time === millis(step)) last.steps.push(step);
    else runs.push({ time: millis(step), steps: [step] });
  }
  const part = ({ time, steps }) => {
    const list = formatFrames(steps.map((step) => [numberOf(step.frame), 1]));
    return list.split(",").map((range) => `${range}@${time}ms`);
  };
  return runs.flatMap(part).join(",") + how.join("");
};

// Why a name can't be a clip's or a box's; empty if it can.
export const nameProblem = (name) => {
  if (/[\u0000-\u001f\u007f]/.test(name)) return "a name can't contain control characters";
  if (name.length > 200) return "a name can't exceed 200 characters";
  if (/[=@:]|^-/.test(name)) return "a name can't contain =, @ or :, or start with -";
  return name !== name.trim() ? "a name can't start or end with a space" : "";
};
