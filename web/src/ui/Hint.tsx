import type { ReactNode } from "react";
import { Tooltip } from "radix-ui";

interface Props {
  /** What is explained. */
  children: ReactNode;
  /** The explanation. */
  text: ReactNode;
  className?: string;
}

/** Words that explain themselves where the pointer rests on them or the keyboard comes to them. */
export function Hint({ children, text, className }: Props) {
  return (
    <Tooltip.Provider delayDuration={150}>
      <Tooltip.Root>
        <Tooltip.Trigger
          type="button"
          className={`cursor-help underline decoration-dotted underline-offset-[3px] ${className ?? ""}`}
          // A click that hides what it was pressed to read helps nobody.
          onClick={(event) => event.preventDefault()}
        >
          {children}
        </Tooltip.Trigger>
        <Tooltip.Portal>
          <Tooltip.Content
            sideOffset={6}
            collisionPadding={10}
            className="z-50 max-w-[300px] rounded-card border border-line bg-white p-3 text-ink shadow-lg"
          >
            {text}
          </Tooltip.Content>
        </Tooltip.Portal>
      </Tooltip.Root>
    </Tooltip.Provider>
  );
}
