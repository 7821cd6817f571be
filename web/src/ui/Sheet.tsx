import type { ReactNode } from "react";
import { Dialog } from "radix-ui";
import { X } from "lucide-react";
import { cx } from "./cx";
import { useReturnFocus } from "./useReturnFocus";

/** A dialog in the middle of the page. */
export function Sheet({
  open,
  onOpenChange,
  title,
  children,
  wide,
  describe,
}: {
  open: boolean;
  onOpenChange(isOpen: boolean): void;
  title: string;
  children: ReactNode;
  wide?: boolean;
  describe?: string;
}) {
  const back = useReturnFocus(open);
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-night/45" />
        <Dialog.Content
          onCloseAutoFocus={back}
          {...(describe ? {} : { "aria-describedby": undefined })}
          className={cx(
            "fixed left-1/2 top-1/2 z-50 max-h-[90vh] -translate-x-1/2 -translate-y-1/2 overflow-auto rounded-card border border-line bg-paper p-5 shadow-xl",
            wide ? "w-[640px]" : "w-[460px]",
          )}
        >
          <Dialog.Title className="mb-3 pr-8 text-[17px] leading-6">{title}</Dialog.Title>
          {describe && (
            <Dialog.Description className="mb-3 text-soft">{describe}</Dialog.Description>
          )}
          {children}
          {/* Last in order, so that the first field gets the focus. */}
          <Dialog.Close
            aria-label="Close"
            className="absolute right-4 top-5 rounded p-1 text-soft hover:text-ink"
          >
            <X size={16} aria-hidden />
          </Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
