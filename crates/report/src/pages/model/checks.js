// Checks of values from outside: each says whether a value is of a kind, and is built from others.

export const isWhole = (least, most) => (value) => Number.isInteger(value) && value >= least && value <= most;

export const isNumber = (most) => (value) => Number.isFinite(value) && Math.abs(value) <= most;

export const isOneOf =
  (...values) =>
  (value) =>
    values.includes(value);

export const isText = (isRight) => (value) => typeof value === "string" && isRight(value);

export const isList = (least, most, isRight) => (value) =>
  Array.isArray(value) && value.length >= least && value.length <= most && value.every(isRight);

const isObject = (value) => typeof value === "object" && value !== null && !Array.isArray(value);

// An object of any keys of a kind, with values of a kind.
export const isTable = (isKey, isRight) => (value) =>
  isObject(value) && Object.entries(value).every(([key, one]) => isKey(key) && isRight(one));

// An object with these keys at least, each of its kind.
export const isShape = (checks) => (value) =>
  isObject(value) && Object.entries(checks).every(([key, isRight]) => isRight(value[key]));
