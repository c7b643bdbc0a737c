// Playing and drawing: what all pages share. Knows no document; what is on show comes from whoever asks.
const $ = (id) => document.getElementById(id);
const make = (tag, text, name) => {
  const element = document.createElement(tag);
  if (text !== undefined && text !== null) element.textContent = text;
  if (name) element.className = name;
  return element;
};
const grouped = new Intl.NumberFormat("en");
const count = (n, noun) => `${grouped.format(n)} ${noun}${n === 1 ? "" : "s"}`;
const bytes = (n) => n >= 1e6 ? `${(n / 1e6).toFixed(1)} MB` : n >= 1000 ? `${(n / 1000).toFixed(1)} kB` : `${n} B`;
const ms = (seconds) => `${+(seconds * 1000).toFixed(2)} ms`;

// ---- time: positions come from the clock, so a slow screen or a hidden tab never makes a clip late.
const clock = () => {
  const self = { playing: true, speed: 1, base: 0, since: performance.now() };
  self.now = () => self.base + (self.playing ? (performance.now() - self.since) / 1000 * self.speed : 0);
  self.settle = () => { self.base = self.now(); self.since = performance.now(); };
  self.play = (is) => { self.settle(); self.playing = is; };
  return self;
};
const shown = (clip) => clip.play === "bounce" && clip.steps.length > 2
  ? clip.steps.concat(clip.steps.slice(1, -1).reverse()) : clip.steps;
// Whole ticks from the start of each step to the next; the step at a time is the last that has begun.
const timeline = (clip) => {
  const steps = shown(clip), ends = [];
  let ticks = 0;
  for (const step of steps) ends.push(ticks += step.ticks);
  return { steps, ends, ticks, seconds: ticks / clip.timescale };
};
const stepAt = (line, clip, seconds) => {
  const plays = clip.plays || 0;
  const tick = Math.floor(seconds * clip.timescale + 1e-6);
  // What does not loop rests for a second on its last step, and is shown again.
  const round = plays ? plays * line.ticks + clip.timescale : line.ticks;
  const place = ((tick % round) + round) % round;
  if (plays && place >= plays * line.ticks) return line.steps.length - 1;
  const at = place % line.ticks;
  let low = 0, high = line.ends.length - 1;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (line.ends[middle] > at) high = middle; else low = middle + 1;
  }
  return low;
};

// ---- drawing
// `images` are the pages; `look` says what lies behind and which marks are shown.
const painter = (images, look) => {
  const checkers = new Map();
  const checker = (context, tile, tones) => {
    const known = [tile, ...tones].join();
    if (!checkers.has(known)) {
      const four = make("canvas"), paint = four.getContext("2d");
      four.width = four.height = 2 * tile;
      for (let at = 0; at < 4; at++) {
        paint.fillStyle = tones[(at + (at >> 1)) % 2];
        paint.fillRect((at % 2) * tile, (at >> 1) * tile, tile, tile);
      }
      checkers.set(known, context.createPattern(four, "repeat"));
    }
    return checkers.get(known);
  };
  const place = (context, frame, x, y, zoom) => {
    const [left, top, width, height] = frame.rect;
    const image = images[frame.page];
    if (!width || !image || !image.complete) return;
    const [ix, iy] = frame.inset || [0, 0];
    context.imageSmoothingEnabled = false;
    if (frame.rotated) {
      // The page holds it rotated a quarter turn clockwise.
      context.save();
      context.translate(x + ix * zoom, y + (iy + width) * zoom);
      context.rotate(-Math.PI / 2);
      context.drawImage(image, left, top, width, height, 0, 0, width * zoom, height * zoom);
      context.restore();
      return;
    }
    context.drawImage(image, left, top, width, height, x + ix * zoom, y + iy * zoom, width * zoom, height * zoom);
  };
  const behind = (context, width, height, zoom) => {
    const style = getComputedStyle(document.documentElement);
    if (look.behind !== "checker") {
      context.fillStyle = look.behind === "dark" ? "#10131a" : look.behind === "light" ? "#f2f2ee" : look.color;
      context.fillRect(0, 0, width, height);
      return;
    }
    const tile = Math.max(6, Math.round(4 * zoom));
    const tones = [style.getPropertyValue("--tile-a"), style.getPropertyValue("--tile-b")];
    context.fillStyle = checker(context, tile, tones);
    context.fillRect(0, 0, width, height);
  };
  const marks = (context, frame, x, y, zoom, mirror) => {
    const px = Math.round(x + frame.pivot[0] * zoom) + .5, py = Math.round(y + frame.pivot[1] * zoom) + .5;
    if (look.boxes) for (const [left, top, width, height] of Object.values(frame.boxes || {})) {
      const at = mirror ? 2 * frame.pivot[0] - left - width : left;
      context.lineWidth = 1;
      context.strokeStyle = "#10131a"; context.strokeRect(x + at * zoom - .5, y + top * zoom - .5, width * zoom + 1, height * zoom + 1);
      context.strokeStyle = "#ffa95e"; context.strokeRect(x + at * zoom + .5, y + top * zoom + .5, width * zoom - 1, height * zoom - 1);
    }
    if (!look.pivot) return;
    for (const [width, tone] of [[3, "#10131a"], [1, "#ffffff"]]) {
      context.lineWidth = width; context.strokeStyle = tone;
      context.beginPath(); context.moveTo(px - 7, py); context.lineTo(px + 7, py); context.moveTo(px, py - 7); context.lineTo(px, py + 7); context.stroke();
    }
  };
  // All canvases of a clip laid on their pivots.
  const room = (frames, steps) => {
    let left = 0, top = 0, right = 1, bottom = 1;
    for (const step of steps) {
      const frame = frames[step.frame], [px, py] = frame.pivot.map(Math.floor), [width, height] = frame.canvas;
      const low = step.mirror ? Math.round(2 * frame.pivot[0]) - width - px : -px;
      left = Math.min(left, low); top = Math.min(top, -py);
      right = Math.max(right, low + width); bottom = Math.max(bottom, height - py);
    }
    return { left, top, width: right - left, height: bottom - top };
  };
  const lay = (context, frame, step, where, zoom, alpha) => {
    const [px, py] = frame.pivot.map(Math.floor);
    const x = (-px - where.left) * zoom, y = (-py - where.top) * zoom;
    context.save();
    context.globalAlpha = alpha;
    if (step.mirror) {
      const axis = (-where.left + frame.pivot[0] - px) * zoom;
      context.translate(2 * axis, 0); context.scale(-1, 1);
    }
    place(context, frame, x, y, zoom);
    context.restore();
    return [x, y];
  };
  return { place, behind, marks, room, lay };
};

// The way a clip is said to play.
const way = (clip) => {
  const name = clip.play === "bounce" ? "bounce" : clip.plays === 1 ? "once" : "loop";
  const mirrored = clip.steps.every((step) => step.mirror) ? ", mirrored" : "";
  return (clip.plays > 1 || (clip.plays === 1 && name === "bounce") ? `${name} ${clip.plays}` : name) + mirrored;
};

// The number of each frame in its sprite, and the frames of each.
const census = (frames) => {
  const numbers = new Map(), bySprite = new Map();
  for (const frame of frames) {
    if (!bySprite.has(frame.sprite)) bySprite.set(frame.sprite, []);
    numbers.set(frame, bySprite.get(frame.sprite).length);
    bySprite.get(frame.sprite).push(frame);
  }
  return { numbers, bySprite };
};
