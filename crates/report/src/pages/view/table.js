// What both light tables share: the state in the address of the page, playing, and the command that comes out.
import { createHistory, decodeState, encodeState } from "../model/history.js";
import { createClock } from "../model/timeline.js";
import { $ } from "./dom.js";
import { say } from "./fields.js";
import { bindBackground, createPlayers } from "./player.js";

// Browsers take no more than some twenty new addresses a second.
const MOST_SAVES = 100;
const SAVES_PER = 10000;

// `refresh(isBrief)` shows the state. `signs` describes what a state makes of the frames, so that `settle` can take out
// of a state that comes from an address what was done since.
// `isState` knows states that this page could have made.
export const createTable = (data, start, { refresh, isState, signs = () => null, settle = (state) => state }) => {
  const history = createHistory(start, () => performance.now());
  const table = { change: null };
  Object.defineProperty(table, "state", { get: () => history.state });
  let saving = 0;
  let drawing = 0;
  let saves = [];

  const save = () => {
    clearTimeout(saving);
    const word = encodeState({ ...history.state, signs: signs(history.state) });
    const address = history.isUnchanged() ? location.pathname + location.search : `#${word}`;
    window.history.replaceState(null, "", address);
  };
  const saveSoon = () => {
    const now = performance.now();
    saves = saves.filter((one) => now - one < SAVES_PER);
    clearTimeout(saving);
    if (saves.length >= MOST_SAVES) {
      saving = setTimeout(save, 200);
      return;
    }
    saves.push(now);
    save();
  };
  // The state in the address; null if there is none, or it is of other art.
  const stateOfAddress = () => {
    if (location.hash.length < 2) return null;
    try {
      const { signs: known, ...found } = decodeState(location.hash.slice(1));
      if (JSON.stringify(found.of) !== JSON.stringify(history.state.of)) {
        say("This link was made for different art, so its settings were ignored.");
        return null;
      }
      if (isState(found)) return known ? settle(found, known) : found;
    } catch {
      // Whatever it is, it isn't a state.
    }
    say("This link is damaged, so its settings were ignored.");
    return null;
  };

  table.change = (name, edit, isDrag) => {
    if (!history.change(name, edit)) return;
    if (!isDrag) {
      saveSoon();
      refresh();
      return;
    }
    clearTimeout(saving);
    saving = setTimeout(save, 200);
    drawing ||= requestAnimationFrame(() => {
      drawing = 0;
      refresh(true);
    });
  };
  const go = (way) => () => {
    if (!way()) return;
    saveSoon();
    refresh();
  };
  const [undo, redo] = [go(history.undo), go(history.redo)];

  // ---- time
  const look = { behind: "checker", color: "#2c4a5a" };
  table.look = look;
  table.onLook = [];
  table.time = createClock(() => performance.now());
  table.players = createPlayers("100px");
  table.toggle = () => {
    table.time.play(!table.time.playing);
    $("play").textContent = table.time.playing ? "Pause" : "Play";
    table.players.redraw();
  };
  bindBackground(look, $("behind"), $("color"), () => table.onLook.forEach((act) => act()));

  // ---- what comes out
  const show = (id, text) => {
    const area = $(id);
    area.value = area.textContent = text;
    area.rows = Math.max(1, text.trimEnd().split("\n").length);
  };
  table.showOutcome = ({ command, lines, perFrame, problem, hint }) => {
    show("command", command);
    $("command").placeholder = problem || hint || "";
    $("wrong").textContent = problem || "";
    show("recipe", lines);
    $("per-frame-part").hidden = !perFrame;
    if (perFrame) {
      show("per-frame", perFrame);
      $("save").href = `data:text/csv;charset=utf-8,${encodeURIComponent(perFrame)}`;
      $("save").download = data.per_frame;
    }
    $("undo").disabled = !history.past.length;
    $("redo").disabled = !history.next.length;
  };
  const copy = async (id, from) => {
    const [area, before] = [$(id), from.textContent];
    try {
      await navigator.clipboard.writeText(area.value);
    } catch {
      area.select();
      document.execCommand("copy");
    }
    from.textContent = "Copied";
    setTimeout(() => {
      from.textContent = before;
    }, 1200);
  };

  // ---- controls
  $("copy").addEventListener("click", () => copy("command", $("copy")));
  $("copy-lines").addEventListener("click", () => copy("recipe", $("copy-lines")));
  $("undo").addEventListener("click", undo);
  $("redo").addEventListener("click", redo);
  $("play").addEventListener("click", table.toggle);
  $("bar").addEventListener("submit", (event) => event.preventDefault());
  document.addEventListener("keydown", (event) => {
    const key = event.key.toLowerCase();
    const isCommand = event.ctrlKey || event.metaKey;
    if (isCommand && !event.altKey && (key === "z" || key === "y")) {
      event.preventDefault();
      (key === "y" || event.shiftKey ? redo : undo)();
      return;
    }
    const isControl = /^(INPUT|SELECT|TEXTAREA|BUTTON|SUMMARY|A)$/.test(event.target.tagName);
    if (isCommand || event.altKey || isControl || event.key !== " ") return;
    event.preventDefault();
    table.toggle();
  });
  addEventListener("hashchange", () => {
    const state = stateOfAddress();
    if (!state) return;
    history.replace(state);
    refresh();
  });
  addEventListener("pagehide", save);

  table.begin = () => {
    $("title").textContent = data.title;
    const state = stateOfAddress();
    if (state) history.state = state;
    refresh();
  };
  // Once images are there: `ready` draws, and all that plays begins.
  table.run = (ready) => {
    ready();
    table.players.redraw();
    table.players.run();
    document.body.dataset.ready = "yes";
  };
  return table;
};

// How far an arrow key goes; null for other keys.
export const nudgeOf = (event) => {
  const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
  if (!way || event.ctrlKey || event.metaKey || event.altKey) return null;
  event.preventDefault();
  return way.map((pixels) => pixels * (event.shiftKey ? 10 : 1));
};
