// Shows each clip of a style sheet at the times of times.txt and prints what a browser paints, as PNG.
// node verify.mjs FOLDER times.txt CHROMIUM, where FOLDER holds what `shibori export pond --to css` wrote.
import { readFileSync, writeFileSync } from "node:fs";
import { join, resolve } from "node:path";
import { pathToFileURL } from "node:url";
import { chromium } from "playwright-core";

const [folder, times, executablePath] = process.argv.slice(2);
const { frames, clips } = JSON.parse(readFileSync(join(folder, "pond.json"), "utf8"));
const browser = await chromium.launch({ executablePath, args: ["--no-sandbox"] });
try {
  const page = await browser.newPage({ viewport: { width: 256, height: 256 } });
  const show = resolve(folder, "verify.html");
  writeFileSync(show, '<!doctype html><link rel="stylesheet" href="pond.css"><span role="img" aria-label="frame" style="position: absolute; left: 64px; top: 64px"></span>');
  await page.goto(pathToFileURL(show).href);
  const element = page.locator("span");
  for (const line of readFileSync(times, "utf8").trim().split("\n")) {
    const [sprite, name, seconds] = line.split(" ");
    const clip = clips.find((clip) => clip.sprite === sprite && clip.name === name);
    const [width, height] = frames[clip.steps[0].frame].canvas;
    const count = await element.evaluate((element, [names, ms]) => {
      element.className = names;
      const animations = element.getAnimations();
      for (const animation of animations) {
        animation.pause();
        animation.currentTime = ms;
      }
      return animations.length;
    }, [`pond-atlas ${sprite}-${name}`, seconds * 1000]);
    if (count !== 1) throw new Error(`${sprite} ${name}: ${count} animations`);
    const png = await page.screenshot({ omitBackground: true, clip: { x: 64, y: 64, width, height } });
    console.log(`step ${line} ? ? ? ${width} ${height} ${png.toString("base64")}`);
  }
  console.log("end");
} finally {
  await browser.close();
}
