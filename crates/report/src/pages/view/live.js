// When a server shows the page: applies what the page shows, undoes that, and follows the files.
import { $, make } from "./dom.js";
import { say } from "./fields.js";

const STATUS_EVERY = 700;
const TRY_AFTER = 500;
const KEPT = "light table";

// `keep()` gives what the page needs to go on after it was loaded again.
export const createLive = (data, keep) => {
  const part = $("live");
  if (!part) return { kept: {}, update: () => {} };
  const live = JSON.parse(part.textContent);
  let outcome = { commands: [], lines: "" };
  let [shown, isBusy, isGone, isPressed, isLeaving] = [-1, false, false, false, false];
  let undoes = "";

  // Lines that scroll can be reached by keys.
  const reach = (box) => {
    if (box.scrollHeight > box.clientHeight) box.tabIndex = 0;
    else box.removeAttribute("tabindex");
  };
  const fill = (id, ...rows) => {
    $(id).replaceChildren(...rows);
    reach($(id));
  };
  const watcher = new ResizeObserver((entries) => entries.forEach(({ target }) => reach(target)));
  for (const id of ["done", "tried"]) watcher.observe($(id));

  const takeKept = () => {
    try {
      const kept = JSON.parse(sessionStorage.getItem(KEPT) || "{}");
      sessionStorage.removeItem(KEPT);
      return kept.path === location.pathname ? kept : {};
    } catch {
      return {};
    }
  };
  const reload = () => {
    if (isLeaving) return;
    isLeaving = true;
    const focus = document.activeElement?.id || "";
    sessionStorage.setItem(KEPT, JSON.stringify({ ...keep(), path: location.pathname, focus, scroll: scrollY }));
    location.reload();
  };

  const showButtons = () => {
    const hasChanges = data.recipe ? Boolean(outcome.lines) : outcome.commands.length > 0;
    $("apply").disabled = isBusy || isGone || !hasChanges;
    $("undo-applied").disabled = isBusy || isGone || !undoes;
    $("undo-applied").title = undoes ? `Puts the files back as they were before ${undoes}` : "Nothing was applied yet";
  };
  const CHOICES = {
    apply: ["Keep the changes made by hand", "Replace them"],
    undo: ["Leave everything as it is", "Undo it anyway"],
  };
  const show = (status) => {
    undoes = status.undo || "";
    showButtons();
    if (status.said === shown) return;
    shown = status.said;
    const rows = status.lines.map(({ kind, text }) => {
      if (!text.startsWith("> ")) return make("p", `${kind === "result" ? "" : `${kind}: `}${text}`, kind);
      const row = make("p", null, "ran");
      row.append(...text.split(" ").flatMap((word) => [make("span", word), " "]));
      return row;
    });
    fill("done", ...rows);
    const choices = CHOICES[status.conflict];
    $("conflict").hidden = !choices;
    if (choices) [$("keep-theirs").textContent, $("take-new").textContent] = choices;
    $("conflict").dataset.of = status.conflict || "";
  };
  // While something is dragged or typed, the page waits.
  const mayLeave = () => !isPressed && !isBusy && !document.querySelector("[data-typing]");
  const follow = (status) => {
    show(status);
    if (status.version === live.version) return;
    if (mayLeave()) reload();
    else setTimeout(ask, STATUS_EVERY);
  };
  const ask = async () => {
    try {
      const answer = await fetch(`${live.root}/.shibori/status`);
      const status = await answer.json();
      if (isGone) say("");
      isGone = false;
      follow(status);
    } catch {
      if (!isGone) say("shibori was stopped: changes can be tried here, but not applied");
      isGone = true;
      showButtons();
    }
  };

  const send = async (action, body) => {
    isBusy = true;
    showButtons();
    fill("done", make("p", "working…"));
    shown = -1;
    try {
      const answer = await fetch(`${live.root}/.shibori/${action}`, {
        method: "POST",
        headers: { "Content-Type": "application/json" },
        body: JSON.stringify({ version: live.version, ...body }),
      });
      const isText = !answer.headers.get("Content-Type").startsWith("application/json");
      isBusy = false;
      if (isText) {
        fill("done", make("p", `error: ${(await answer.text()).trim()}`, "error"));
        showButtons();
        return;
      }
      if (answer.status === 409) say("The files changed meanwhile; look again, then apply.");
      follow(await answer.json());
    } catch {
      isBusy = false;
      await ask();
    }
  };
  // What the program would say, a moment after the last change.
  let [later, trial] = [0, 0];
  const tryOut = () => {
    clearTimeout(later);
    fill("tried");
    const number = ++trial;
    if (data.recipe || !outcome.commands.length || isGone) return;
    later = setTimeout(async () => {
      try {
        const answer = await fetch(`${live.root}/.shibori/try`, {
          method: "POST",
          headers: { "Content-Type": "application/json" },
          body: JSON.stringify({
            version: live.version,
            commands: outcome.commands,
            per_frame: outcome.perFrame || "",
          }),
        });
        // The files changed meanwhile, and the page will load again.
        if (number !== trial || !answer.ok) return;
        const { lines } = await answer.json();
        const worthKnowing = lines.filter(({ kind, text }) => kind !== "result" || text.includes("would write"));
        const label = ({ kind, text }) => (kind === "result" ? text : `${kind}: ${text}`);
        fill("tried", ...worthKnowing.map((line) => make("p", label(line), line.kind)));
      } catch {
        // The status says it if the server is gone.
      }
    }, TRY_AFTER);
  };
  const apply = (choice) => {
    // A number that is being typed counts when its field is left.
    document.activeElement?.blur?.();
    if ($("apply").disabled) return;
    const what = data.recipe ? { sprite: data.sprite, lines: outcome.lines } : { commands: outcome.commands };
    send("apply", { ...what, per_frame: outcome.perFrame || "", on_conflict: choice });
  };
  const undo = (choice) => send("undo", { on_conflict: choice });
  const choose = (choice) => () => {
    const isUndo = $("conflict").dataset.of === "undo";
    $("conflict").hidden = true;
    if (isUndo && choice === "keep") fill("done", make("p", "nothing was undone"));
    else if (isUndo) undo(choice);
    else apply(choice);
  };

  $("live-part").hidden = false;
  $("out").classList.add("live");
  $("apply").addEventListener("click", () => apply(null));
  $("undo-applied").addEventListener("click", () => undo(null));
  $("keep-theirs").addEventListener("click", choose("keep"));
  $("take-new").addEventListener("click", choose("replace"));
  for (const { name, address, is_here: isHere } of live.tabs) {
    const link = Object.assign(make("a", name, "button"), { href: address });
    if (isHere) link.setAttribute("aria-current", "page");
    $("tabs").append(link, " ");
  }
  addEventListener("pointerdown", () => {
    isPressed = true;
  });
  for (const kind of ["pointerup", "pointercancel", "blur"]) {
    addEventListener(kind, () => {
      isPressed = false;
    });
  }
  addEventListener("keydown", (event) => {
    if (event.key !== "Enter" || !(event.ctrlKey || event.metaKey)) return;
    event.preventDefault();
    apply(null);
  });
  setInterval(ask, STATUS_EVERY);
  ask();
  return {
    kept: takeKept(),
    update: (now) => {
      const before = JSON.stringify([outcome.commands, outcome.perFrame]);
      outcome = now.problem ? { commands: [], lines: "" } : now;
      showButtons();
      if (JSON.stringify([outcome.commands, outcome.perFrame]) !== before) tryOut();
    },
  };
};
