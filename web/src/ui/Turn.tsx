import type { LucideIcon } from "lucide-react";
import { Button } from "./Button";
import { cx } from "./cx";

interface Props {
  icon: LucideIcon;
  name: string;
  keys: string;
  /** Null where there is nothing to turn. */
  turn: (() => void) | null;
  className?: string;
}

/** Takes something back, or does it again. */
export const Turn = ({ icon: Icon, name, keys, turn, className }: Props) => (
  <Button
    tone="quiet"
    className={cx("w-7 shrink-0 px-0!", className)}
    aria-label={name}
    title={`${name}. ${keys}`}
    disabled={!turn}
    onClick={() => turn?.()}
  >
    <Icon size={15} aria-hidden />
  </Button>
);
