// What a value of unknown make is.

/** Whether something is an object or a list, whose keys or places can be looked at. */
export const isObject = (value: unknown): value is Record<string, unknown> =>
  typeof value === "object" && value !== null;

/** Whether something is an object whose keys can be looked at; lists are not. */
export const isRecord = (value: unknown): value is Record<string, unknown> =>
  isObject(value) && !Array.isArray(value);

/** Whether something is a number other than NaN and the infinite ones. */
export const isFiniteNumber = (value: unknown): value is number => Number.isFinite(value);
