// Drives the pages in headless Chromium by labels and by keys, runs the commands they show with the built program, builds
// the recipes they show, and compares what comes out with what the page showed: cells, clips, times, shifts, pivots,
// boxes, events. Random numbers come from a seed.
//
//     node drive.mjs PROGRAM CHROMIUM [SEED [SESSIONS]]

import assert from "node:assert/strict";
import { execFileSync, spawn } from "node:child_process";
import {
  appendFileSync,
  cpSync,
  existsSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from "node:fs";
import { createRequire } from "node:module";
import { tmpdir } from "node:os";
import { join, resolve } from "node:path";
import { chromium } from "playwright-core";

const [program, browserPath, seedText = "20261126", sessionsText = "6"] = process.argv.slice(2);
const SESSIONS = +sessionsText;
const home = mkdtempSync(join(tmpdir(), "shibori-pages-"));
// The program under its own name, so that a command is run just as it is on the page.
const named = `shibori() { "${resolve(program)}" "$@"; }; `;
const shell = (line, cwd = home) => {
  try {
    return execFileSync("sh", ["-c", named + line], { cwd, stdio: ["ignore", "pipe", "pipe"] }).toString();
  } catch (error) {
    throw new Error(`${line}\n${error.stderr}`);
  }
};
const typed = (command, cwd) => {
  assert.match(command, /^shibori /);
  return shell(command, cwd);
};
const path = (file) => join(home, file);
const manifest = (file) => JSON.parse(readFileSync(path(file), "utf8"));

let seed = +seedText;
const random = (below) => {
  seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0;
  return Math.floor((seed / 2 ** 32) * below);
};
const pick = (list) => list[random(list.length)];

const browser = await chromium.launch({ executablePath: browserPath, args: ["--no-sandbox"] });
const shownIn = async (file, options = {}) => shownAt(`file://${path(file)}`, options);
const shownAt = async (address, options = {}) => {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, ...options });
  const own = address.startsWith("http") ? new URL(address).origin : "none";
  const errors = [];
  page.on("pageerror", (error) => errors.push(String(error)));
  page.on("request", (request) => {
    if (!/^(file|data|blob):/.test(request.url()) && !request.url().startsWith(`${own}/`))
      errors.push(`asks the network for ${request.url()}`);
  });
  await page.goto(address);
  await page.waitForSelector("body[data-ready=yes]");
  const field = (name) => page.getByLabel(name, { exact: true });
  const valueOf = (id) => page.evaluate((id) => document.getElementById(id).value, id);
  return {
    page,
    errors,
    field,
    press: (name) => page.getByRole("button", { name, exact: true }).click(),
    enter: async (name, text) => {
      await field(name).fill(text);
      await field(name).press("Enter");
    },
    command: () => page.inputValue("#command"),
    recipe: () => valueOf("recipe"),
    // Saves the per-frame file, if there is one, where a person would.
    savePerFrame: async (folder = ".") => {
      const [isHidden, name] = await page.evaluate(() => {
        return [document.getElementById("per-frame-part").hidden, document.getElementById("save").download];
      });
      if (!isHidden) writeFileSync(join(home, folder, name), await valueOf("per-frame"));
    },
    shown: () => page.evaluate(() => window.shown()),
    close: async () => {
      assert.deepEqual(errors, []);
      await page.close();
    },
  };
};
const opened = async (source, file, options = {}, kind = "light-table") => {
  shell(`shibori preview ${kind} '${source}' -o '${file}' --quiet --force`);
  return shownIn(file, options);
};

// Waits for what a page computes, in any tab: browsers draw nothing in those behind others, so drawing can't be waited for.
// Playwright's own wait treats a promise as true, whatever it resolves to.
const until = async (page, isSo, argument) => {
  const end = performance.now() + 90000;
  while (true) {
    try {
      if (await page.evaluate(isSo, argument)) return;
    } catch (error) {
      // The page loads again.
      if (!/context was destroyed|navigation|Failed to fetch/.test(error.message)) throw error;
    }
    if (performance.now() > end) throw new Error(`never came: ${isSo}\n${page.url()}\n${await page.innerText("#out")}`);
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
};

// Waits until a page shows the files as they are.
const settled = (page) =>
  until(page, async () => {
    const live = JSON.parse(document.getElementById("live")?.textContent || "null");
    if (!live || document.body.dataset.ready !== "yes") return false;
    const status = await (await fetch(`${live.root}/.shibori/status`)).json();
    return status.version === live.version;
  });

// A program that serves a page until it is stopped; `says` finds the address in what it says.
const serve = (words, says) =>
  new Promise((resolve, reject) => {
    const child = spawn(program, words, { cwd: home });
    let heard = "";
    const listen = (bytes) => {
      heard += bytes;
      const found = says.exec(heard);
      if (found) resolve({ address: found[1], stop: () => child.kill() });
    };
    child.stdout.on("data", listen);
    child.stderr.on("data", listen);
    child.on("exit", () => reject(new Error(`it ended: ${heard}`)));
  });

// What axe finds on a page with all its parts open.
const axe = readFileSync(createRequire(import.meta.url).resolve("axe-core/axe.min.js"), "utf8");
const axeFinds = async (page) => {
  await page.evaluate(() => document.querySelectorAll("details").forEach((one) => (one.open = true)));
  await page.evaluate(axe);
  return page.evaluate(async () => {
    const { violations } = await window.axe.run(document, { resultTypes: ["violations"] });
    const describe = ({ html, failureSummary }) => `${html.slice(0, 120)} ${failureSummary.slice(0, 200)}`;
    return violations.map(({ id, nodes }) => `${id}: ${nodes.slice(0, 3).map(describe).join(" | ")}`);
  });
};

// ---- results, in the form the pages use
const stepsOf = ({ steps, timescale }) =>
  steps.map((step) => [step.frame, step.ticks / timescale, Boolean(step.mirror), step.event || ""]);
const ofSheet = ({ clips }) => clips.map((clip) => [clip.name, clip.play, clip.plays || 0, stepsOf(clip)]);
const ofSet = ({ frames, clips }) => ({
  frames: frames.map(({ canvas, pivot, boxes }) => ({
    canvas,
    pivot,
    boxes: Object.entries(boxes || {}).sort(([a], [b]) => (a < b ? -1 : 1)),
  })),
  clips: clips.map((clip) => [clip.sprite, clip.name, clip.play, clip.plays || 0, stepsOf(clip)]),
});
// Clips in any order. Where things are drawn is compared by opening a page of the result.
const comparable = ({ frames, clips }) => ({
  frames: frames.map(({ canvas, pivot, boxes }) => ({ canvas, pivot, boxes })),
  clips: [...clips].sort((a, b) => `${a[0]}:${a[1]}`.localeCompare(`${b[0]}:${b[1]}`)),
});
const near = (a, b, what) => {
  const round = (value) =>
    JSON.parse(JSON.stringify(value, (_, one) => (typeof one === "number" ? +one.toFixed(9) : one)));
  assert.deepEqual(round(a), round(b), what);
};
const drawnIn = async (source) => {
  const { shown, close } = await opened(source, "again.html");
  const { frames } = await shown();
  await close();
  return frames.map(({ drawn }) => drawn);
};

// ---- actions on a light table of frames
const ACTIONS = {
  push: async ({ page, field, enter }) => {
    await field("Drag").selectOption("drawing");
    await page.locator("#stage").press(pick(["Shift+ArrowLeft", "ArrowUp", "Shift+ArrowDown", "ArrowRight"]));
    await enter("Shift x", String(random(20) - 10));
  },
  pivot: async ({ page, field, enter }) => {
    await field("Drag").selectOption("pivot");
    await enter("Pivot x", String(random(60) / 2));
    await page.locator("#stage").press("Shift+ArrowUp");
    if (random(2)) await field("all frames, not just this clip").setChecked(Boolean(random(2)));
  },
  box: async ({ page, field, press, enter }) => {
    await field("New box name").fill(pick(["body", "body 2", "the foot", "a=b", "__proto__"]));
    await press("Add a box");
    await enter("Box width", String(1 + random(30)));
    await page.locator("#stage").press("ArrowLeft");
  },
  "box of this frame": async ({ page, field, enter }) => {
    const boxes = await page.locator("#table-numbers select >> nth=1").locator("option").allTextContents();
    const box = boxes.find((text) => text.startsWith("the box "));
    if (!box) return;
    await field("Drag").selectOption(box.slice(4));
    await enter(pick(["Box x", "Box height"]), String(1 + random(9)));
  },
  duration: ({ enter }) => enter("Step duration, ms", String(1 + random(500))),
  order: ({ press }) => press(pick(["Earlier", "Later", "Double duration", "Duplicate", "Remove"])),
  event: ({ enter }) => enter("Event of this step", pick(["splash", "it's", "step=1", ""])),
  frames: async ({ page, enter }) => {
    const before = await page.getByLabel("Clip frames", { exact: true }).inputValue();
    const numbers = before.match(/\d+/g).map(Number);
    await enter("Clip frames", pick([before, `${numbers[0]}x3,${numbers.at(-1)}m`, `${before},${numbers[0]}`]));
  },
  time: ({ enter }) => enter("Rate or time", pick(["9fps", "12.5", "30fps", "80ms", "total 0.7s", "33.333ms"])),
  play: ({ enter }) => enter("Play mode", pick(["loop", "once", "bounce", "loop 3", "bounce 2", "loop mirrored"])),
  name: ({ enter }) => enter("Clip name", pick(["dash", "big leap", "it's", "héron", "a,b", "x@y", "-n"])),
  copy: ({ press }) => press("Copy clip"),
  add: ({ press }) => press("New clip"),
  mirror: ({ press }) => press("Mirror clip"),
  drop: ({ press }) => press("Drop clip"),
  hold: async ({ page }) => {
    const block = page.locator(".block").first();
    await block.focus();
    await block.press(pick(["ArrowRight", "Shift+ArrowRight", "ArrowLeft"]));
  },
  undo: ({ page }) => page.keyboard.press("Control+z"),
  swap: async (table) => {
    const clips = table.page.locator("#gallery button");
    if ((await clips.count()) < 2) return;
    const names = [];
    for (const at of [0, 1]) {
      await clips.nth(at).click();
      names.push(await table.field("Clip name").inputValue());
    }
    if (names.some((name) => !name)) return;
    await table.enter("Clip name", names[0]);
    await clips.nth(0).click();
    await table.enter("Clip name", names[1]);
  },
};
const counts = { actions: 0, commands: 0, recipes: 0, refused: 0 };
const actAtRandom = async (table, wanted = Object.keys(ACTIONS)) => {
  const clips = table.page.locator("#gallery button");
  for (let round = 0; round < 5; round++) {
    await clips.nth(random(await clips.count())).click();
    for (let n = random(4); n > 0; n--) await table.page.locator("#stage").press(".");
    await ACTIONS[pick(wanted)](table);
    counts.actions++;
  }
};
// Whether the page has nothing to paste: no change, or a problem.
const isRefused = async ({ page, command, recipe }) => {
  if (await command()) return false;
  assert.equal(await recipe(), "");
  const problem = await page.locator("#wrong").textContent();
  counts.refused++;
  return Boolean(problem) || (await page.locator("#undo").isDisabled()) || true;
};

const tests = {
  "a sheet: labels, typing, undo, the address": async () => {
    const { page, field, command, enter, close } = await opened("pond/art/frog.png", "sheet.html");
    const labels = ["Cell width", "Cell height", "Offset x", "Offset y", "Gutter x", "Gutter y"];
    for (const label of [...labels, "Columns", "Rows", "Rate or time"]) {
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
    await enter("Rows", "2.5");
    assert.equal(await field("Rows").inputValue(), "4", "what can't be goes back to what was");
    assert.match(await page.locator("#said").textContent(), /whole number/);
    await enter("Cell width", "999");
    assert.equal(await command(), "", "what can't be cut has no command");
    assert.match(await page.locator("#wrong").textContent(), /999 px/);
    await close();
  },

  "a sheet: random cuts and clips come out as shown, by command and by recipe": async () => {
    for (const art of ["frog", "koi", "duckling"]) {
      const table = await opened(`pond/art/${art}.png`, `${art}.html`);
      const { page, field, command, recipe, shown, enter, close } = table;
      for (let round = 0; round < SESSIONS; round++) {
        for (let n = 0; n < 1 + random(4); n++) {
          const label = pick(["Columns", "Rows", "Cell width", "Cell height", "Offset x", "Offset y", "Gutter x"]);
          const [least, most] = { Columns: [1, 8], Rows: [1, 8], "Cell width": [8, 60], "Cell height": [8, 60] }[
            label
          ] || [0, 6];
          await enter(label, String(least + random(most)));
        }
        if (random(2)) await field("Reading order").selectOption(pick(["across", "down"]));
        if (random(2))
          await page.locator("#over").press(pick(["ArrowLeft", "Shift+ArrowRight", "ArrowDown", "ArrowUp"]));
        await enter("Rate or time", pick(["8", "12fps", "7.5", "80ms", "total 0.8s"]));
        const tracks = page.locator("#tracks .track");
        const key = await tracks.nth(random(await tracks.count())).getAttribute("aria-label");
        await enter(`Name of ${key}`, pick(["walk", "big leap", "it's", "héron"]));
        const frames = await field(`Frames of ${key}`).inputValue();
        const number = frames.match(/\d+/)[0];
        await enter(`Frames of ${key}`, pick([frames, `${frames},${number}x3`, `${number}m,${number}@80ms`]));
        await enter(`Play mode of ${key}`, pick(["loop", "once", "loop 3", "bounce 2", "bounce", "loop mirrored"]));
        if (random(2)) await enter(`Events of ${key}`, "0=splash");
        if (random(3) === 0) {
          await page.getByRole("button", { name: `Copy ${key}` }).click();
          await page.keyboard.press("Control+a");
          await page.keyboard.type("again");
        }
        counts.actions++;
        const line = await command();
        if (!line) {
          counts.refused++;
          continue;
        }
        rmSync(path(art), { recursive: true, force: true });
        typed(line);
        const seen = await shown();
        const made = manifest(`${art}/frames.json`);
        near(
          made.frames.map((frame) => frame.source.rect),
          seen.cells,
          line,
        );
        near(ofSheet(made), seen.clips, line);
        counts.commands++;
        writeFileSync(path("shibori.toml"), `${await recipe()}\nset = true\n`);
        shell("shibori build --force --quiet");
        near(ofSheet(manifest(`build/${art}/frames.json`)).sort(), [...seen.clips].sort(), await recipe());
        counts.recipes++;
        for (const at of (await page.locator("#undo").isDisabled()) ? [] : [0, 1, 2]) {
          if (at < random(4) && !(await page.locator("#undo").isDisabled())) await page.locator("#undo").click();
        }
      }
      await close();
    }
  },

  "a sheet: lines and the grid are dragged, cells clicked": async () => {
    const { page, command, press, close } = await opened("pond/art/frog.png", "sheet.html");
    const at = async ([x, y]) => {
      const box = await page.locator("#over").boundingBox();
      return [box.x + (x * box.width) / 256, box.y + (y * box.width) / 256];
    };
    const drag = async ([x, y], [dx, dy]) => {
      await page.mouse.move(...(await at([x, y])));
      await page.mouse.down();
      await page.mouse.move(...(await at([x + dx, y + dy])), { steps: 4 });
      await page.mouse.up();
      await page.waitForTimeout(60);
    };
    await drag([16, 16], [5, 3]);
    assert.match(await command(), /--grid 7x3 --cell 32x32 --offset 5,3 /);
    await press("8×4 of 32×32 px");
    await drag([32, 40], [32, 0]);
    assert.match(await command(), /--grid 4x4 --cell 64x32 /);
    await press("8×4 of 32×32 px");
    await page.getByLabel("Name of row 2").fill("leap");
    await page.mouse.click(...(await at([240, 80])));
    await page.mouse.click(...(await at([16, 16])));
    assert.match(await command(), /--clip "leap = 10-16,0 @10fps"/);
    await close();
  },

  "separate drawings come out as shown, and names of another cut stay": async () => {
    const { field, command, shown, close } = await opened("pond/art/reeds.png", "reeds.html");
    await field("Slice by").selectOption("grid");
    await field("Name of row 0").fill("rustle");
    const grid = await command();
    await field("Slice by").selectOption("drawings");
    await field("Name of row 0").fill("sway");
    const seen = await shown();
    typed(await command());
    const made = manifest("reeds/frames.json");
    near(
      made.frames.map((frame) => frame.source.rect),
      seen.cells,
    );
    near(ofSheet(made), seen.clips);
    const drawings = await command();
    await field("Slice by").selectOption("grid");
    assert.equal(await command(), grid);
    await field("Slice by").selectOption("drawings");
    assert.equal(await command(), drawings);
    await close();
  },

  "live: a sheet is cut, its frames are nudged, and all of it is undone by the byte": async () => {
    const served = await serve(
      ["preview", "light-table", "pond/art/reeds.png", "--serve"],
      /light table of .* at (\S+)/,
    );
    const files = () => shell("ls -d reeds && find reeds -type f ! -path '*/.shibori/*' | sort | xargs md5sum");
    rmSync(path("reeds"), { recursive: true, force: true });
    const table = await shownAt(served.address);
    const { page, field, enter, press, close } = table;
    const said = async (wanted) => {
      await until(page, (wanted) => document.getElementById("done").innerText.includes(wanted), wanted);
      await settled(page);
    };
    await field("Slice by").selectOption("grid");
    await enter("Columns", "500");
    await until(page, () => document.getElementById("apply").disabled);
    await enter("Columns", "4");
    await enter("Cell width", "44");
    await enter("Rows", "2");
    await field("Sheet background").selectOption("auto");
    await enter("Name of row 0", "tall");
    await enter("Name of row 1", "low");
    const line = await table.command();
    await settled(page);
    await press("Apply");
    await said("wrote reeds/frames.json");
    const sliced = files();
    typed(line.replace(/-o reeds$/, "-o 'by hand'"));
    assert.equal(shell("shibori preview changes reeds 'by hand' --strict").includes("no differences"), true);
    // A second tab, which sees what the first one does.
    const other = await shownAt(served.address);
    await until(other.page, () => document.getElementById("done").innerText.includes("wrote reeds"));
    await page.getByRole("link", { name: "Frames" }).click();
    await page.waitForSelector("body[data-ready=yes]");
    await page.locator("#stage").press("ArrowRight");
    await page.locator("#stage").press("ArrowUp");
    await page.locator("#on").click();
    await page.locator("#stage").press("ArrowLeft");
    await until(page, () => document.getElementById("tried").innerText.includes("would write"));
    await page.keyboard.press("Control+Enter");
    await said("frames changed; wrote");
    await settled(other.page);
    for (const [width, colorScheme] of [
      [1280, "light"],
      [420, "dark"],
    ]) {
      await other.page.setViewportSize({ width, height: 800 });
      await other.page.emulateMedia({ colorScheme });
      assert.deepEqual(await axeFinds(other.page), [], `served, ${width}`);
    }
    await until(page, () => document.getElementById("command").value === "");
    const nudged = files();
    assert.notEqual(nudged, sliced);
    await until(other.page, () => document.getElementById("done").innerText.includes("adjust"));
    // A save in a paint program: the page shows it and keeps what isn't applied yet.
    await page.locator("#stage").press("ArrowDown");
    const before = await table.command();
    const version = await page.evaluate(() => JSON.parse(document.getElementById("live").textContent).version);
    const frame = `${/reeds:(\S+): moved/.exec(await page.innerText("#done"))[1]}.png`;
    appendFileSync(path(`reeds/${frame}`), "x");
    await until(
      page,
      (version) => {
        const live = document.getElementById("live");
        return live && JSON.parse(live.textContent).version !== version && document.body.dataset.ready === "yes";
      },
      version,
    );
    assert.equal(await table.command(), before);
    await page.locator("#undo").click();
    assert.equal(await table.command(), "", "steps back are kept, too");
    await press("Undo apply");
    await said("changed since then");
    await press("Undo it anyway");
    await said("undid");
    assert.equal(files(), sliced);
    await press("Undo apply");
    await until(page, () => location.pathname.endsWith("/"));
    await said("removed");
    assert.throws(files);
    await settled(other.page);
    await other.close();
    await close();
    served.stop();
  },
  "live: a build's light table changes the recipe and keeps its comments": async () => {
    const recipe = `# The pond.
[sprite.frog]
from  = "pond/art/frog.png" # green
slice = { grid = "8x4" }

# How it moves.
[sprite.frog.clips]
sit   = "0-3 @6fps"   # slow
croak = '4-9 @10fps'

[[sprite.frog.preview]]
as = "light-table"
`;
    writeFileSync(path("shibori.toml"), recipe);
    rmSync(path("frog-per-frame.csv"), { force: true });
    const served = await serve(["build", "--watch", "--serve", "0"], /light tables that change the recipe: (\S+)/);
    const table = await shownAt(`${served.address}frog-light-table.html`);
    const { page, enter, press, close } = table;
    const said = async (wanted) => {
      await until(page, (wanted) => document.getElementById("done").innerText.includes(wanted), wanted);
      await until(page, () => document.getElementById("recipe").value === "");
    };
    await enter("Rate or time", "8fps");
    await page.locator("#stage").press("ArrowRight");
    await settled(page);
    await press("Apply");
    await said("done");
    const changed = recipe
      .replace('@6fps"   #', '@8fps"   #')
      .replace('"8x4" }\n', '"8x4" }\nshape = { per-frame = "frog-per-frame.csv" }\n');
    assert.equal(readFileSync(path("shibori.toml"), "utf8"), changed);
    assert.match(readFileSync(path("frog-per-frame.csv"), "utf8"), /^frame,kind,name,values\n/);
    await settled(page);
    await press("Undo apply");
    await said("undid");
    await until(page, () => document.getElementById("done").innerText.includes("done"));
    assert.equal(readFileSync(path("shibori.toml"), "utf8"), recipe);
    await settled(page);
    await close();
    served.stop();
  },
  "a sheet that is cleaned, mirrored and named in eight directions comes out as shown": async () => {
    rmSync(path("reeds"), { recursive: true, force: true });
    const { page, field, command, recipe, shown, enter, press, close } = await opened(
      "pond/art/reeds.png",
      "reeds.html",
    );
    assert.equal(await field("Slice by").inputValue(), "drawings", "a loose sheet opens on its drawings");
    await field("Sheet background").selectOption("auto");
    assert.match(await command(), /--islands --key auto/);
    await field("Slice by").selectOption("grid");
    await enter("Columns", "4");
    await enter("Rows", "2");
    await field("Sheet background").selectOption("color");
    await press("Pick on the sheet");
    await page.locator("#over").click({ position: { x: 3, y: 3 } });
    assert.equal(await field("Color to remove").inputValue(), "2ea0a8");
    await enter("Tolerance", "300");
    assert.match(await page.locator("#said").innerText(), /0 to 255/);
    await enter("Tolerance", "3");
    await field("Remove it").selectOption("everywhere");
    await page.getByText("Clean, mirror, pivot").click();
    await enter("Clear cell edges, px", "1");
    await enter("Remove specks up to, px", "4");
    await enter("Erase areas of each cell", "0,0,3,2; 40,1,2,2");
    await field("Mirror cells").selectOption("up-down");
    await enter("Pivot", "0.5, 1");
    const line = await command();
    assert.match(line, /--key 2ea0a8 --tolerance 3 --key-scope everywhere --erase 0,0,3,2 --erase 40,1,2,2/);
    assert.match(line, /--clear-edge 1 --specks 4 --mirror up-down --pivot 0.5,1 -o/);
    const seen = await shown();
    typed(line);
    const made = manifest("reeds/frames.json");
    near(
      made.frames.map((frame) => frame.source.rect),
      seen.cells,
      line,
    );
    writeFileSync(path("shibori.toml"), `${await recipe()}\nset = true\n`);
    shell("shibori build --force --quiet");
    assert.equal(shell("shibori preview changes reeds build/reeds --strict", home).includes("no differences"), true);
    await close();
    const ducks = await opened("pond/art/duckling.png", "ducks.html");
    await ducks.enter("Name of row 0", "walk-{dir8}");
    assert.match(await ducks.command(), /"walk-n = 0-3 .*"walk-nw = 28-31 /);
    await ducks.enter("Name of row 1", "hop-{dir8}");
    assert.match(await ducks.command(), /walk-ne/, "there are not eight rows below, so nothing changes");
    await ducks.close();
  },
  "frames: random changes come out as shown, by command and by recipe, and twice is as once": async () => {
    const sources = [
      { from: "pond/sets/frog", copy: "frogs", sprite: "frogs" },
      { from: "pond/sets/duckling", copy: "ducks in a row", sprite: "ducks in a row" },
      { from: "pond/atlas/pond", made: "pond-moved", sprite: "pond" },
      { from: "pond/art/lantern", made: "lantern", sprite: "lantern" },
      { from: "swim.gif", made: "swim", sprite: "swim" },
    ];
    for (const { from, copy, made, sprite } of sources) {
      for (let session = 0; session < SESSIONS; session++) {
        const source = copy || from;
        if (copy) {
          rmSync(path(copy), { recursive: true, force: true });
          cpSync(path(from), path(copy), { recursive: true });
        }
        if (made) rmSync(path(made), { recursive: true, force: true });
        const table = await opened(source, "set.html");
        await table.page.locator("#play").click();
        await actAtRandom(table);
        if (await isRefused(table)) {
          await table.close();
          continue;
        }
        const [line, seen] = [await table.command(), await table.shown()];
        await table.savePerFrame();
        // The recipe first: it starts from the files as they are before the command.
        const text = await table.recipe();
        writeFileSync(path("shibori.toml"), `${text}\nset = "made"\n`);
        rmSync(path("build"), { recursive: true, force: true });
        shell("shibori build --quiet");
        near(comparable(ofSet(manifest("build/made/frames.json"))), comparable(seen), `${text}\n${line}`);
        counts.recipes++;
        const result = made ? `${made}/frames.json` : `${copy}/frames.json`;
        const isOnlyClips = !/shibori (adjust|slice)/.test(line) && made;
        if (isOnlyClips) {
          rmSync(path("atlas copy"), { recursive: true, force: true });
          cpSync(path("pond/atlas"), path("atlas copy"), { recursive: true });
        }
        for (const time of ["once", "twice"]) {
          // A renamed clip can't be renamed again, but frames must not move again.
          const again = time === "once" ? line : line.split(" && ")[0];
          if (time === "twice" && /shibori clip/.test(again)) break;
          typed(isOnlyClips ? again.replace("pond/atlas/pond", '"atlas copy/pond"') : again);
          const file = isOnlyClips ? "atlas copy/pond.json" : result;
          const now = comparable(ofSet(manifest(file)));
          if (time === "once" || line === again) near(now, comparable(seen), `${time}: ${line}`);
          else near(now.frames, comparable(seen).frames, `${time}: ${line}`);
        }
        counts.commands++;
        near(
          await drawnIn(isOnlyClips ? "atlas copy/pond" : copy || made),
          seen.frames.map(({ drawn }) => drawn),
          line,
        );
        await table.close();
      }
    }
  },

  "a recipe's own page gives lines that build what it shows": async () => {
    const recipes = {
      "[sprite.frog]": `[sprite.frog]
from = "pond/art/frog.png"
slice = { grid = "8x4" }
shape = { pivot = "feet", box = ["body=auto", "hit=auto:clip"] }
event = "leap@5=splash"
clips = { sit = "r0 @5fps", croak = "r1 @80ms bounce", leap = { steps = "r2 @total 0.8s once", speed = 2 }, dive = "r3" }
`,
      "[sprite.heron]": `[sprite.heron]
from = "pond/art/heron.png"
slice = { grid = "6x1" }
shape = { align = "match", canvas = "fit", pivot = "feet", polygon = 8, box = "body=auto:clip" }
clips = { hunt = "0-2@200ms,3@80ms,4@400ms,5@200ms" }
`,
      "[sprite.lights]": `[sprite.lights]
speed = 2
rename = ["firefly=glow"]
[[sprite.lights.part]]
from = "pond/art/firefly.gif"
[[sprite.lights.part]]
from = "swim.gif"
`,
    };
    for (const [head, text] of Object.entries(recipes)) {
      const sprite = head.slice(8, -1);
      for (let session = 0; session < SESSIONS; session++) {
        const extra = `set = "made"\npreview = { as = "light-table", file = "table.html" }\n`;
        const at = text.indexOf("\n[[");
        const whole = at < 0 ? text + extra : `${text.slice(0, at + 1)}${extra}${text.slice(at + 1)}`;
        for (const file of ["build", `${sprite}-per-frame.csv`]) rmSync(path(file), { recursive: true, force: true });
        writeFileSync(path("shibori.toml"), whole);
        let now = whole;
        // Two sittings: the second starts from the recipe the first one changed.
        for (const sitting of ["first", "second"]) {
          shell("shibori build --quiet");
          const table = await shownIn("build/table.html");
          assert.ok(await table.page.locator("#recipe-part[open]").count(), "the lines are open");
          await table.page.locator("#play").click();
          await actAtRandom(table);
          if (await isRefused(table)) {
            await table.close();
            continue;
          }
          const [lines, seen] = [await table.recipe(), await table.shown()];
          assert.equal(await table.command(), "shibori build");
          await table.savePerFrame();
          // Each line replaces the line with the same key, or is added.
          const fresh = lines.split("\n");
          assert.equal(fresh[0], head);
          const nameOf = (line) => line.split("=")[0].trim();
          const [before, ...rest] = now.split(/(?=\n\[\[)/);
          const kept = before
            .split("\n")
            .slice(1)
            .filter((line) => !fresh.slice(1).some((one) => nameOf(one) === nameOf(line)));
          now = [[head, ...kept.filter(Boolean), ...fresh.slice(1)].join("\n"), ...rest].join("\n");
          writeFileSync(path("shibori.toml"), now);
          shell("shibori build --quiet");
          const made = comparable(ofSet(manifest("build/made/frames.json")));
          near(made.clips, comparable(seen).clips, `${sitting}\n${now}`);
          // The page says when a build will line frames up again.
          if (!(await table.page.locator("#note").textContent())) {
            near(made.frames, comparable(seen).frames, `${sitting}\n${now}`);
            near(
              await drawnIn("build/made"),
              seen.frames.map(({ drawn }) => drawn),
              now,
            );
          } else assert.equal(sprite, "heron");
          counts.recipes++;
          await table.close();
        }
      }
    }
  },

  "what is typed stays while it plays, and belongs to the frame that was up": async () => {
    cpSync(path("pond/sets/frog"), path("typing"), { recursive: true });
    const { page, field, command, enter, close } = await opened("typing", "typing.html");
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
      await enter("Step duration, ms", wrong);
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

  "texts: what can't be is said at its field, holds stay, and all of one visit is one step back": async () => {
    const { page, field, command, enter, close } = await opened("pond/sets/frog", "texts.html");
    await page.locator("#play").click();
    await enter("Clip frames", "0x3,1,2x2,3");
    await enter("Rate or time", "12");
    await enter("Play mode", "loop 3");
    for (const [label, value] of [
      ["Clip frames", "0x3,1,2x2,3"],
      ["Rate or time", "12fps"],
      ["Play mode", "loop 3"],
    ]) {
      assert.equal(await field(label).inputValue(), value);
    }
    const lines = await command();
    assert.match(lines, /--clip "sit = 0x3,1,2x2,3 @12fps loop 3"/);
    for (const [label, wrong, why] of [
      ["Rate or time", "12,5", /12\.5fps/],
      ["Play mode", "loop 0", /omit/],
      ["Clip frames", "0-99", /from 0 to 24/],
      ["Clip name", "con", /device/],
      ["Clip name", "a//b", /slashes/],
      ["Clip name", "..", /reserved/],
    ]) {
      await field(label).fill(wrong);
      assert.equal(await field(label).getAttribute("aria-invalid"), "true", wrong);
      const id = await field(label).getAttribute("aria-describedby");
      assert.match(await page.locator(`#${id}`).textContent(), why);
      await field(label).press("Tab");
      assert.equal(await command(), lines, wrong);
    }
    await field("Clip name").focus();
    await page.keyboard.press("Control+a");
    await page.keyboard.type("rest", { delay: 400 });
    await page.keyboard.press("Control+z");
    assert.equal(await command(), lines);
    await page.keyboard.press("Escape");
    // Looking at another clip is not a change.
    await page.locator("#gallery button").nth(2).click();
    await field("Onion skin").selectOption("all");
    await page.locator("#undo").click();
    assert.equal(await page.locator("#gallery button").nth(2).getAttribute("aria-pressed"), "true");
    assert.equal(await field("Onion skin").inputValue(), "all");
    await page.locator("#gallery button").first().click();
    assert.equal(await field("Play mode").inputValue(), "loop", "the last change is undone");
    await close();
  },

  "a link carries only what the page could have made": async () => {
    for (const [source, name, change] of [
      ["pond/art/frog.png", "link.html", (state) => state.grid.count.push("1; touch F #")],
      ["pond/art/frog.png", "link.html", (state) => Object.assign(state.view, { chosen: "1; touch F #" })],
      [
        "pond/sets/frog",
        "links.html",
        (state) => Object.assign(state, { clips: { 0: { name: "a", steps: "1; touch F #" } } }),
      ],
      ["pond/sets/frog", "links.html", (state) => Object.assign(state.view, { drag: 7 })],
      ["pond/sets/frog", "links.html", (state) => delete state.view],
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
    cpSync(path("pond/sets/frog"), path("done"), { recursive: true });
    const { page, field, command, enter, savePerFrame, close } = await opened("done", "done.html");
    await page.locator("#play").click();
    await enter("Shift x", "-12");
    await enter("Rate or time", "9");
    await savePerFrame();
    const [address, lines] = [page.url(), await command()];
    typed(lines);
    // The same page of the frames as they are now, with the old address: nothing is left to do.
    typed("shibori preview light-table done -o done.html --quiet");
    await page.goto("about:blank");
    await page.goto(address);
    await page.waitForSelector("body[data-ready=yes]");
    assert.equal(await command(), "");
    assert.equal(await field("Rate or time").inputValue(), "9fps");
    // Pasting it again moves nothing.
    const before = manifest("done/frames.json");
    shell(lines);
    assert.deepEqual(manifest("done/frames.json"), before);
    // Art that changed otherwise keeps what was asked for.
    rmSync(path("done"), { recursive: true });
    typed("shibori adjust pond/sets/frog --mirror left-right -o done");
    typed("shibori preview light-table done -o done.html --quiet");
    await page.goto("about:blank");
    await page.goto(address);
    await page.waitForSelector("body[data-ready=yes]");
    assert.equal(await command(), lines);
    await close();
  },

  "moved over the edge, with a pivot and boxes for all frames: twice is as once": async () => {
    cpSync(path("pond/sets/frog"), path("edge"), { recursive: true });
    const { page, field, press, command, enter, savePerFrame, shown, close } = await opened("edge", "edge.html");
    await page.locator("#play").click();
    await field("Drag").selectOption("pivot");
    await field("all frames, not just this clip").check();
    await enter("Pivot x", "12");
    for (const name of ["body", "body 2"]) {
      await field("New box name").fill(name);
      await press("Add a box");
    }
    await field("Drag").selectOption("drawing");
    await enter("Shift x", "-14");
    await savePerFrame();
    const seen = comparable(await shown());
    for (const time of ["once", "twice"]) {
      typed(await command());
      near(comparable(ofSet(manifest("edge/frames.json"))), seen, time);
    }
    await close();
  },

  "files with odd names have commands that work": async () => {
    for (const name of ['a"b.png', "[a].png", "a b's.png", "-n.png", "$HOME.png", "con.png"]) {
      cpSync(path("pond/art/frog.png"), path(name));
      const { field, command, close } = await opened(`./${name}`.replace(/'/g, "'\\''"), "odd.html");
      await field("Name of row 0").fill("sit");
      const made = typed(await command());
      assert.ok(made !== undefined, name);
      await close();
    }
  },

  "the page that plays: clips on the clock, steps, controls": async () => {
    const { page, close } = await opened("pond/sets/frog", "clips.html", {}, "html");
    const { clips } = manifest("pond/sets/frog/frames.json");
    const leap = clips.find(({ name }) => name === "leap");
    const stepAt = (seconds) => page.evaluate((seconds) => window.stepOf("leap", seconds), seconds);
    let begun = 0;
    for (const [at, step] of leap.steps.entries()) {
      assert.equal(await stepAt(begun / leap.timescale), at);
      begun += step.ticks;
      assert.equal(await stepAt((begun - 0.01) / leap.timescale), at);
    }
    await page.keyboard.press(" ");
    assert.equal(await page.locator("#play").textContent(), "Play");
    // Stepping through a clip that ends starts over after the last step.
    const figure = page.locator("figure[data-clip]").nth(clips.indexOf(leap));
    const now = async () => {
      await page.waitForTimeout(40);
      return +(await figure.locator("figcaption .what").nth(1).textContent()).match(/^step (\d+)/)[1];
    };
    await figure.locator("canvas").focus();
    await page.evaluate(() => window.stopAt(0));
    const seen = [];
    for (let n = 0; n < leap.steps.length + 2; n++) {
      seen.push(await now());
      await page.keyboard.press("ArrowRight");
    }
    const all = leap.steps.map((_, at) => at);
    assert.deepEqual(seen, [...all, ...all].slice(0, seen.length));
    assert.equal(await page.locator("canvas.stage").count(), clips.length);
    // Space toggles a focused checkbox, not playback.
    await page.locator("#boxes").focus();
    await page.keyboard.press(" ");
    assert.ok(await page.locator("#boxes").isChecked());
    assert.equal(await page.locator("#play").textContent(), "Play");
    await close();
  },

  "who prefers less motion starts it; what is paused is still": async () => {
    const { page, close } = await opened("pond/sets/frog", "still.html", { reducedMotion: "reduce" });
    assert.equal(await page.locator("#play").textContent(), "Play");
    const frames = () =>
      page.evaluate(async () => {
        let asked = 0;
        const original = window.requestAnimationFrame;
        window.requestAnimationFrame = (act) => original.call(window, (time) => (asked++, act(time)));
        await new Promise((done) => setTimeout(done, 600));
        window.requestAnimationFrame = original;
        return asked;
      });
    assert.equal(await frames(), 0, "paused, nothing is drawn");
    await page.locator("#play").click();
    assert.ok((await frames()) > 5, "playing, something is");
    await close();
  },

  "three hundred clips: one Tab stop, arrows, a filter": async () => {
    const list = Array.from({ length: 300 }, (_, n) => `--clip "clip-${n} = ${n % 8}-${(n + 3) % 8} @12fps"`).join(" ");
    shell(`shibori slice pond/art/koi.png --grid 8x1 ${list} -o many --quiet`);
    const table = await opened("many", "many.html");
    const tabs = async (page, inside) =>
      page.evaluate((inside) => document.querySelectorAll(`${inside}[tabindex="0"]`).length, inside);
    assert.equal(await tabs(table.page, "#gallery button"), 1);
    await table.page.locator("#gallery button").first().focus();
    await table.page.keyboard.press("ArrowRight");
    await table.page.keyboard.press("Enter");
    assert.match(await table.page.locator("#on-table").textContent(), /^clip-1$/);
    await table.field("Find a clip").fill("clip-29");
    assert.equal(await table.page.locator("#gallery figure:visible").count(), 11);
    await table.close();
    const player = await opened("many", "play-many.html", {}, "html");
    assert.equal(await tabs(player.page, "canvas.stage"), 1);
    await player.field("Find a clip").fill("clip-29");
    assert.equal(await player.page.locator("figure[data-clip]:visible").count(), 11);
    await player.close();
  },

  "what has the focus is in sight": async () => {
    for (const source of ["pond/art/frog.png", "pond/sets/heron"]) {
      const { page, close } = await opened(source, "tabs.html");
      const hidden = [];
      for (let n = 0; n < 60; n++) {
        await page.keyboard.press("Tab");
        const place = await page.evaluate(() => {
          const one = document.activeElement;
          if (!one || one === document.body || one.closest("#bar, #out")) return null;
          const box = one.getBoundingClientRect();
          const out = document.getElementById("out").getBoundingClientRect();
          const bar = document.getElementById("bar").getBoundingClientRect();
          const isOut = box.bottom > out.top + 1 && box.height < out.top - bar.bottom;
          return isOut || box.bottom < bar.bottom ? `${one.tagName} ${one.id} ${one.textContent.slice(0, 20)}` : null;
        });
        if (place) hidden.push(place);
      }
      assert.deepEqual(hidden, []);
      await close();
    }
  },

  "with a finger the sheet scrolls, taps, and drags only when asked": async () => {
    const { page, command, field, close } = await opened("pond/art/frog.png", "touch.html", {
      viewport: { width: 420, height: 800 },
      hasTouch: true,
      isMobile: true,
    });
    await field("Name of row 2").fill("leap");
    const before = await command();
    await page.locator("#over").scrollIntoViewIfNeeded();
    const box = await page.locator("#over").boundingBox();
    const session = await page.context().newCDPSession(page);
    const swipe = async (dy) => {
      const box = await page.locator("#over").boundingBox();
      const place = { x: box.x + box.width / 2 + 16, y: box.y + box.height / 2 + 16 };
      const touch = (type, touchPoints) => session.send("Input.dispatchTouchEvent", { type, touchPoints });
      await touch("touchStart", [place]);
      for (let n = 1; n <= 8; n++) await touch("touchMove", [{ ...place, y: place.y + (dy * n) / 8 }]);
      await touch("touchEnd", []);
      await page.waitForTimeout(400);
    };
    const top = await page.evaluate(() => scrollY);
    await swipe(-150);
    assert.notEqual(await page.evaluate(() => scrollY), top, "a swipe scrolls the page");
    assert.equal(await command(), before);
    // A tap toggles a cell; the button turns on dragging.
    await page.locator("#over").tap({ position: { x: box.width - 5, y: 5 + box.height / 2 } });
    assert.match(await command(), /leap = 10-16 /);
    await page.getByRole("button", { name: "Drag the grid" }).tap();
    await swipe(40);
    assert.match(await command(), /--offset 0,\d+/);
    const small = await page.evaluate(() =>
      [...document.querySelectorAll("button, select, summary, a.button, input:not([type=checkbox]):not([type=range])")]
        .filter((one) => one.offsetParent && !one.closest("[hidden]"))
        .map((one) => [one.id || one.textContent || one.labels?.[0]?.textContent, one.getBoundingClientRect()])
        .filter(([, { width, height }]) => width < 43.5 || height < 43.5)
        .map(([name, { width, height }]) => `${name}: ${width}x${height}`),
    );
    assert.deepEqual(small, []);
    await close();
  },

  "axe finds nothing, at any width, in light and dark": async () => {
    for (const [source, kind] of [
      ["pond/art/frog.png", "light-table"],
      ["pond/art/reeds.png", "light-table"],
      ["pond/sets/heron", "light-table"],
      ["pond/sets/signboard", "light-table"],
      ["pond/atlas/pond", "html"],
      ["many", "html"],
    ]) {
      for (const [width, colorScheme] of [
        [1280, "light"],
        [1280, "dark"],
        [420, "light"],
        [320, "dark"],
      ]) {
        const { page, close } = await opened(source, "axe.html", { viewport: { width, height: 800 }, colorScheme });
        const found = await axeFinds(page);
        assert.deepEqual(found, [], `${source} ${kind} ${width} ${colorScheme}`);
        const isWide = await page.evaluate(() => document.documentElement.scrollWidth > innerWidth);
        assert.ok(!isWide, `${source}: nothing extends beyond a window of ${width} px`);
        await close();
      }
    }
  },
};

shell("shibori demo pond --quiet");
shell("shibori preview motion pond/sets/koi --only swim -o swim.gif --quiet");
let failed = 0;
const wanted = process.env.ONLY;
for (const [name, test] of Object.entries(tests)) {
  if (wanted && !name.includes(wanted)) continue;
  const begun = performance.now();
  try {
    await test();
    console.log(`ok      ${name} (${((performance.now() - begun) / 1000).toFixed(0)} s)`);
  } catch (error) {
    failed++;
    console.log(`FAILED  ${name}\n${error.stack}`);
  }
}
await browser.close();
console.log(
  `seed ${seedText}: ${counts.actions} actions; as shown: ${counts.commands} commands, ${counts.recipes} recipes; nothing to do: ${counts.refused}`,
);
if (!failed) rmSync(home, { recursive: true, force: true });
else console.log(`what they worked on is in ${home}`);
process.exit(failed ? 1 : 0);
