import type { ReactNode } from "react";

/** Says what follows and what would help. */
export function Warning({ children }: { children: ReactNode }) {
  return (
    <div
      role="status"
      className="rounded-card border border-[#e5c57f] bg-warnbg px-3 py-2 text-warnink"
    >
      {children}
    </div>
  );
}

/** Says what is wrong. */
export function Problem({ children }: { children: ReactNode }) {
  return (
    <div
      role="alert"
      className="rounded-card border border-[#d9a29d] bg-[#f8e7e5] px-3 py-2 text-[#7c241d]"
    >
      {children}
    </div>
  );
}
