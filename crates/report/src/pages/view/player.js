// Canvases that play while they are seen. A player has a canvas and `draw(force)`; `drawn` is the step that it shows.

// Draws on every animation frame while `isGoing`, and once each time it is woken. A hidden page draws nothing.
export const createLoop = (draw, isGoing) => {
  let asked = 0;
  const wake = () => {
    asked ||= requestAnimationFrame(() => {
      asked = 0;
      draw();
      if (isGoing() && !document.hidden) wake();
    });
  };
  document.addEventListener("visibilitychange", wake);
  return wake;
};

// Whether animations may start on their own.
export const mayMove = () => !matchMedia("(prefers-reduced-motion: reduce)").matches;

// `wake` is called when one comes into sight.
export const createPlayers = (margin, wake) => {
  const players = new Set();
  const seen = new Set();
  const watcher = new IntersectionObserver(
    (entries) => {
      for (const { target, isIntersecting } of entries) {
        const { player } = target;
        player.visible = isIntersecting;
        player.drawn = -1;
        if (isIntersecting) seen.add(player);
        else seen.delete(player);
      }
      wake();
    },
    { rootMargin: margin },
  );
  const add = (player) => {
    player.canvas.player = player;
    players.add(player);
    watcher.observe(player.canvas);
    return player;
  };
  const remove = (player) => {
    watcher.unobserve(player.canvas);
    players.delete(player);
    seen.delete(player);
  };
  const redraw = () => {
    for (const player of players) player.drawn = -1;
    wake();
  };
  const draw = () => {
    for (const player of seen) player.draw();
  };
  return { players, seen, add, remove, redraw, draw };
};

// Every control of what is behind frames.
export const bindBackground = (look, behind, color, redraw) => {
  behind.addEventListener("change", () => {
    look.behind = behind.value;
    redraw();
  });
  color.addEventListener("input", () => {
    look.color = color.value;
    look.behind = behind.value = "color";
    redraw();
  });
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", redraw);
};

// How fast it plays, as powers of two: a slider, the keys [ and ], and Q for a quarter.
const SPEEDS = { "-3": "⅛×", "-2": "¼×", "-1": "½×", 0: "1×", 1: "2×", 2: "4×" };
const SPOKEN = { "-3": "an eighth", "-2": "a quarter", "-1": "half", 0: "normal", 1: "double", 2: "four times" };
export const bindSpeed = (time, slider, output) => {
  const set = (power) => {
    const kept = Math.max(-3, Math.min(2, power));
    time.settle();
    time.speed = 2 ** kept;
    slider.value = kept;
    slider.setAttribute("aria-valuetext", `${SPOKEN[kept]} speed`);
    output.textContent = SPEEDS[kept];
  };
  slider.addEventListener("input", () => set(+slider.value));
  set(0);
  return {
    "[": () => set(Math.log2(time.speed) - 1),
    "]": () => set(Math.log2(time.speed) + 1),
    q: () => set(time.speed === 1 / 4 ? 0 : -2),
  };
};

// Whether a key that is pressed in an element belongs to that element.
export const isKeyOf = ({ target, key }) => {
  const isTyped =
    /^(SELECT|TEXTAREA)$/.test(target.tagName) || (target.tagName === "INPUT" && target.type !== "checkbox");
  if (isTyped) return true;
  if (key === " ") return /^(INPUT|BUTTON|SUMMARY|A)$/.test(target.tagName);
  return key.startsWith("Arrow") && target.matches(".scroll, .sheet, .light, #view, [data-arrows]");
};

// One Tab stop for many elements: arrow keys, Home and End go through those that are shown.
export const bindRoving = (box, selector, keys) => {
  const items = () => [...box.querySelectorAll(selector)].filter((item) => !item.closest("[hidden]"));
  const only = (chosen) => {
    for (const item of box.querySelectorAll(selector)) item.tabIndex = item === chosen ? 0 : -1;
  };
  const settle = () => {
    const all = items();
    only(all.find((item) => item.tabIndex === 0) || all[0]);
  };
  box.addEventListener("focusin", (event) => {
    const item = event.target.closest(selector);
    if (item) only(item);
  });
  box.addEventListener("keydown", (event) => {
    const item = event.target.closest(selector);
    const by = keys[event.key];
    if (!item || by === undefined || event.ctrlKey || event.metaKey || event.altKey) return;
    event.preventDefault();
    event.stopPropagation();
    const all = items();
    const to = all[Math.max(0, Math.min(all.length - 1, all.indexOf(item) + by))];
    to?.focus();
    to?.scrollIntoView({ block: "nearest", inline: "nearest" });
  });
  return settle;
};

// Keeps the focused element clear of the bars that stick to the window's edges.
export const keepFocusInSight = (above, below) => {
  const style = document.documentElement.style;
  const measure = () => {
    const height = (element) => (element && getComputedStyle(element).position === "sticky" ? element.offsetHeight : 0);
    style.scrollPaddingTop = `${height(above) + 8}px`;
    style.scrollPaddingBottom = `${height(below) + 8}px`;
  };
  const watcher = new ResizeObserver(measure);
  for (const element of [above, below]) if (element) watcher.observe(element);
};

// A canvas that is dragged with a mouse or pen; with a finger it scrolls the page, unless a button says otherwise.
export const bindTouch = (canvas, button) => {
  button.setAttribute("aria-pressed", "false");
  button.addEventListener("click", () => {
    const isOn = button.getAttribute("aria-pressed") !== "true";
    button.setAttribute("aria-pressed", String(isOn));
    canvas.style.touchAction = isOn ? "none" : "";
  });
  return (event) => event.pointerType !== "touch" || button.getAttribute("aria-pressed") === "true";
};
