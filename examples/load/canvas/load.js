// Draws frames of a shibori atlas on a 2D canvas. Needs nothing but a browser.

/** Reads a manifest and its pages. */
export async function loadAtlas(url) {
  const manifest = await (await fetch(url)).json();
  if (manifest.format !== "shibori/1") throw new Error(`${url}: not a shibori/1 manifest`);
  const load = async ({ file }) => {
    const image = new Image();
    image.src = new URL(file, new URL(url, document.baseURI)).href;
    await image.decode();
    return image;
  };
  return { ...manifest, images: await Promise.all(manifest.pages.map(load)) };
}

/** Draws a frame with its pivot at x, y. */
export function drawFrame(context, atlas, index, x, y, { scale = 1, mirror = false } = {}) {
  const { page, rect: [left, top, width, height], rotated, inset, pivot } = atlas.frames[index];
  if (width === 0) return; // nothing of it shows
  context.save();
  context.imageSmoothingEnabled = false;
  context.translate(x, y);
  context.scale(mirror ? -scale : scale, scale);
  context.translate(inset[0] - pivot[0], inset[1] - pivot[1]);
  if (rotated) {
    // It lies a quarter clockwise on the page: turn it back.
    context.translate(0, width);
    context.rotate(-Math.PI / 2);
  }
  context.drawImage(atlas.images[page], left, top, width, height, 0, 0, width, height);
  context.restore();
}

/** The step that a clip shows after this many seconds, or its last where it has played to the end. */
export function stepAt(clip, seconds) {
  const steps = clip.steps;
  const back = clip.play === "bounce" ? steps.slice(1, -1).reverse() : [];
  const way = [...steps, ...back];
  const ticks = way.reduce((sum, step) => sum + step.ticks, 0);
  let at = seconds * clip.timescale;
  if (clip.plays > 0 && at >= ticks * clip.plays) return way[way.length - 1];
  at %= ticks;
  for (const step of way) {
    if (at < step.ticks) return step;
    at -= step.ticks;
  }
  return way[0];
}
