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

// Text and number fields say here what is wrong.
export const say = (text) => {
  document.getElementById("said").textContent = text;
};

export const markProblem = (input, problem) => {
  if (problem) input.setAttribute("aria-invalid", "true");
  else input.removeAttribute("aria-invalid");
  input.title = problem;
  say(problem);
};

// The field that someone types in: its text is left alone.
let typedIn = null;
addEventListener(
  "input",
  (event) => {
    typedIn = event.target;
  },
  true,
);
addEventListener("input", () => {
  typedIn = null;
});

// A number, changed by typing, by up and down, and with Shift by ten. What is typed counts on Enter or on leaving the
// field; Escape or an invalid number restores the old value.
export const numberField = (text, { min = 0, max = 100000, step = 1 }, get, set) => {
  const input = make("input");
  Object.assign(input, { type: "number", min, max, step });
  const kind = `${step < 1 ? "" : "whole "}number${min > -100000 ? ` from ${min} to` : " up to"} ${max}`;
  const problemOf = (value) => {
    const isRight = Number.isFinite(value) && value >= min && value <= max && (step < 1 || Number.isInteger(value));
    return isRight ? "" : `${text} must be a ${kind}`;
  };
  let isTyping = false;
  const settle = () => {
    isTyping = false;
    if (input.hasAttribute("aria-invalid")) markProblem(input, "");
    input.value = get();
  };
  const take = (value) => {
    const problem = problemOf(value);
    if (!problem) set(value, text);
    settle();
    if (problem) say(problem);
  };
  input.addEventListener("input", () => {
    isTyping = true;
    markProblem(input, problemOf(input.valueAsNumber));
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
  const field = labelled(text, input, "number");
  field.input = input;
  field.refresh = () => {
    if (!isTyping) input.value = get();
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

export const textField = (text, get, set, placeholder = "") => {
  const input = make("input");
  Object.assign(input, { type: "text", spellcheck: false, autocomplete: "off", placeholder });
  const field = labelled(text, input);
  field.input = input;
  field.refresh = () => {
    if (typedIn === input) return;
    input.value = get();
    input.removeAttribute("aria-invalid");
    input.title = "";
  };
  input.addEventListener("input", () => set(input.value, input));
  input.addEventListener("blur", field.refresh);
  return field;
};
