// An atlas on a browser's canvas, in TypeScript: the module that `shibori export pond --template typescript` writes, and
// how a frame is drawn.
import { type Clip, type Step, frames, pages } from "./pond.js";

/** Reads the pages, which lie beside the page that asks. */
export async function loadPages(): Promise<HTMLImageElement[]> {
  return Promise.all(
    pages.map(async ({ file }) => {
      const image = new Image();
      image.src = file;
      await image.decode();
      return image;
    }),
  );
}

export interface Look {
  readonly scale?: number;
  readonly mirror?: boolean;
}

type Context = CanvasRenderingContext2D | OffscreenCanvasRenderingContext2D;

/** Draws a frame with its pivot at x, y. */
export function drawFrame(context: Context, images: readonly HTMLImageElement[], index: number, x: number, y: number, look: Look = {}): void {
  const { page, rect: [left, top, width, height], rotated, inset, pivot } = frames[index]!;
  const { scale = 1, mirror = false } = look;
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
  context.drawImage(images[page]!, left, top, width, height, 0, 0, width, height);
  context.restore();
}

/** The step that a clip shows after this many milliseconds; its last where it has played to the end. */
export function stepAt(clip: Clip, ms: number): Step {
  const last = clip.playback[clip.playback.length - 1]!;
  const whole = clip.playback.reduce((sum, step) => sum + step.ms, 0);
  if (clip.plays > 0 && ms >= whole * clip.plays) return last;
  let at = ms % whole;
  for (const step of clip.playback) {
    if (at < step.ms) return step;
    at -= step.ms;
  }
  return last;
}
