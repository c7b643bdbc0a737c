// Frames on canvases: what is behind them, their pixels at a whole zoom, their marks.
import { make } from "./dom.js";

const DARK = "#10131a";
export const HIGHLIGHT = "#ffe05c";

// `images` are the pages; `look` says what is behind frames: {behind, color}.
export const createPainter = (images, look) => {
  const checkers = new Map();

  const checkerboard = (context, tile, tones) => {
    const key = [tile, ...tones].join();
    if (!checkers.has(key)) {
      const canvas = Object.assign(make("canvas"), { width: 2 * tile, height: 2 * tile });
      const paint = canvas.getContext("2d");
      for (let at = 0; at < 4; at++) {
        paint.fillStyle = tones[(at + (at >> 1)) % 2];
        paint.fillRect((at % 2) * tile, (at >> 1) * tile, tile, tile);
      }
      checkers.set(key, context.createPattern(canvas, "repeat"));
    }
    return checkers.get(key);
  };

  const drawBackground = (context, width, height, zoom) => {
    const style = getComputedStyle(document.documentElement);
    const plain = { dark: DARK, light: "#f2f2ee", color: look.color }[look.behind];
    const tones = [style.getPropertyValue("--tile-a"), style.getPropertyValue("--tile-b")];
    context.fillStyle = plain || checkerboard(context, Math.max(6, Math.round(4 * zoom)), tones);
    context.fillRect(0, 0, width, height);
  };

  // A frame with its canvas at x, y.
  const drawFrame = (context, frame, x, y, zoom) => {
    const [left, top, width, height] = frame.rect;
    const image = images[frame.page];
    if (!width || !image || !image.complete) return;
    const [insetX, insetY] = frame.inset || [0, 0];
    context.imageSmoothingEnabled = false;
    if (!frame.rotated) {
      const [toX, toY] = [x + insetX * zoom, y + insetY * zoom];
      context.drawImage(image, left, top, width, height, toX, toY, width * zoom, height * zoom);
      return;
    }
    // The page holds it rotated a quarter turn clockwise.
    context.save();
    context.translate(x + insetX * zoom, y + (insetY + width) * zoom);
    context.rotate(-Math.PI / 2);
    context.drawImage(image, left, top, width, height, 0, 0, width * zoom, height * zoom);
    context.restore();
  };

  // A frame as a step shows it on an extent around the pivot; gives where its canvas is.
  const drawStep = (context, frame, isMirrored, extent, zoom, alpha) => {
    const [px, py] = frame.pivot.map(Math.floor);
    const [x, y] = [(-px - extent.left) * zoom, (-py - extent.top) * zoom];
    context.save();
    context.globalAlpha = alpha;
    if (isMirrored) {
      context.translate(2 * (-extent.left + frame.pivot[0] - px) * zoom, 0);
      context.scale(-1, 1);
    }
    drawFrame(context, frame, x, y, zoom);
    context.restore();
    return [x, y];
  };

  return { drawBackground, drawFrame, drawStep };
};

// A canvas of this many pixels, cleared.
export const sizedContext = (canvas, width, height) => {
  const [w, h] = [width, height].map((side) => Math.max(1, Math.round(side)));
  if (canvas.width !== w || canvas.height !== h) Object.assign(canvas, { width: w, height: h });
  const context = canvas.getContext("2d");
  context.clearRect(0, 0, w, h);
  return context;
};

// Lines that show on light and on dark: a wide dark one below, a thin one above.
export const strokeTwice = (context, tone, width, draw) => {
  for (const [line, style] of [
    [width + 2, DARK],
    [width, tone],
  ]) {
    context.lineWidth = line;
    context.strokeStyle = style;
    draw();
  }
};

export const drawBox = (context, [x, y, width, height], zoom, isChosen) => {
  const rect = [Math.round(x) + 0.5, Math.round(y) + 0.5, Math.round(width * zoom) - 1, Math.round(height * zoom) - 1];
  strokeTwice(context, isChosen ? HIGHLIGHT : "#ffa95e", isChosen ? 3 : 1, () => context.strokeRect(...rect));
};

// The polygon of a frame, and the lines at which a nine-slice is cut; `at` gives where a point of its canvas is drawn.
export const drawOutlines = (context, frame, at) => {
  const line = (points) => {
    context.beginPath();
    points.forEach(([x, y], n) => context[n ? "lineTo" : "moveTo"](...at(x, y).map((one) => Math.round(one) + 0.5)));
  };
  const polygon = frame.polygon || [];
  if (polygon.length) {
    strokeTwice(context, "#7ee0ff", 1, () => {
      line(polygon);
      context.closePath();
      context.stroke();
    });
  }
  if (!frame.nine) return;
  const [left, top, right, bottom] = frame.nine;
  const [width, height] = frame.canvas;
  strokeTwice(context, "#c79bff", 1, () => {
    for (const x of [left, width - right]) {
      line([
        [x, 0],
        [x, height],
      ]);
      context.stroke();
    }
    for (const y of [top, height - bottom]) {
      line([
        [0, y],
        [width, y],
      ]);
      context.stroke();
    }
  });
};

export const drawPivot = (context, x, y, isChosen) => {
  const [px, py] = [Math.round(x) + 0.5, Math.round(y) + 0.5];
  const arm = isChosen ? 11 : 7;
  strokeTwice(context, isChosen ? HIGHLIGHT : "#ffffff", 1, () => {
    context.beginPath();
    context.moveTo(px - arm, py);
    context.lineTo(px + arm, py);
    context.moveTo(px, py - arm);
    context.lineTo(px, py + arm);
    context.stroke();
  });
};

// What all canvases of some steps take around their pivots: left, top, width, height. `frameOf` gives the frame of a
// step, `shiftOf` how far its drawing is moved.
export const extentOf = (steps, frameOf, shiftOf = () => [0, 0]) => {
  let [left, top, right, bottom] = [0, 0, 1, 1];
  for (const step of steps) {
    const frame = frameOf(step);
    const [px, py] = frame.pivot.map(Math.floor);
    const [width, height] = frame.canvas;
    const low = step.mirror ? Math.round(2 * frame.pivot[0]) - width - px : -px;
    const [dx, dy] = shiftOf(step);
    // Drawings that are pushed over the edge are still seen.
    left = Math.min(left, low, dx ? dx - px : low);
    top = Math.min(top, -py, dy - py);
    right = Math.max(right, low + width, dx ? width + dx - px : low + width);
    bottom = Math.max(bottom, height - py, height + dy - py);
  }
  return { left, top, width: right - left, height: bottom - top };
};
