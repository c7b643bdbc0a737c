// Plays the clips of an atlas side by side.
import { drawFrame, loadPages, stepAt } from "./atlas.js";
import { type Clip, clips } from "./pond.js";

const images = await loadPages();

function stage(clip: Clip): () => void {
  const figure = document.body.appendChild(document.createElement("figure"));
  const canvas = figure.appendChild(document.createElement("canvas"));
  [canvas.width, canvas.height] = [192, 192];
  figure.appendChild(document.createElement("figcaption")).textContent = `${clip.sprite} ${clip.name}`;
  const context = canvas.getContext("2d")!;
  return () => {
    context.clearRect(0, 0, 192, 192);
    const step = stepAt(clip, performance.now());
    drawFrame(context, images, step.frame, 96, 144, { scale: 2, mirror: step.mirror });
  };
}

const stages = Object.values(clips).map(stage);
requestAnimationFrame(function draw() {
  stages.forEach((show) => show());
  requestAnimationFrame(draw);
});
