// Cleaning a sheet as the program does, on RGBA bytes: a flat color made transparent, areas and edges of cells erased,
// specks removed, cells mirrored.

// Colors as the program reads them, in hexadecimal: ff00ff, f0f, with or without #.
export const parseColor = (text) => {
  const found = /^#?([0-9a-f]{3}|[0-9a-f]{6})$/i.exec(text.trim());
  if (!found) return null;
  const digits = found[1].length === 3 ? found[1].replace(/./g, "$&$&") : found[1];
  return [0, 2, 4].map((at) => parseInt(digits.slice(at, at + 2), 16));
};

export const formatColor = (color) => color.map((channel) => channel.toString(16).padStart(2, "0")).join("");

// Areas as they are typed: x,y,width,height, several with ; between them.
export const parseAreas = (text) => {
  const areas = [];
  for (const part of text
    .split(";")
    .map((one) => one.trim())
    .filter(Boolean)) {
    const found = /^(-?\d{1,7})\s*,\s*(-?\d{1,7})\s*,\s*(\d{1,7})\s*,\s*(\d{1,7})$/.exec(part);
    const area = found && found.slice(1).map(Number);
    if (!area || !area[2] || !area[3]) return { problem: "write x,y,width,height, such as 0,0,8,4" };
    areas.push(area);
  }
  return { areas };
};

const NAMED = ["feet", "center", "bottom", "top", "left", "right"];
const CORNERS = ["top-left", "top-right", "bottom-left", "bottom-right"];
export const PIVOTS = [...NAMED, ...CORNERS];
const PLACES = { center: [0.5, 0.5], bottom: [0.5, 1], top: [0.5, 0], left: [0, 0.5], right: [1, 0.5] };

// A pivot as it is typed: {point} for a canvas of a size, an empty object if it is measured, or {problem}.
export const parsePivot = (text, [width, height]) => {
  const word = text.trim();
  if (word === "" || word === "feet") return {};
  if (PLACES[word]) return { point: [PLACES[word][0] * width, PLACES[word][1] * height] };
  const corner = /^(top|bottom)-(left|right)$/.exec(word);
  if (corner) return { point: [corner[2] === "right" ? width : 0, corner[1] === "bottom" ? height : 0] };
  if (/^mark:/.test(word) && parseColor(word.slice(5))) return {};
  const found = /^(-?\d*\.?\d+)(px)?\s*,\s*(-?\d*\.?\d+)(px)?$/.exec(word);
  if (found && Boolean(found[2]) === Boolean(found[4])) {
    const [x, y] = [+found[1], +found[3]];
    return { point: found[2] ? [x, y] : [x * width, y * height] };
  }
  return { problem: "write feet, center, bottom, top-left and so on, 0.5,1 or 16px,30px" };
};

// The pixels without a background: {rgba, pixels: how many went}. It goes from the borders of a part inward, and from
// those of cells; or everywhere. `cells` are rectangles.
export const keyOut = ({ width, rgba }, { color, tolerance, isEverywhere }, part, cells) => {
  const [left, top, wide, high] = part;
  const [right, bottom] = [left + wide, top + high];
  const out = rgba.slice();
  let pixels = 0;
  const goes = (at) =>
    out[at + 3] > 0 &&
    Math.abs(out[at] - color[0]) <= tolerance &&
    Math.abs(out[at + 1] - color[1]) <= tolerance &&
    Math.abs(out[at + 2] - color[2]) <= tolerance;
  const remove = (at) => {
    out.fill(0, at, at + 4);
    pixels += 1;
  };
  if (isEverywhere) {
    for (let y = top; y < bottom; y++) {
      for (let at = 4 * (y * width + left), end = at + 4 * wide; at < end; at += 4) if (goes(at)) remove(at);
    }
    return { rgba: out, pixels };
  }
  const seen = new Uint8Array(width * (rgba.length / 4 / width));
  const open = [];
  const visit = (x, y) => {
    if (x < left || y < top || x >= right || y >= bottom) return;
    const place = y * width + x;
    if (seen[place] || !(out[4 * place + 3] === 0 || goes(4 * place))) return;
    seen[place] = 1;
    open.push(place);
  };
  for (const [x, y, w, h] of [part, ...cells]) {
    for (let n = x; n < x + w; n++) {
      visit(n, y);
      visit(n, y + h - 1);
    }
    for (let n = y; n < y + h; n++) {
      visit(x, n);
      visit(x + w - 1, n);
    }
  }
  while (open.length) {
    const place = open.pop();
    const [x, y] = [place % width, Math.floor(place / width)];
    if (out[4 * place + 3] > 0) remove(4 * place);
    visit(x - 1, y);
    visit(x + 1, y);
    visit(x, y - 1);
    visit(x, y + 1);
  }
  return { rgba: out, pixels };
};

// Erases groups of up to `most` pixels that touch, diagonals too.
const removeSpecks = (pixels, width, height, most) => {
  const seen = new Uint8Array(width * height);
  for (let first = 0; first < width * height; first++) {
    if (seen[first] || !pixels[4 * first + 3]) continue;
    seen[first] = 1;
    const group = [first];
    for (let n = 0; n < group.length; n++) {
      const [x, y] = [group[n] % width, Math.floor(group[n] / width)];
      for (let ny = Math.max(0, y - 1); ny <= Math.min(height - 1, y + 1); ny++) {
        for (let nx = Math.max(0, x - 1); nx <= Math.min(width - 1, x + 1); nx++) {
          const near = ny * width + nx;
          if (seen[near] || !pixels[4 * near + 3]) continue;
          seen[near] = 1;
          group.push(near);
        }
      }
    }
    if (group.length <= most) for (const at of group) pixels.fill(0, 4 * at, 4 * at + 4);
  }
};

// The pixels of a cell on its canvas, clear beyond the sheet.
export const pixelsOfCell = ({ width, height, rgba }, { x, y, w, h }) => {
  const pixels = new Uint8ClampedArray(4 * w * h);
  const columns = Math.min(w, width - x);
  for (let row = 0; row < Math.min(h, height - y); row++) {
    const from = 4 * ((y + row) * width + x);
    pixels.set(rgba.subarray(from, from + 4 * columns), 4 * row * w);
  }
  return pixels;
};

// Cleans the pixels of a cell in place, in the program's order.
export const cleanCell = (pixels, [width, height], { areas, edge, specks }) => {
  for (const [x, y, w, h] of areas) {
    const [left, right] = [Math.max(0, x), Math.min(width, x + w)];
    for (let row = Math.max(0, y); row < Math.min(height, y + h); row++) {
      if (right > left) pixels.fill(0, 4 * (row * width + left), 4 * (row * width + right));
    }
  }
  for (let row = 0; edge > 0 && row < height; row++) {
    const isWhole = row < edge || row >= height - edge || 2 * edge >= width;
    const [from, to] = [4 * row * width, 4 * (row + 1) * width];
    if (isWhole) pixels.fill(0, from, to);
    else {
      pixels.fill(0, from, from + 4 * edge);
      pixels.fill(0, to - 4 * edge, to);
    }
  }
  if (specks > 0) removeSpecks(pixels, width, height, specks);
  return pixels;
};

// Mirrors the pixels of a cell in place.
export const mirrorCell = (pixels, [width, height], way) => {
  const before = new Uint32Array(pixels.slice().buffer);
  const after = new Uint32Array(pixels.buffer);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const from = way === "left-right" ? y * width + (width - 1 - x) : (height - 1 - y) * width + x;
      after[y * width + x] = before[from];
    }
  }
  return pixels;
};

export const isBlank = (pixels) => {
  for (let at = 3; at < pixels.length; at += 4) if (pixels[at]) return false;
  return true;
};
