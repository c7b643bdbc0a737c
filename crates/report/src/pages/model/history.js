// A state with undo: a plain object that goes into JSON, and into the address of the page.

// Changes with one name that follow each other this closely, in milliseconds, are one step back.
const CLOSELY = 900;
const MOST = 300;

// Objects without a prototype: any name is a key like others, `constructor` and `__proto__` too.
const bare = (_, value) =>
  typeof value === "object" && value !== null && !Array.isArray(value)
    ? Object.assign(Object.create(null), value)
    : value;
const parsed = (text) => JSON.parse(text, bare);

export const createHistory = (start, now) => {
  const history = { state: parsed(JSON.stringify(start)), past: [], next: [] };
  const text = () => JSON.stringify(history.state);
  const begun = text();
  let [lastName, lastGesture, lastTime] = [null, null, 0];
  history.isUnchanged = () => text() === begun;
  // Edits the state in place, and says whether that changed it. One gesture, such as a drag, is one undo step.
  history.change = (name, edit, gesture = null) => {
    const before = text();
    const time = now();
    edit(history.state);
    if (text() === before) return false;
    const isOne = gesture !== null && gesture === lastGesture;
    if (!isOne && !(name && name === lastName && time - lastTime < CLOSELY)) history.past.push(before);
    if (history.past.length > MOST) history.past.shift();
    history.next = [];
    [lastName, lastGesture, lastTime] = [name, gesture, time];
    return true;
  };
  // Puts another state in its place.
  history.replace = (state) => {
    history.past.push(text());
    history.state = state;
  };
  const go = (from, to) => {
    if (!from.length) return false;
    to.push(text());
    history.state = parsed(from.pop());
    [lastName, lastGesture] = [null, null];
    return true;
  };
  history.undo = () => go(history.past, history.next);
  history.redo = () => go(history.next, history.past);
  return history;
};

// Any JSON value as letters that an address takes.
export const encodeState = (state) => {
  const bytes = new TextEncoder().encode(JSON.stringify(state));
  const letters = btoa(Array.from(bytes, (byte) => String.fromCharCode(byte)).join(""));
  return letters.replace(/\+/g, "-").replace(/\//g, "_").replace(/=+$/, "");
};

export const decodeState = (word) => {
  const raw = atob(word.replace(/-/g, "+").replace(/_/g, "/"));
  return parsed(new TextDecoder().decode(Uint8Array.from(raw, (letter) => letter.charCodeAt(0))));
};

// A checksum of a text (FNV-1a).
export const checksumOf = (text) => {
  let sum = 0x811c9dc5;
  for (const letter of text) sum = Math.imul(sum ^ letter.codePointAt(0), 0x01000193) >>> 0;
  return sum;
};

export const digestOf = (value) => checksumOf(JSON.stringify(value));
