// Fields of a light table for what happens to pixels: background, edges, specks, areas, mirroring and the pivot.
import { PIVOTS, formatColor, parseAreas, parseColor, parsePivot } from "../model/clean.js";
import { button, make } from "./dom.js";
import { choice, numberField, say, textField } from "./fields.js";

// `auto` is the background that was found, if there is one; `size` is the sheet's.
export const createCleaning = (table, auto, size) => {
  const now = () => table.state.clean;
  const set = (name, value, gesture = null) =>
    table.change(name, (state) => Object.assign(state.clean, value), { gesture });
  // A text field for a key, checked by `problemOf`.
  const checkedText = (label, name, problemOf, options) =>
    textField(
      label,
      () => now()[name],
      (value, { gesture }) => {
        const problem = problemOf(value);
        if (!problem) set(name, { [name]: value.trim() }, gesture);
        return problem || "";
      },
      options,
    );
  const count = (label, name) =>
    numberField(
      label,
      {},
      () => now()[name],
      (value) => set(name, { [name]: value }),
    );

  const key = choice(
    "Sheet background",
    [["none", "keep"], ...(auto ? [["auto", `remove detected ${auto.color}`]] : []), ["color", "remove a color"]],
    () => (["none", "auto"].includes(now().key) ? now().key : "color"),
    (value) => set("", { key: value === "color" ? auto?.color || "ffffff" : value, tolerance: null }),
  );
  const color = textField(
    "Color to remove",
    () => now().key,
    (value, { gesture }) => {
      const parsed = parseColor(value);
      if (!parsed) return "write a color such as ff00ff, or pick it on the sheet";
      set("key", { key: formatColor(parsed) }, gesture);
      return "";
    },
  );
  let isPicking = false;
  const pick = button("Pick on the sheet", () => {
    isPicking = !isPicking;
    pick.setAttribute("aria-pressed", String(isPicking));
    if (isPicking) say("click the color on the sheet");
  });
  const tolerance = numberField(
    "Tolerance",
    { max: 255 },
    () => now().tolerance ?? (now().key === "auto" ? auto.tolerance : 0),
    (value) => set("tolerance", { tolerance: value }),
  );
  const scope = choice(
    "Remove it",
    [
      ["outside", "outside drawings"],
      ["everywhere", "everywhere"],
    ],
    () => now().scope,
    (value) => set("", { scope: value }),
  );
  const others = [
    count("Clear cell edges, px", "edge"),
    count("Remove specks up to, px", "specks"),
    checkedText("Erase areas of each cell", "erase", (value) => parseAreas(value).problem, { placeholder: "x,y,w,h" }),
    choice(
      "Mirror cells",
      [
        ["", "no"],
        ["left-right", "left-right"],
        ["up-down", "up-down"],
      ],
      () => now().mirror,
      (value) => set("", { mirror: value }),
    ),
    checkedText("Pivot", "pivot", (value) => parsePivot(value, size).problem, {
      placeholder: "center",
      options: PIVOTS,
    }),
  ];
  const box = make("details");
  box.append(make("summary", "Clean, mirror, pivot"), ...others);

  return {
    parts: [key, color, tolerance, scope, pick, box],
    // Takes the color under the pointer while the field waits for one.
    pickAt: (colorAt) => {
      if (!isPicking) return false;
      pick.click();
      const found = colorAt();
      if (found) set("", { key: formatColor(found), tolerance: null });
      return true;
    },
    refresh: (state) => {
      for (const field of [key, color, tolerance, scope, ...others]) field.refresh();
      const isKeyed = state.clean.key !== "none";
      color.hidden = pick.hidden = !isKeyed || state.clean.key === "auto";
      tolerance.hidden = scope.hidden = !isKeyed || state.by !== "grid";
      // With other colors gone, other drawings would be found.
      key.select.querySelector("[value=color]").disabled = state.by !== "grid";
    },
  };
};
