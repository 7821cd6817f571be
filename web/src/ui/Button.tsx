import { type ButtonHTMLAttributes, forwardRef } from "react";
import { cx } from "./cx";

const TONES = {
  act: "bg-spruce text-white border-spruce hover:bg-[#18574b] disabled:bg-[#8fb0a8] disabled:border-[#8fb0a8]",
  plain: "bg-white text-ink border-line hover:border-[#b9b2a0] disabled:text-[#8d9693]",
  quiet: "bg-transparent text-spruce border-transparent hover:bg-[#e6eee9] disabled:text-[#8d9693]",
  wrong: "bg-wrong text-white border-wrong hover:bg-[#8c2b23]",
};

type ButtonProps = ButtonHTMLAttributes<HTMLButtonElement> & {
  tone?: keyof typeof TONES;
};
/** How a button looks; links that act as one look so too. */
export const buttonStyle = (tone: keyof typeof TONES = "plain"): string =>
  cx(
    "inline-flex h-8 items-center justify-center gap-1.5 whitespace-nowrap rounded-field border px-3 font-semibold transition-colors",
    TONES[tone],
  );

/** A button, by how much it stands out. */
export const Button = forwardRef<HTMLButtonElement, ButtonProps>(function Button(
  { tone = "plain", className, ...rest },
  ref,
) {
  return <button ref={ref} type="button" {...rest} className={cx(buttonStyle(tone), className)} />;
});
