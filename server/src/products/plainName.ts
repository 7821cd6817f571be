/** A name without what file systems do not take; may be empty. */
export const plainName = (name: string): string =>
  name
    .normalize("NFKD")
    .replace(/\p{M}/gu, "")
    .replace(/[^\w.-]+/g, "_")
    .replace(/^_+|_+$/g, "");
