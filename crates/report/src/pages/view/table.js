// What both light tables share: the state in the address of the page, playing, and the command that comes out.
import { createHistory, decodeState, encodeState } from "../model/history.js";
import { commandWords } from "../model/quoting.js";
import { createClock } from "../model/timeline.js";
import { $, bindCopy, make } from "./dom.js";
import { say } from "./fields.js";
import { createLive } from "./live.js";
import { bindBackground, bindSpeed, createLoop, createPlayers, isKeyOf, keepFocusInSight, mayMove } from "./player.js";

// Browsers take no more than some twenty new addresses a second.
const MOST_SAVES = 100;
const SAVES_PER = 10000;

// `model` has what a page starts with, `start` and `startView`, and checks whether this page could have made a
// state: `isState`, `isView`. `refresh(isBrief)` shows the state, `draw` draws anything besides the players. `signs`
// describes the result of a state, so that `settle` can remove changes that were applied since.
export const createTable = (data, model, { refresh, draw, signs = () => null, settle = (state) => state }) => {
  const history = createHistory(model.start, () => performance.now());
  // Looking at something isn't a change, and isn't undone.
  const table = { view: { ...model.startView } };
  const beginning = JSON.stringify(table.view);
  Object.defineProperty(table, "state", { get: () => history.state });
  const live = createLive(data, () => {
    save();
    const { past, next, state } = history;
    const time = [table.time.playing, table.time.seconds()];
    return { past, next, state: JSON.stringify(state), time };
  });
  let saving = 0;
  let drawing = 0;
  let saves = [];

  const save = () => {
    clearTimeout(saving);
    const isNew = history.isUnchanged() && JSON.stringify(table.view) === beginning;
    const all = { ...history.state, view: table.view, signs: signs(history.state) };
    const address = isNew ? location.pathname + location.search : `#${encodeState(all)}`;
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
  // The state and view in the address; null if there are none, or they are of other art.
  const stateOfAddress = () => {
    if (location.hash.length < 2) return null;
    try {
      const { signs: known, view, ...found } = decodeState(location.hash.slice(1));
      if (JSON.stringify(found.of) !== JSON.stringify(history.state.of)) {
        say("This link was made for different art, so its settings were ignored.");
        return null;
      }
      if (model.isState(found) && model.isView(view)) return { state: known ? settle(found, known) : found, view };
    } catch {
      // Whatever it is, it isn't a state.
    }
    say("This link is damaged, so its settings were ignored.");
    return null;
  };

  const all = () => {
    refresh(false);
    table.wake();
  };
  table.change = (name, edit, { isDrag = false, gesture = null } = {}) => {
    if (!history.change(name, edit, gesture)) return;
    if (!isDrag) {
      saveSoon();
      all();
      return;
    }
    clearTimeout(saving);
    saving = setTimeout(save, 200);
    drawing ||= requestAnimationFrame(() => {
      drawing = 0;
      refresh(true);
      table.wake();
    });
  };
  // Changes the view.
  table.look = (view) => {
    Object.assign(table.view, view);
    saveSoon();
    all();
  };
  const go = (way) => () => {
    if (!way()) return;
    saveSoon();
    all();
  };
  const [undo, redo] = [go(history.undo), go(history.redo)];

  // ---- time
  const behind = { behind: "checker", color: "#2c4a5a" };
  table.behind = behind;
  table.time = createClock(() => performance.now(), mayMove());
  table.players = createPlayers("100px", () => table.wake());
  table.wake = createLoop(
    () => {
      table.players.draw();
      draw();
    },
    () => table.time.playing,
  );
  const showPlaying = () => {
    $("play").textContent = table.time.playing ? "Pause" : "Play";
  };
  table.play = (isPlaying) => {
    table.time.play(isPlaying);
    showPlaying();
    table.players.redraw();
  };
  table.toggle = () => table.play(!table.time.playing);
  bindBackground(behind, $("behind"), $("color"), () => {
    table.players.redraw();
    refresh(false);
  });
  const keys = { " ": table.toggle, ...bindSpeed(table.time, $("speed"), $("speed-is")) };

  // ---- what comes out
  const show = (id, text) => {
    const area = $(id);
    area.value = area.textContent = text;
    area.rows = Math.max(1, text.trimEnd().split("\n").length);
  };
  // A command breaks between its words only, wherever a browser would break it.
  const showWords = (commands, text) => {
    const box = $("words");
    box.classList.toggle("empty", !$("command").value);
    if (!commands.length) {
      box.textContent = text;
      return;
    }
    const words = commandWords(commands, data.is_windows);
    box.replaceChildren(...words.flatMap((word) => [make("span", word), " "]));
  };
  table.showOutcome = (outcome) => {
    const { commands, command, lines, perFrame, problem, hint, note } = outcome;
    live.update(outcome);
    show("command", command);
    showWords(command ? commands : [], command || problem || hint || "");
    $("wrong").textContent = problem || "";
    $("note").textContent = note || "";
    show("recipe", lines);
    $("per-frame-part").hidden = !perFrame;
    if (perFrame) {
      show("per-frame", perFrame);
      $("save").href = `data:text/csv;charset=utf-8,${encodeURIComponent(perFrame)}`;
      $("save").download = data.per_frame.split("/").pop();
      $("save").textContent = `Save ${data.per_frame}`;
      $("save").title = `Save it ${data.recipe ? "in the recipe's folder" : "where the command is run"}`;
    }
    $("undo").disabled = !history.past.length;
    $("redo").disabled = !history.next.length;
  };

  // ---- controls
  bindCopy($("copy"), $("command"), $("words"));
  bindCopy($("copy-lines"), $("recipe"));
  $("undo").addEventListener("click", undo);
  $("redo").addEventListener("click", redo);
  $("play").addEventListener("click", table.toggle);
  $("bar").addEventListener("submit", (event) => event.preventDefault());
  keepFocusInSight($("bar"), $("out"));
  // Recipe lines are open if a recipe makes the frames.
  $("recipe-part").open = Boolean(data.recipe);
  document.addEventListener("keydown", (event) => {
    const key = event.key.toLowerCase();
    const isCommand = event.ctrlKey || event.metaKey;
    if (isCommand && !event.altKey && (key === "z" || key === "y")) {
      event.preventDefault();
      (key === "y" || event.shiftKey ? redo : undo)();
      return;
    }
    const act = keys[key] || table.keys?.[key];
    if (!act || isCommand || event.altKey || isKeyOf(event)) return;
    event.preventDefault();
    act();
  });
  addEventListener("hashchange", () => {
    const found = stateOfAddress();
    if (!found) return;
    history.replace(found.state);
    table.view = found.view;
    all();
  });
  addEventListener("pagehide", save);

  table.begin = () => {
    $("title").textContent = data.title;
    const found = stateOfAddress();
    if (found) [history.state, table.view] = [found.state, found.view];
    goOn(live.kept);
    showPlaying();
    refresh(false);
  };
  // After the server let the page load again: the steps that can be undone and the time stay, unless the changes were
  // applied.
  const goOn = ({ past, next, state, time, focus, scroll }) => {
    if (state && state === JSON.stringify(history.state)) Object.assign(history, { past, next });
    else if (state) say("");
    if (time) {
      table.time.play(time[0]);
      table.time.seek(time[1]);
    }
    if (focus) $(focus)?.focus({ preventScroll: true });
    if (scroll) requestAnimationFrame(() => scrollTo(0, scroll));
  };
  // Once images are there.
  table.run = (ready) => {
    ready();
    table.players.redraw();
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
