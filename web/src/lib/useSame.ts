import { useState } from "react";

/**
 * The same object as before for as long as its content is the same, for what is costly to make anew.
 * Content is compared as JSON: keep functions and cyclic things out of it.
 */
export function useSame<T>(value: T): T {
  const [kept, keep] = useState(value);
  if (kept !== value && JSON.stringify(kept) !== JSON.stringify(value)) {
    keep(value);
    return value;
  }
  return kept;
}
