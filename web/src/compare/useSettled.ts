import { useEffect, useState } from "react";

/** A value that follows another once that has been still for a while; not at all while held. */
export function useSettled<T>(value: T, ms: number, hold: boolean): T {
  const [settled, set] = useState(value);
  useEffect(() => {
    if (hold) {
      return;
    }
    const timeout = setTimeout(() => set(value), ms);
    return () => clearTimeout(timeout);
  }, [value, ms, hold]);
  return settled;
}
