// When each step of a clip is shown. Positions come from a clock, so a slow screen or a hidden tab never makes a clip
// late.

// `now` is the time in milliseconds.
export const createClock = (now, playing = true) => {
  const clock = { playing, speed: 1, base: 0, since: now() };
  clock.seconds = () => clock.base + (clock.playing ? ((now() - clock.since) / 1000) * clock.speed : 0);
  clock.settle = () => {
    clock.base = clock.seconds();
    clock.since = now();
  };
  clock.play = (isPlaying) => {
    clock.settle();
    clock.playing = isPlaying;
  };
  clock.seek = (seconds) => {
    clock.base = seconds;
    clock.since = now();
  };
  return clock;
};

// The steps of one round; a bounce goes back through all but its ends.
export const stepsPlayed = (clip) =>
  clip.play === "bounce" && clip.steps.length > 2 ? [...clip.steps, ...clip.steps.slice(1, -1).reverse()] : clip.steps;

// The end of each step in ticks from the start of the round.
export const timelineOf = (clip) => {
  const steps = stepsPlayed(clip);
  let ticks = 0;
  const ends = steps.map((step) => (ticks += step.ticks));
  return { steps, ends, ticks, seconds: ticks / clip.timescale };
};

// The last step that has begun at a time. A clip that doesn't loop rests for a second on its last step, and starts
// again.
export const stepAt = (timeline, clip, seconds) => {
  const plays = clip.plays || 0;
  const tick = Math.floor(seconds * clip.timescale + 1e-6);
  const round = plays ? plays * timeline.ticks + clip.timescale : timeline.ticks;
  const place = ((tick % round) + round) % round;
  if (plays && place >= plays * timeline.ticks) return timeline.steps.length - 1;
  const inRound = place % timeline.ticks;
  let low = 0;
  let high = timeline.ends.length - 1;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (timeline.ends[middle] > inRound) high = middle;
    else low = middle + 1;
  }
  return low;
};

// When the step before or after a time begins, counting all plays of the clip; a clip that ends starts over after its
// last step, without the pause.
export const neighborTime = (timeline, clip, seconds, by) => {
  const { ends, ticks } = timeline;
  const plays = clip.plays || 1;
  const rest = clip.plays ? clip.timescale : 0;
  const round = plays * ticks + rest;
  const tick = Math.floor(seconds * clip.timescale + 1e-6);
  const [rounds, place] = [Math.floor(tick / round), ((tick % round) + round) % round];
  const played = Math.min(plays - 1, Math.floor(place / ticks));
  const at = played * ends.length + stepAt(timeline, clip, seconds) + by;
  const total = plays * ends.length;
  const [whole, step] = [Math.floor(at / total), ((at % total) + total) % total];
  const before = step % ends.length ? ends[(step % ends.length) - 1] : 0;
  const start = Math.max(0, rounds + whole) * round + Math.floor(step / ends.length) * ticks + before;
  return start / clip.timescale;
};

// The number of a played step in its clip: on the way back of a bounce, counted from the end.
export const stepNumber = (clip, step) => (step < clip.steps.length ? step : 2 * clip.steps.length - 2 - step);

// The number of each frame within its sprite, and the frames of each sprite.
export const numberFrames = (frames) => {
  const numbers = new Map();
  const bySprite = new Map();
  for (const frame of frames) {
    if (!bySprite.has(frame.sprite)) bySprite.set(frame.sprite, []);
    numbers.set(frame, bySprite.get(frame.sprite).length);
    bySprite.get(frame.sprite).push(frame);
  }
  return { numbers, bySprite };
};

// The greatest common divisor.
export const divisor = (a, b) => (b ? divisor(b, a % b) : a);
