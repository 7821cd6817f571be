import { AlertDialog } from "radix-ui";
import { Button } from "./Button";
import { useReturnFocus } from "./useReturnFocus";

/** Asks before something is deleted, and says what goes with it. */
export function Confirm({
  open,
  onOpenChange,
  title,
  text,
  act,
  onAct,
}: {
  open: boolean;
  onOpenChange(isOpen: boolean): void;
  title: string;
  text: string;
  act: string;
  onAct(): void;
}) {
  const back = useReturnFocus(open);
  return (
    <AlertDialog.Root open={open} onOpenChange={onOpenChange}>
      <AlertDialog.Portal>
        <AlertDialog.Overlay className="fixed inset-0 z-40 bg-night/45" />
        <AlertDialog.Content
          onCloseAutoFocus={back}
          className="fixed left-1/2 top-1/2 z-50 w-[420px] -translate-x-1/2 -translate-y-1/2 rounded-card border border-line bg-paper p-5 shadow-xl"
        >
          <AlertDialog.Title className="text-[17px] leading-6">{title}</AlertDialog.Title>
          <AlertDialog.Description className="mt-2 text-soft">{text}</AlertDialog.Description>
          <div className="mt-5 flex justify-end gap-2">
            <AlertDialog.Cancel asChild>
              <Button>Keep it</Button>
            </AlertDialog.Cancel>
            <AlertDialog.Action asChild>
              <Button tone="wrong" onClick={onAct}>
                {act}
              </Button>
            </AlertDialog.Action>
          </div>
        </AlertDialog.Content>
      </AlertDialog.Portal>
    </AlertDialog.Root>
  );
}
