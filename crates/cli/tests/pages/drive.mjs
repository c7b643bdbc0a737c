// Drives the light table in headless Chromium by its labels and by keys, runs the commands it shows with the built program, and compares
// what that writes with what the page showed: cells, clips, times, shifts, pivots, boxes. Random numbers come from a seed.
//
//     node drive.mjs PROGRAM CHROMIUM

import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { cpSync, existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join, resolve } from "node:path";
import { chromium } from "playwright-core";

const [program, browserPath] = process.argv.slice(2);
const home = mkdtempSync(join(tmpdir(), "shibori-pages-"));
const shell = (line) => execFileSync("sh", ["-c", line], { cwd: home, stdio: ["ignore", "pipe", "pipe"] }).toString();
// The program under its own name, so that a command is run just as it stands on the page.
const typed = (command) => command.split("\n").forEach((line) => {
  assert.match(line, /^shibori /);
  shell(`shibori() { "${resolve(program)}" "$@"; }; ${line}`);
});
const manifest = (file) => JSON.parse(readFileSync(join(home, file), "utf8"));

let seed = 20261126;
const random = (below) => { seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0; return Math.floor(seed / 2 ** 32 * below); };
const pick = (list) => list[random(list.length)];

const browser = await chromium.launch({ executablePath: browserPath, args: ["--no-sandbox"] });
const opened = async (source, file, options = {}, kind = "light-table") => {
  typed(`shibori preview ${kind} ${source} -o ${file} --quiet --force`);
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, ...options });
  const errors = [];
  page.on("pageerror", (error) => errors.push(String(error)));
  page.on("request", (request) => { if (!/^(file|data|blob):/.test(request.url())) errors.push(`asks the network for ${request.url()}`); });
  await page.goto(`file://${join(home, file)}`);
  await page.waitForSelector("body[data-ready=yes]");
  const field = (name) => page.getByLabel(name, { exact: true });
  return { page, errors, field, command: () => field("Command").inputValue(), shown: () => page.evaluate(() => window.shown()), close: async () => { assert.deepEqual(errors, []); await page.close(); } };
};
const times = ({ clips }, frames) => clips.map(({ sprite, name, play, plays, timescale, steps }) => [sprite, name, play, plays || 0, steps.map((step) => [step.frame, step.ticks / timescale, Boolean(step.mirror), step.event || ""])]);
const near = (a, b, what) => {
  const round = (value) => JSON.parse(JSON.stringify(value, (_, one) => typeof one === "number" ? +one.toFixed(9) : one));
  assert.deepEqual(round(a), round(b), what);
};

const tests = {
  "a sheet: labels, typing, undo, the address": async () => {
    const { page, field, command, close } = await opened("pond/art/frog.png", "sheet.html");
    for (const label of ["Cell width", "Cell height", "Offset x", "Offset y", "Gutter x", "Gutter y", "Columns", "Rows", "Frames per second", "Command"]) {
      assert.equal(await page.getByLabel(label, { exact: true }).count(), 1, label);
    }
    await field("Columns").fill("4");
    assert.match(await command(), /--grid 8x4 /, "a number counts once it is entered");
    await field("Columns").press("Enter");
    const first = await command();
    assert.match(first, /--grid 4x4 --cell 64x32 /);
    await page.keyboard.press("Control+z");
    assert.match(await command(), /--grid 8x4 --cell 32x32 /);
    await page.keyboard.press("Control+Shift+z");
    assert.equal(await command(), first);
    await field("Gutter x").focus();
    await page.keyboard.press("Shift+ArrowUp");
    assert.equal(await field("Gutter x").inputValue(), "10");
    await field("Name of row 1").fill("croak");
    const last = await command();
    await page.reload();
    await page.waitForSelector("body[data-ready=yes]");
    assert.equal(await command(), last);
    await field("Rows").fill("2.5");
    await field("Rows").press("Enter");
    assert.equal(await field("Rows").inputValue(), "4", "what can't be goes back to what was");
    assert.match(await page.locator("#said").textContent(), /whole number/);
    await field("Cell width").fill("999");
    await field("Cell width").press("Enter");
    assert.equal(await command(), "", "what can't be cut has no command");
    assert.match(await page.locator("#wrong").textContent(), /999 px/);
    await close();
  },

  "a sheet: random cuts and clips come out as shown": async () => {
    for (const art of ["frog", "koi", "duckling"]) {
      const { page, field, command, shown, close } = await opened(`pond/art/${art}.png`, `${art}.html`);
      for (let round = 0; round < 8; round++) {
        for (let n = 0; n < 1 + random(4); n++) {
          const label = pick(["Columns", "Rows", "Cell width", "Cell height", "Offset x", "Offset y", "Gutter x", "Gutter y"]);
          {
            await field(label).fill(String(label.startsWith("C") && label !== "Columns" ? 8 + random(60) : /Columns|Rows/.test(label) ? 1 + random(8) : random(6)));
            await field(label).press("Enter");
          }
        }
        if (random(2)) await field("Reading order").selectOption(pick(["across", "down"]));
        if (random(2)) await page.locator("#over").press(pick(["ArrowLeft", "Shift+ArrowRight", "ArrowDown", "ArrowUp"]));
        await field("Frames per second").fill(pick(["8", "12", "7.5", "24"]));
        const names = page.locator("#tracks input[id]").first();
        await names.fill(pick(["walk", "big leap", "it's", "héron"]));
        const line = await command();
        if (!line) continue;
        rmSync(join(home, art), { recursive: true, force: true });
        typed(line);
        const seen = await shown(), made = manifest(`${art}/frames.json`);
        near(made.frames.map((frame) => frame.source.rect), seen.cells, line);
        near(made.clips.map(({ name, play, plays, timescale, steps }) => [name, play, plays || 0, steps.map((step) => [step.frame, step.ticks / timescale])]), seen.clips, line);
      }
      await close();
    }
  },

  "a sheet: lines and the grid are dragged, cells clicked": async () => {
    const { page, command, close } = await opened("pond/art/frog.png", "sheet.html");
    const box = await page.locator("#over").boundingBox(), zoom = box.width / 256;
    const drag = async ([x, y], [dx, dy]) => {
      await page.mouse.move(box.x + x * zoom, box.y + y * zoom);
      await page.mouse.down();
      await page.mouse.move(box.x + (x + dx) * zoom, box.y + (y + dy) * zoom, { steps: 4 });
      await page.mouse.up();
      await page.waitForTimeout(60);
    };
    await drag([16, 16], [5, 3]);
    assert.match(await command(), /--grid 7x3 --cell 32x32 --offset 5,3 /);
    await page.getByRole("button", { name: "8×4 of 32×32 px" }).click();
    await drag([32, 40], [32, 0]);
    assert.match(await command(), /--grid 4x4 --cell 64x32 /);
    await page.getByRole("button", { name: "8×4 of 32×32 px" }).click();
    await page.getByLabel("Name of row 2").fill("leap");
    await page.mouse.click(box.x + 240 * zoom, box.y + 80 * zoom);
    await page.mouse.click(box.x + 16 * zoom, box.y + 16 * zoom);
    assert.match(await command(), /--clip "leap = 10-16,0 @10fps"/);
    await close();
  },

  "separate drawings come out as shown": async () => {
    const { field, command, shown, close } = await opened("pond/art/reeds.png", "reeds.html");
    await field("Slice by").selectOption("drawings");
    await field("Name of row 0").fill("sway");
    const seen = await shown();
    typed(await command());
    const made = manifest("reeds/frames.json");
    near(made.frames.map((frame) => frame.source.rect), seen.cells);
    near(made.clips.map(({ name, play, plays, timescale, steps }) => [name, play, plays || 0, steps.map((step) => [step.frame, step.ticks / timescale])]), seen.clips);
    await close();
  },

  "a set: random pushes, pivots, boxes and times come out as shown": async () => {
    for (const [source, copy] of [["pond/sets/frog", "frogs"], ["pond/sets/duckling", "ducks"], ["pond/atlas/pond", null]]) {
      if (copy) cpSync(join(home, source), join(home, copy), { recursive: true });
      const { page, field, command, shown, close } = await opened(copy || source, "set.html");
      await page.locator("#play").click();
      const clips = await page.locator("#gallery button").count();
      for (let round = 0; round < 6; round++) {
        await page.locator("#gallery button").nth(random(clips)).click();
        for (let n = random(4); n > 0; n--) await page.locator("#stage").press(".");
        const what = random(5);
        if (what === 0) { await field("Drag").selectOption("drawing"); await page.locator("#stage").press(pick(["Shift+ArrowLeft", "ArrowUp", "Shift+ArrowDown", "ArrowRight"])); await field("Shift x").fill(String(random(20) - 10)); await field("Shift x").press("Enter"); }
        if (what === 1) { await field("Drag").selectOption("pivot"); await field("Pivot x").fill(String(random(60) / 2)); await field("Pivot x").press("Enter"); await page.locator("#stage").press("Shift+ArrowUp"); }
        if (what === 2) { await field("New box name").fill(pick(["body", "the foot"])); await page.getByRole("button", { name: "Add a box" }).click(); await field("Box width").fill(String(1 + random(30))); await field("Box width").press("Enter"); await page.locator("#stage").press("ArrowLeft"); }
        if (what === 3) { await field("Step duration, ms").fill(String(1 + random(500))); await field("Step duration, ms").press("Enter"); await page.getByRole("button", { name: pick(["Earlier", "Later", "Double duration", "Duplicate", "Remove"]) }).click(); }
        if (what === 4) { await field("Frames per second").fill(pick(["9", "12.5", "30"])); await field("Play mode").selectOption(pick(["loop", "once", "bounce"])); }
      }
      const lines = await command(), places = await page.evaluate(() => document.getElementById("per-frame-part").hidden ? "" : document.getElementById("per-frame").value);
      assert.notEqual(lines, "");
      if (places) writeFileSync(join(home, await page.evaluate(() => document.getElementById("save").download)), places);
      const seen = await shown();
      typed(lines);
      const made = manifest(copy ? `${copy}/frames.json` : existsSync(join(home, "pond-moved")) ? "pond-moved/frames.json" : "pond/atlas/pond.json");
      near(made.frames.map(({ canvas, pivot, boxes }) => ({ canvas, pivot, boxes: Object.entries(boxes || {}).sort() })), seen.frames.map(({ canvas, pivot, boxes }) => ({ canvas, pivot, boxes })), lines);
      near(times(made), seen.clips, lines);
      // The drawing lies where the page had it.
      await page.close();
      const again = await opened(copy || (existsSync(join(home, "pond-moved")) ? "pond-moved" : source), "again.html");
      near((await again.shown()).frames.map(({ drawn }) => drawn), seen.frames.map(({ drawn }) => drawn), lines);
      await again.close();
    }
  },

  "what is typed stays while it plays, and belongs to the frame that was up": async () => {
    cpSync(join(home, "pond/sets/frog"), join(home, "typing"), { recursive: true });
    const { page, field, command, close } = await opened("typing", "typing.html");
    const time = field("Step duration, ms");
    await time.click();
    const step = (await page.locator("#now").textContent()).match(/^step (\d+)/)[1];
    await time.fill("");
    await page.waitForTimeout(700);
    await page.keyboard.type("120", { delay: 90 });
    assert.equal(await time.inputValue(), "120");
    assert.equal(await command(), "", "nothing counts before it is entered");
    await page.keyboard.press("Enter");
    assert.match(await page.locator("#now").textContent(), new RegExp(`^step ${step}: .* 120 ms`));
    assert.match(await command(), /@120ms|x\d/);
    const lines = await command();
    for (const wrong of ["1.5", "700000", ""]) {
      await time.fill(wrong);
      await page.keyboard.press("Enter");
      assert.equal(await time.inputValue(), "120");
      assert.equal(await command(), lines);
    }
    await time.fill("99");
    await page.keyboard.press("Escape");
    assert.equal(await time.inputValue(), "120");
    // Whoever leaves the field sees it play on.
    await page.locator("#stage").focus();
    const seen = new Set();
    for (let n = 0; n < 12; n++, await page.waitForTimeout(60)) seen.add(await page.locator("#now").textContent());
    assert.ok(seen.size > 1);
    await close();
  },

  "a link carries only what the page could have made": async () => {
    for (const [source, name, change] of [
      ["pond/art/frog.png", "link.html", (state) => state.grid.count.push("1; touch F #")],
      ["pond/sets/frog", "links.html", (state) => Object.assign(state, { clips: { 0: { name: "a", steps: "1; touch F #" } } })],
    ]) {
      const { page, command, close } = await opened(source, name);
      const before = await command();
      const word = await page.evaluate((text) => {
        const change = new Function(`return ${text}`)();
        const state = JSON.parse(JSON.stringify(window.start()));
        change(state);
        return btoa(String.fromCharCode(...new TextEncoder().encode(JSON.stringify(state))));
      }, change.toString());
      const address = page.url().split("#")[0];
      await page.goto("about:blank");
      await page.goto(`${address}#${word.replace(/\+/g, "-").replace(/\//g, "_").replace(/=+$/, "")}`);
      await page.waitForSelector("body[data-ready=yes]");
      assert.equal(await command(), before);
      assert.match(await page.locator("#said").textContent(), /link is damaged/);
      await close();
    }
  },

  "what was done is not asked for again": async () => {
    cpSync(join(home, "pond/sets/frog"), join(home, "done"), { recursive: true });
    const { page, field, command, close } = await opened("done", "done.html");
    await page.locator("#play").click();
    await field("Shift x").fill("-12"); await field("Shift x").press("Enter");
    await field("Frames per second").fill("9");
    writeFileSync(join(home, "done-per-frame.csv"), await page.evaluate(() => document.getElementById("per-frame").value));
    const address = page.url(), lines = await command();
    typed(lines);
    // The same page of the frames as they are now, with the old address: nothing is left to do.
    typed("shibori preview light-table done -o done.html --quiet");
    await page.goto("about:blank");
    await page.goto(address);
    await page.waitForSelector("body[data-ready=yes]");
    assert.equal(await command(), "");
    assert.equal(await field("Frames per second").inputValue(), "9");
    // Art that changed otherwise keeps what was asked for.
    rmSync(join(home, "done"), { recursive: true });
    typed("shibori adjust pond/sets/frog --mirror left-right -o done");
    typed("shibori preview light-table done -o done.html --quiet");
    await page.goto("about:blank");
    await page.goto(address);
    await page.waitForSelector("body[data-ready=yes]");
    assert.equal(await command(), lines);
    await close();
  },

  "a folder of images becomes a set with what was done": async () => {
    const { page, field, command, close } = await opened("pond/art/lantern", "folder.html");
    await page.locator("#play").click();
    await field("Frames per second").fill("6");
    await field("Drag").selectOption("pivot");
    await page.locator("#stage").press("Shift+ArrowDown");
    const line = await command();
    assert.match(line, /^shibori slice pond\/art\/lantern --pivot /);
    typed(line);
    assert.equal(manifest("lantern/frames.json").clips[0].timescale, 6);
    await close();
  },

  "the page that plays: clips on the clock, steps, controls": async () => {
    const { page, close } = await opened("pond/sets/frog", "clips.html", {}, "html");
    const { clips } = manifest("pond/sets/frog/frames.json"), leap = clips.find(({ name }) => name === "leap");
    let begun = 0;
    for (const [at, step] of leap.steps.entries()) {
      assert.equal(await page.evaluate((seconds) => window.stepOf("leap", seconds), begun / leap.timescale), at);
      begun += step.ticks;
      assert.equal(await page.evaluate((seconds) => window.stepOf("leap", seconds), (begun - .01) / leap.timescale), at);
    }
    await page.keyboard.press(" ");
    assert.equal(await page.locator("#play").textContent(), "Play");
    const told = () => page.locator("figcaption .what").nth(1).textContent();
    await page.evaluate(() => window.stopAt(0));
    const before = await told();
    await page.keyboard.press("ArrowRight");
    assert.notEqual(await told(), before);
    assert.equal(await page.locator("canvas.stage").count(), clips.length);
    await close();
  },

  "every field and button has a name, in every view": async () => {
    for (const source of ["pond/art/frog.png", "pond/sets/heron"]) {
      const { page, close } = await opened(source, "names.html", { viewport: { width: 420, height: 800 }, colorScheme: "dark" });
      const nameless = await page.evaluate(() => [...document.querySelectorAll("input, select, textarea, button, canvas")].filter((one) => !one.closest("[hidden]") && one.offsetParent)
        .filter((one) => !(one.labels && one.labels.length && one.labels[0].textContent.trim()) && !one.getAttribute("aria-label") && !(one.tagName === "BUTTON" && one.textContent.trim()) && !one.closest("button")).map((one) => one.outerHTML.slice(0, 120)));
      assert.deepEqual(nameless, []);
      assert.ok(await page.evaluate(() => document.documentElement.scrollWidth <= innerWidth), "nothing extends beyond a narrow window");
      await close();
    }
  },
};

shell(`"${resolve(program)}" demo pond --quiet`);
let failed = 0;
for (const [name, test] of Object.entries(tests)) {
  try { await test(); console.log(`ok      ${name}`); } catch (error) { failed++; console.log(`FAILED  ${name}\n${error.stack}`); }
}
await browser.close();
if (!failed) rmSync(home, { recursive: true, force: true });
else console.log(`what they worked on is in ${home}`);
process.exit(failed ? 1 : 0);
