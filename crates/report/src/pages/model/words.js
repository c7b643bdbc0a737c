// Numbers as people read them.
const grouped = new Intl.NumberFormat("en");

export const count = (number, noun) => `${grouped.format(number)} ${noun}${number === 1 ? "" : "s"}`;

export const bytes = (number) => {
  if (number >= 1e6) return `${(number / 1e6).toFixed(1)} MB`;
  return number >= 1000 ? `${(number / 1000).toFixed(1)} kB` : `${number} B`;
};

export const milliseconds = (seconds) => `${+(seconds * 1000).toFixed(2)} ms`;

export const pair = ([x, y]) => `${x},${y}`;

// At most three decimals.
export const tidy = (number) => +number.toFixed(3);
