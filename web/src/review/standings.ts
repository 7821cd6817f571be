import type { Standing } from "@hindglance/core/review/standing";

/** How standings are told: a sign, a word and a colour each; none needs its colour to be told. */
export const STANDING_LOOKS: Record<Standing, { sign: string; name: string; color: string }> = {
  open: { sign: "", name: "open", color: "#ffffff" },
  real: { sign: "✓", name: "real", color: "#8fd6c4" },
  false: { sign: "✕", name: "false", color: "#b9c2be" },
  disputed: { sign: "≠", name: "disputed", color: "#f1c063" },
};
