import type { ReactNode } from "react";
import { Popover } from "radix-ui";

/** What shows beside its trigger until something else is clicked. */
export function Pop({
  trigger,
  children,
  label,
  width = 260,
  open,
  onOpenChange,
}: {
  trigger: ReactNode;
  children: ReactNode;
  label: string;
  width?: number;
  open?: boolean;
  onOpenChange?(isOpen: boolean): void;
}) {
  return (
    <Popover.Root open={open} onOpenChange={onOpenChange}>
      <Popover.Trigger asChild>{trigger}</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label={label}
          sideOffset={6}
          collisionPadding={10}
          style={{ width }}
          className="z-50 max-h-[var(--radix-popover-content-available-height)] overflow-y-auto rounded-card border border-line bg-white p-3 shadow-lg"
        >
          {children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** What is clicked within it closes it, a link to another page for one. */
export const PopClose = Popover.Close;
