import { type ButtonHTMLAttributes } from "react";
import { cx } from "./cx";

/** A small button that can be on. */
export function Chip({
  on,
  children,
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { on?: boolean }) {
  return (
    <button
      type="button"
      {...rest}
      className={cx(
        "inline-flex h-[24px] items-center gap-1.5 whitespace-nowrap rounded-full border px-2.5 text-[12px] hover:border-spruce",
        on ? "border-spruce bg-[#e2ece7]" : "border-line bg-white",
        rest.className,
      )}
    >
      {children}
    </button>
  );
}
