// Words as they can be pasted into a shell, a recipe or a CSV file.

const CONTROL = /[\u0000-\u001f\u007f-\u009f]/;
const LIVE = /["$`\\!%\u0000-\u001f\u007f-\u009f]/;

const bytesOf = (letter) => [...new TextEncoder().encode(letter)];
const escaped = (letter) =>
  bytesOf(letter)
    .map((byte) => `\\x${byte.toString(16).padStart(2, "0")}`)
    .join("");

// In double quotes where it needs them, which every shell takes; where that would let a shell run or replace something,
// in the quotes of the system's own shell.
export const pasteable = (word, isWindows) => {
  if (/^[\p{L}\p{N}\-_./:=@+,]+$/u.test(word)) return word;
  if (!LIVE.test(word)) return `"${word}"`;
  if (isWindows) return `'${word.replace(/'/g, "''")}'`;
  if (!CONTROL.test(word)) return `'${word.replace(/'/g, "'\\''")}'`;
  // What can't be typed is written as an escape.
  return `$'${word.replace(/['\\]/g, "\\$&").replace(new RegExp(CONTROL, "g"), escaped)}'`;
};

// A file whose name begins like an option is named with its folder.
export const pathWord = (path) => (path.startsWith("-") && path !== "-" ? `./${path}` : path);

// A basic string of TOML.
export const tomlString = (text) => {
  const escape = (letter) => `\\u${letter.charCodeAt(0).toString(16).toUpperCase().padStart(4, "0")}`;
  return `"${text.replace(/["\\]/g, "\\$&").replace(new RegExp(CONTROL, "g"), escape)}"`;
};

// A key of TOML: bare where it may be.
export const tomlKey = (name) => (/^[A-Za-z0-9_-]+$/.test(name) ? name : tomlString(name));

// A field of a CSV file.
export const csvField = (text) => (/[",\n\r;]|^\s|\s$/.test(text) ? `"${text.replace(/"/g, '""')}"` : text);

// Options as words of a command line: [[name, value]..]; a value of true is a bare option. A value that begins like an
// option is joined to its name.
export const optionWords = (options) =>
  options.flatMap(([name, value]) => {
    if (value === true) return [`--${name}`];
    return value.startsWith("-") ? [`--${name}=${value}`] : [`--${name}`, value];
  });

// Commands, each the words behind `shibori`, as the words of one line: each runs only if the one before succeeded.
export const commandWords = (commands, isWindows) => {
  const [then, end] = isWindows ? ["; if ($?) {", "}"] : ["&&", ""];
  const lines = commands.map((words) => ["shibori", ...words].map((word) => pasteable(word, isWindows)));
  return lines.reduce((all, next) => {
    if (!all.length) return next;
    const last = isWindows ? [...all.slice(0, -1), all.at(-1) + then] : [...all, then];
    return [...last, ...next, ...(end ? [end] : [])];
  }, []);
};

export const commandLine = (commands, isWindows) => commandWords(commands, isWindows).join(" ");

// A value of TOML in one line.
export const formatToml = (value) => {
  if (typeof value === "string") return tomlString(value);
  if (Array.isArray(value)) return `[${value.map(formatToml).join(", ")}]`;
  if (typeof value !== "object") return String(value);
  const entries = Object.entries(value).map(([key, one]) => `${tomlKey(key)} = ${formatToml(one)}`);
  return `{ ${entries.join(", ")} }`;
};
