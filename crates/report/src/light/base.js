// What both light tables share: the state with its undo and its place in the address, and words that can be pasted.
const data = JSON.parse($("data").textContent);

// ---- state: a plain object that goes into JSON. Changes with one key that follow each other closely are one step back.
const CLOSELY = 900, MOST = 300;
const table = (() => {
  // `signs` tells what the frames are and what they will be; `settle` takes out of a state that comes from an address what was done since.
  const self = { state: null, past: [], next: [], refresh: () => {}, signs: () => null, settle: (state) => state };
  let begun = "", key = null, at = 0, soon = 0, saving = 0;
  const text = () => JSON.stringify(self.state);
  const encoded = (json) => btoa(String.fromCharCode(...new TextEncoder().encode(json))).replace(/\+/g, "-").replace(/\//g, "_").replace(/=+$/, "");
  const decoded = (word) => {
    const raw = atob(word.replace(/-/g, "+").replace(/_/g, "/"));
    return new TextDecoder().decode(Uint8Array.from(raw, (letter) => letter.charCodeAt(0)));
  };
  const save = () => {
    clearTimeout(saving);
    const now = text();
    const kept = JSON.stringify({ ...self.state, signs: self.signs(self.state) });
    history.replaceState(null, "", now === begun ? location.pathname + location.search : `#${encoded(kept)}`);
  };
  // Browsers take no more than some twenty new addresses a second.
  let saves = [];
  const later = () => {
    const now = performance.now();
    saves = saves.filter((one) => now - one < 10000);
    clearTimeout(saving);
    if (saves.length < 100) { saves.push(now); save(); } else saving = setTimeout(save, 200);
  };
  const load = () => {
    if (location.hash.length < 2) return false;
    try {
      const { signs, ...found } = JSON.parse(decoded(location.hash.slice(1)));
      if (JSON.stringify(found.of) !== JSON.stringify(self.state.of)) {
        say("This link was made for different art, so its settings were ignored.");
        return false;
      }
      self.state = signs ? self.settle(found, signs) : found;
      return true;
    } catch { return false; }
  };
  self.begin = (state, refresh) => {
    self.state = JSON.parse(JSON.stringify(state)); self.refresh = refresh; begun = text();
    load();
    refresh();
  };
  self.change = (name, edit, isDrag) => {
    const before = text(), time = performance.now();
    edit(self.state);
    if (text() === before) return;
    if (!(name && name === key && time - at < CLOSELY)) self.past.push(before);
    if (self.past.length > MOST) self.past.shift();
    self.next = []; key = name; at = time;
    if (!isDrag) { later(); self.refresh(); return; }
    clearTimeout(saving); saving = setTimeout(save, 200);
    if (!soon) soon = requestAnimationFrame(() => { soon = 0; self.refresh(true); });
  };
  const go = (from, to) => {
    if (!from.length) return;
    to.push(text()); self.state = JSON.parse(from.pop()); key = null;
    later(); self.refresh();
  };
  self.undo = () => go(self.past, self.next);
  self.redo = () => go(self.next, self.past);
  addEventListener("hashchange", () => { const before = text(); if (load()) { self.past.push(before); self.refresh(); } });
  addEventListener("pagehide", save);
  return self;
})();

const say = (text) => { $("said").textContent = text; };

// ---- words as they can be pasted
const isLive = /["$`\\!%\u0000-\u001f\u007f-\u009f]/;
const pasteable = (word) => {
  if (/^[\p{L}\p{N}\-_./:=@+,]+$/u.test(word)) return word;
  if (!isLive.test(word)) return `"${word}"`;
  if (data.is_windows) return `'${word.replace(/'/g, "''")}'`;
  if (!/[\u0000-\u001f\u007f-\u009f]/.test(word)) return `'${word.replace(/'/g, "'\\''")}'`;
  // What can't be typed is written as an escape.
  const escape = (c) => [...new TextEncoder().encode(c)].map((byte) => `\\x${byte.toString(16).padStart(2, "0")}`).join("");
  return `$'${word.replace(/['\\]/g, "\\$&").replace(/[\u0000-\u001f\u007f-\u009f]/g, escape)}'`;
};
// A file whose name begins like an option is named with its folder.
const pasteablePath = (path) => pasteable(path.startsWith("-") && path !== "-" ? `./${path}` : path);
const toml = (text) => `"${text.replace(/["\\\u0000-\u001f\u007f]/g, (c) => c === '"' || c === "\\" ? `\\${c}` : `\\u${c.charCodeAt(0).toString(16).padStart(4, "0")}`)}"`;
const tomlKey = (name) => /^[A-Za-z0-9_-]+$/.test(name) ? name : toml(name);
const cell = (text) => /[",\n\r;]|^\s|\s$/.test(text) ? `"${text.replace(/"/g, '""')}"` : text;

// Numbers as they are typed for a clip: [[frame, holds]..] as 0-3,7x2,5-1.
const told = (steps) => {
  const parts = [];
  for (let at = 0; at < steps.length;) {
    const [first, hold] = steps[at];
    let end = at + 1;
    const by = end < steps.length ? steps[end][0] - first : 0;
    if (Math.abs(by) === 1) while (end < steps.length && steps[end][0] === steps[end - 1][0] + by && steps[end][1] === hold) end++;
    if (end - at < 3 && end > at + 1) end = at + 1;
    const range = end - at > 1 ? `${first}-${steps[end - 1][0]}` : `${first}`;
    parts.push(hold > 1 ? `${range}x${hold}` : range);
    at = end;
  }
  return parts.join(",");
};
// The same read; null where it is no such list. `last` is the highest number there is.
const read = (text, last) => {
  const steps = [];
  for (const part of text.split(",").map((part) => part.trim())) {
    const found = /^(\d+)(?:-(\d+)(?:\/(\d+))?)?(?:x(\d+))?$/.exec(part);
    if (!found) return null;
    const from = +found[1], to = found[2] === undefined ? from : +found[2], by = Math.max(1, +(found[3] ?? 1)), hold = +(found[4] ?? 1);
    if (from > last || to > last || hold < 1 || hold > 1000 || steps.length > 10000) return null;
    const count = Math.floor(Math.abs(to - from) / by);
    for (let n = 0; n <= count; n++) steps.push([from + Math.sign(to - from) * n * by, hold]);
  }
  return steps.length ? steps : null;
};
// A rate as a fraction of whole numbers: 12 is [12, 1], 7.5 is [75, 10]; null where it is none.
const rate = (text) => {
  const found = /^(\d{1,4})(?:\.(\d{1,3}))?$/.exec(String(text).trim());
  if (!found) return null;
  const digits = found[2] || "", above = +(found[1] + digits);
  return above > 0 ? [above, 10 ** digits.length] : null;
};

// ---- controls
// What is told apart by where it stands is told apart in words too, for those who hear it: "Name" is "Name of row 0".
let fields_made = 0;
const labelled = (text, control, name) => {
  const field = make("div", null, `field ${name || ""}`), label = make("label"), shown = make("span", text.replace(/ of (row|clip) \d+$/, "")), rest = text.slice(shown.textContent.length);
  if (rest) shown.append(make("span", rest, "heard"));
  control.id = label.htmlFor = `field-${fields_made++}`;
  label.append(shown); field.append(label, control);
  return field;
};
// Whether someone is typing in a field: its text is then left alone.
let typed = null;
addEventListener("input", (event) => { typed = event.target; }, true);
addEventListener("input", () => { typed = null; });
const isTyped = (input) => typed === input;
// A field for a number, changed by typing, by up and down, and with Shift by ten.
const numberField = (text, { min = 0, max = 100000, step = 1 }, get, set) => {
  const input = make("input");
  Object.assign(input, { type: "number", min, max, step });
  const take = (value) => {
    const is = Number.isFinite(value) && value >= min && value <= max && (step < 1 || Number.isInteger(value));
    wrong(input, is ? "" : `${text} must be a ${step < 1 ? "" : "whole "}number${min > -100000 ? ` from ${min} to` : " up to"} ${max}`);
    if (is) set(value, text);
  };
  input.addEventListener("input", () => take(input.valueAsNumber));
  input.addEventListener("blur", () => { if (input.hasAttribute("aria-invalid")) wrong(input, ""); input.value = get(); });
  input.addEventListener("keydown", (event) => {
    if (!event.shiftKey || !["ArrowUp", "ArrowDown"].includes(event.key)) return;
    event.preventDefault();
    take(Math.max(min, Math.min(max, get() + (event.key === "ArrowUp" ? 10 : -10))));
  });
  const label = labelled(text, input, "number");
  label.refresh = () => {
    if (!isTyped(input)) input.value = get();
  };
  return label;
};
const choice = (text, options, get, set) => {
  const select = make("select");
  for (const [value, shown] of options) select.append(Object.assign(make("option", shown), { value }));
  select.addEventListener("change", () => set(select.value));
  const label = labelled(text, select);
  label.refresh = () => { select.value = get(); };
  label.select = select;
  return label;
};
const textField = (text, get, set, hint) => {
  const input = make("input");
  Object.assign(input, { type: "text", spellcheck: false, autocomplete: "off" });
  if (hint) input.placeholder = hint;
  input.addEventListener("input", () => set(input.value, input));
  input.addEventListener("blur", () => { label.refresh(); });
  const label = labelled(text, input);
  label.refresh = () => { if (!isTyped(input)) { input.value = get(); input.removeAttribute("aria-invalid"); input.title = ""; } };
  label.input = input;
  return label;
};
const wrong = (input, why) => {
  if (why) { input.setAttribute("aria-invalid", "true"); input.title = why; say(why); } else { input.removeAttribute("aria-invalid"); input.title = ""; say(""); }
};
const button = (text, act, name) => {
  const element = make("button", text, name);
  element.type = "button";
  element.addEventListener("click", act);
  return element;
};
// A name that can be a clip's or a box's; says why not.
const nameFault = (name) => /[\u0000-\u001f\u007f]/.test(name) ? "a name can't contain control characters"
  : name.length > 200 ? "a name can't exceed 200 characters" : /[=@:]|^-/.test(name) ? "a name can't contain =, @ or :, or start with -" : name !== name.trim() ? "a name can't start or end with a space" : "";

// ---- what comes out
const show = (id, text) => { const area = $(id); area.value = text; area.textContent = text; area.rows = Math.max(1, text.trimEnd().split("\n").length); };
const conclude = ({ command, lines, perFrame, wrong, hint }) => {
  show("command", command);
  $("command").placeholder = wrong || hint || "";
  $("wrong").textContent = wrong || "";
  show("recipe", lines);
  $("per-frame-part").hidden = !perFrame;
  if (perFrame) {
    show("per-frame", perFrame);
    $("save").href = `data:text/csv;charset=utf-8,${encodeURIComponent(perFrame)}`;
    $("save").download = data.per_frame;
  }
  $("undo").disabled = !table.past.length; $("redo").disabled = !table.next.length;
};
const copy = async (id, from) => {
  const area = $(id), before = from.textContent;
  try { await navigator.clipboard.writeText(area.value); } catch { area.select(); document.execCommand("copy"); }
  from.textContent = "Copied"; setTimeout(() => { from.textContent = before; }, 1200);
};
$("copy").addEventListener("click", () => copy("command", $("copy")));
$("copy-lines").addEventListener("click", () => copy("recipe", $("copy-lines")));
$("undo").addEventListener("click", table.undo);
$("redo").addEventListener("click", table.redo);

// ---- time and looks
const look = { zoom: 4, behind: "checker", color: "#2c4a5a", pivot: true, boxes: true };
const time = clock(), players = [];
const toggle = () => { time.play(!time.playing); $("play").textContent = time.playing ? "Pause" : "Play"; players.forEach((player) => { player.drawn = -1; }); };
$("play").addEventListener("click", toggle);
$("bar").addEventListener("submit", (event) => event.preventDefault());
const onLook = [];
$("behind").addEventListener("change", (event) => { look.behind = event.target.value; onLook.forEach((act) => act()); });
$("color").addEventListener("input", (event) => { look.color = event.target.value; look.behind = $("behind").value = "color"; onLook.forEach((act) => act()); });
matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => onLook.forEach((act) => act()));
const watcher = new IntersectionObserver((entries) => {
  for (const entry of entries) { entry.target.player.visible = entry.isIntersecting; entry.target.player.drawn = -1; }
}, { rootMargin: "100px" });
const watched = (player) => { player.canvas.player = player; players.push(player); watcher.observe(player.canvas); return player; };
const unwatched = (player) => { watcher.unobserve(player.canvas); players.splice(players.indexOf(player), 1); };
const tick = () => {
  for (const player of players) if (player.visible) player.draw();
  requestAnimationFrame(tick);
};
document.addEventListener("keydown", (event) => {
  const key = event.key.toLowerCase();
  if ((event.ctrlKey || event.metaKey) && !event.altKey && (key === "z" || key === "y")) {
    event.preventDefault();
    if (key === "y" || event.shiftKey) table.redo(); else table.undo();
    return;
  }
  if (event.ctrlKey || event.metaKey || event.altKey || /^(INPUT|SELECT|TEXTAREA|BUTTON|SUMMARY|A)$/.test(event.target.tagName)) return;
  if (event.key === " ") { event.preventDefault(); toggle(); }
});
// How far an arrow key goes; null for other keys.
const nudge = (event) => {
  const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
  if (!way || event.ctrlKey || event.metaKey || event.altKey) return null;
  event.preventDefault();
  return way.map((n) => n * (event.shiftKey ? 10 : 1));
};
const fitting = (size, room) => {
  const most = Math.min(room[0] / size[0], room[1] / size[1]);
  return most >= 1 ? Math.min(12, Math.floor(most)) : most;
};
$("title").textContent = data.title;
