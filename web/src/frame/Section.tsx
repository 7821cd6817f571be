import type { ReactNode } from "react";
import { cx } from "../ui/cx";

interface Props {
  title?: ReactNode;
  right?: ReactNode;
  children: ReactNode;
  className?: string;
}

/** A part of the desk with its title. */
export const Section = ({ title, right, children, className }: Props) => (
  <section className={cx("border-b border-line px-4 py-3 last:border-b-0", className)}>
    {(title || right) && (
      <div className="mb-2 flex items-center justify-between gap-3">
        <h2 className="text-label text-soft">{title}</h2>
        {right}
      </div>
    )}
    {children}
  </section>
);
