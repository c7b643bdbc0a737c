// Fields of the light tables.
import { make } from "./dom.js";

let fieldsMade = 0;

// Fields that differ by their place alone differ in words too, for those who hear them: "Name" is "Name of row 0".
export const labelled = (text, control, name) => {
  const short = text.replace(/ of (row|clip) \d+$/, "");
  const field = make("div", null, `field ${name || ""}`);
  const label = make("label");
  const shown = make("span", short);
  if (text !== short) shown.append(make("span", text.slice(short.length), "heard"));
  control.id = label.htmlFor = `field-${fieldsMade++}`;
  label.append(shown);
  field.append(label, control);
  return field;
};

// Shows and announces what was done, or why not.
export const say = (text) => {
  document.getElementById("said").textContent = text;
};

// A message below a field. Returns a function that sets it.
const problemBelow = (field, input) => {
  const below = make("span", "", "problem");
  below.id = `${input.id}-problem`;
  below.setAttribute("role", "status");
  field.append(below);
  return (problem) => {
    below.textContent = problem;
    if (problem) {
      input.setAttribute("aria-invalid", "true");
      input.setAttribute("aria-describedby", below.id);
      return;
    }
    input.removeAttribute("aria-invalid");
    input.removeAttribute("aria-describedby");
  };
};

// A number, changed by typing, by up and down, and with Shift by ten. What is typed counts on Enter or on leaving the
// field; Escape or an invalid number restores the old value. `get` may return null for an empty field; `set` may
// return a problem.
export const numberField = (text, { min = 0, max = 100000, step = 1 }, get, set) => {
  const input = make("input");
  Object.assign(input, { type: "number", min, max, step });
  const kind = `${step < 1 ? "" : "whole "}number${min > -100000 ? ` from ${min} to` : " up to"} ${max}`;
  const problemOf = (value) => {
    const isRight = Number.isFinite(value) && value >= min && value <= max && (step < 1 || Number.isInteger(value));
    return isRight ? "" : `${text} must be a ${kind}`;
  };
  const field = labelled(text, input, "number");
  const mark = problemBelow(field, input);
  let isTyping = false;
  const settle = () => {
    isTyping = false;
    delete input.dataset.typing;
    mark("");
    input.value = get() ?? "";
  };
  const take = (value) => {
    const problem = problemOf(value) || set(value, text);
    settle();
    if (problem) say(problem);
  };
  input.addEventListener("input", () => {
    isTyping = true;
    input.dataset.typing = "yes";
    mark(problemOf(input.valueAsNumber));
  });
  input.addEventListener("change", () => take(input.valueAsNumber));
  input.addEventListener("blur", () => {
    if (isTyping) settle();
  });
  input.addEventListener("keydown", (event) => {
    if (event.key === "Escape") settle();
    if (!event.shiftKey || !["ArrowUp", "ArrowDown"].includes(event.key)) return;
    event.preventDefault();
    take(Math.max(min, Math.min(max, get() + (event.key === "ArrowUp" ? 10 : -10))));
  });
  field.input = input;
  field.refresh = () => {
    if (!isTyping) input.value = get() ?? "";
  };
  return field;
};

export const choice = (text, options, get, set) => {
  const select = make("select");
  for (const [value, shown] of options) select.append(Object.assign(make("option", shown), { value }));
  select.addEventListener("change", () => set(select.value));
  const field = labelled(text, select);
  field.select = select;
  field.refresh = () => {
    select.value = get();
  };
  return field;
};

export const checkbox = (text, get, set) => {
  const input = Object.assign(make("input"), { type: "checkbox" });
  input.addEventListener("change", () => set(input.checked));
  const field = labelled(text, input, "check");
  field.refresh = () => {
    input.checked = get();
  };
  return field;
};

const listOfOptions = (options) => {
  const list = make("datalist");
  list.id = `options-${fieldsMade++}`;
  for (const value of options) list.append(Object.assign(make("option"), { value }));
  return list;
};

// A text field. Valid text counts while it is typed; everything typed in one visit is one change. `begin` returns what
// that visit starts from; `set(value, {begun, gesture})` returns the problem, if there is one. Escape restores the old
// text.
export const textField = (text, get, set, { placeholder = "", options = [], begin = () => null } = {}) => {
  const input = make("input");
  Object.assign(input, { type: "text", spellcheck: false, autocomplete: "off", placeholder });
  const field = labelled(text, input);
  const mark = problemBelow(field, input);
  if (options.length) {
    const list = listOfOptions(options);
    field.append(list);
    input.setAttribute("list", list.id);
  }
  let visit = null;
  let isTyping = false;
  const settle = () => {
    isTyping = false;
    delete input.dataset.typing;
    mark("");
    input.value = get();
  };
  field.input = input;
  field.refresh = () => {
    if (!isTyping) settle();
  };
  input.addEventListener("focus", () => {
    visit = { begun: begin(), gesture: Symbol(text), text: get() };
  });
  input.addEventListener("input", () => {
    visit ||= { begun: begin(), gesture: Symbol(text), text: get() };
    isTyping = true;
    input.dataset.typing = "yes";
    mark(set(input.value, visit) || "");
  });
  input.addEventListener("change", settle);
  input.addEventListener("blur", () => {
    settle();
    visit = null;
  });
  input.addEventListener("keydown", (event) => {
    if (event.key !== "Escape" || !visit || !isTyping) return;
    set(visit.text, visit);
    settle();
  });
  return field;
};
