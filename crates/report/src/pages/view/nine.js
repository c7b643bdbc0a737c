// Panels: frames with a nine-slice, stretched as a game stretches them.
import { make } from "./dom.js";
import { sizedContext } from "./paint.js";

// Draws a frame over a size in its own pixels: corners as they are, edges and middle stretched.
const drawNine = (context, source, [left, top, right, bottom], [width, height], zoom) => {
  const spans = (start, end, from, to) => [
    [0, start, 0, start],
    [start, from - start - end, start, to - start - end],
    [from - end, end, to - end, end],
  ];
  const [across, down] = [spans(left, right, source.width, width), spans(top, bottom, source.height, height)];
  context.imageSmoothingEnabled = false;
  for (const [sx, sw, x, w] of across) {
    for (const [sy, sh, y, h] of down) {
      if (sw > 0 && sh > 0 && w > 0 && h > 0) {
        context.drawImage(source, sx, sy, sw, sh, x * zoom, y * zoom, w * zoom, h * zoom);
      }
    }
  }
};

// A panel whose lower right corner is dragged, or moved with the arrow keys.
export const createPanel = (painter, zoom = 2) => {
  const [figure, stage, canvas, corner] = [make("figure"), make("div", null, "panel"), make("canvas"), make("button")];
  const caption = make("figcaption", "", "what");
  const panel = { figure, canvas, visible: false };
  let [frame, size] = [null, null];
  corner.type = "button";
  corner.className = "corner";
  canvas.setAttribute("role", "img");
  stage.append(canvas, corner);
  figure.append(stage, caption);
  const resize = (to) => {
    const [left, top, right, bottom] = frame.nine;
    const least = [left + right, top + bottom];
    size = [0, 1].map((axis) => Math.max(1, least[axis], Math.min(1024, Math.round(to[axis]))));
    panel.draw();
  };
  panel.show = (next) => {
    if (next !== frame) size = next.canvas.map((side) => Math.min(1024, Math.round(side * 2)));
    frame = next;
    canvas.setAttribute("aria-label", `${frame.name}, stretched`);
    corner.setAttribute("aria-label", `Size of the panel ${frame.name}: arrow keys stretch it`);
    corner.dataset.arrows = "yes";
    panel.draw();
  };
  panel.draw = () => {
    if (!frame) return;
    const whole = make("canvas");
    painter.drawFrame(sizedContext(whole, ...frame.canvas), frame, 0, 0, 1);
    const context = sizedContext(canvas, size[0] * zoom, size[1] * zoom);
    painter.drawBackground(context, canvas.width, canvas.height, zoom);
    drawNine(context, whole, frame.nine, size, zoom);
    const sides = `left ${frame.nine[0]}, top ${frame.nine[1]}, right ${frame.nine[2]}, bottom ${frame.nine[3]} px`;
    caption.textContent = `${frame.name}: ${size.join("×")} px, from ${frame.canvas.join("×")}; ${sides}`;
  };
  corner.addEventListener("pointerdown", (event) => {
    const [from, begun] = [[event.clientX, event.clientY], size];
    const scale = canvas.getBoundingClientRect().width / size[0];
    corner.setPointerCapture(event.pointerId);
    const move = (event) => {
      resize([begun[0] + (event.clientX - from[0]) / scale, begun[1] + (event.clientY - from[1]) / scale]);
    };
    corner.addEventListener("pointermove", move);
    const end = () => corner.removeEventListener("pointermove", move);
    corner.addEventListener("pointerup", end, { once: true });
    corner.addEventListener("pointercancel", end, { once: true });
  });
  corner.addEventListener("keydown", (event) => {
    const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    if (!way) return;
    event.preventDefault();
    event.stopPropagation();
    resize([0, 1].map((axis) => size[axis] + way[axis] * (event.shiftKey ? 10 : 1)));
  });
  return panel;
};
