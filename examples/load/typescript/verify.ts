// Every frame and box, and every clip at the times of times.txt, for comparison.
import { drawFrame, loadPages, stepAt } from "./atlas.js";
import { clips, frames } from "./pond.js";

const tell = (text: string): Promise<unknown> => fetch("/result", { method: "POST", body: text });

async function lines(): Promise<string[]> {
  const images = await loadPages();
  const picture = (index: number, mirror: boolean): string => {
    const { canvas: [width, height], pivot: [x, y] } = frames[index]!;
    const context = new OffscreenCanvas(width, height).getContext("2d")!;
    drawFrame(context, images, index, x, y, { mirror });
    return `${width} ${height} ${btoa(String.fromCharCode(...context.getImageData(0, 0, width, height).data))}`;
  };
  const every = (told: "frame" | "mirrored"): string[] =>
    frames.map(({ sprite, name }, at) => `${told} ${sprite} ${name} ${picture(at, told === "mirrored")}`);
  const boxes = frames.flatMap(({ sprite, name, boxes }) =>
    Object.entries(boxes).map(([box, area]) => `box ${sprite} ${name} ${box} ${area.join(" ")}`),
  );
  const times = (await (await fetch("times.txt")).text()).trim().split("\n");
  const steps = times.map((line) => {
    const [sprite, name, seconds] = line.split(" ");
    const clip = Object.values(clips).find((clip) => clip.sprite === sprite && clip.name === name)!;
    const { frame, mirror, event } = stepAt(clip, Number(seconds) * 1000);
    return `step ${line} ${frame} ${mirror ? "mirrored" : "upright"} ${event ?? "-"} ${picture(frame, mirror)}`;
  });
  return [...every("frame"), ...every("mirrored"), ...boxes, ...steps, "end"];
}

await tell((await lines().catch((error: Error) => [`failed ${error.stack}`])).join("\n"));
