import {
  type ButtonHTMLAttributes,
  type ReactNode,
  forwardRef,
  useEffect,
  useId,
  useRef,
  useState,
} from "react";
import { AlertDialog, Dialog, Popover, Select } from "radix-ui";
import { Check, ChevronDown, X } from "lucide-react";
import { cx } from "./cx";

export { cx };

type ButtonProps = ButtonHTMLAttributes<HTMLButtonElement> & {
  tone?: "act" | "plain" | "quiet" | "wrong";
};
export const Button = forwardRef<HTMLButtonElement, ButtonProps>(function Button(
  { tone = "plain", className, ...rest },
  ref,
) {
  const tones = {
    act: "bg-spruce text-white border-spruce hover:bg-[#18574b] disabled:bg-[#8fb0a8] disabled:border-[#8fb0a8]",
    plain: "bg-white text-ink border-line hover:border-[#b9b2a0] disabled:text-[#8d9693]",
    quiet:
      "bg-transparent text-spruce border-transparent hover:bg-[#e6eee9] disabled:text-[#8d9693]",
    wrong: "bg-wrong text-white border-wrong hover:bg-[#8c2b23]",
  };
  return (
    <button
      ref={ref}
      type="button"
      {...rest}
      className={cx(
        "inline-flex h-8 items-center justify-center gap-1.5 whitespace-nowrap rounded-field border px-3 font-semibold transition-colors",
        tones[tone],
        className,
      )}
    />
  );
});

const STEP_OF: Record<string, number> = { ArrowLeft: -1, ArrowRight: 1 };

/** One of a few, side by side; arrow keys go from one to the next. */
export function Choice<T extends string>({
  value,
  onChange,
  options,
  label,
  className,
}: {
  value: T;
  onChange(next: T): void;
  options: { value: T; name: ReactNode; hint?: string }[];
  label: string;
  className?: string;
}) {
  return (
    <div
      role="radiogroup"
      aria-label={label}
      className={cx(
        "inline-flex overflow-hidden rounded-field border border-line bg-white",
        className,
      )}
    >
      {options.map((option) => (
        <button
          key={option.value}
          type="button"
          role="radio"
          aria-checked={value === option.value}
          title={option.hint}
          onClick={() => onChange(option.value)}
          onKeyDown={(e) => {
            const step = STEP_OF[e.key];
            if (step) {
              e.preventDefault();
              const from = options.findIndex((one) => one.value === value);
              const to = (from + step + options.length) % options.length;
              onChange(options[to]!.value);
              const button = e.currentTarget.parentElement?.children[to];
              if (button instanceof HTMLElement) {
                button.focus();
              }
            }
          }}
          tabIndex={value === option.value ? 0 : -1}
          className={cx(
            "h-[28px] flex-1 whitespace-nowrap border-l border-line px-2.5 font-medium first:border-l-0",
            value === option.value ? "bg-ink text-paper" : "text-ink hover:bg-bone",
          )}
        >
          {option.name}
        </button>
      ))}
    </div>
  );
}

/** One of many, from a list. */
export function Pick<T extends string>({
  value,
  onChange,
  options,
  label,
  className,
  id,
}: {
  value: T | "";
  onChange(next: T): void;
  options: { value: T; name: string; note?: string }[];
  label: string;
  className?: string;
  id?: string;
}) {
  return (
    <Select.Root
      value={value}
      onValueChange={(next) => {
        const picked = options.find((option) => option.value === next);
        if (picked) {
          onChange(picked.value);
        }
      }}
    >
      <Select.Trigger
        id={id}
        aria-label={label}
        className={cx(
          !className?.includes("w-") && "w-full",
          "inline-flex h-8 items-center justify-between gap-2 rounded-field border border-line bg-white px-2.5 text-left font-medium hover:border-[#b9b2a0]",
          className,
        )}
      >
        <span className="truncate">
          <Select.Value placeholder="Choose …" />
        </span>
        <Select.Icon>
          <ChevronDown size={14} aria-hidden />
        </Select.Icon>
      </Select.Trigger>
      <Select.Portal>
        <Select.Content
          position="popper"
          sideOffset={4}
          className="z-50 max-h-80 min-w-[var(--radix-select-trigger-width)] overflow-hidden rounded-card border border-line bg-white py-1 shadow-lg"
        >
          <Select.Viewport>
            {options.map((option) => (
              <Select.Item
                key={option.value}
                value={option.value}
                className="flex cursor-pointer select-none items-center justify-between gap-4 px-3 py-1.5 outline-none data-[highlighted]:bg-bone"
              >
                <span>
                  <Select.ItemText>{option.name}</Select.ItemText>
                  {option.note && <span className="ml-2 text-label text-soft">{option.note}</span>}
                </span>
                <Select.ItemIndicator>
                  <Check size={14} aria-hidden />
                </Select.ItemIndicator>
              </Select.Item>
            ))}
          </Select.Viewport>
        </Select.Content>
      </Select.Portal>
    </Select.Root>
  );
}

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
          className="z-50 rounded-card border border-line bg-white p-3 shadow-lg"
        >
          {children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/**
 * Dialogs here have no trigger of their own: they give the focus back to what had it when they
 * opened.
 */
function useReturnFocus(open: boolean): (event: Event) => void {
  const [from, setFrom] = useState<Element | null>(null);
  const [wasOpen, setWasOpen] = useState(false);
  // Before the dialog is drawn and takes the focus.
  if (open !== wasOpen) {
    setWasOpen(open);
    if (open) {
      setFrom(document.activeElement);
    }
  }
  return (event) => {
    event.preventDefault();
    if (from instanceof HTMLElement) {
      from.focus();
    }
  };
}

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

/** A field under its label, with a hint. */
export function Labelled({
  label,
  children,
  hint,
  error,
}: {
  label: string;
  children: (id: string) => ReactNode;
  hint?: string;
  error?: string;
}) {
  const id = useId();
  return (
    <div className="mb-3">
      <label htmlFor={id} className="mb-1 block font-medium">
        {label}
      </label>
      {children(id)}
      {error ? (
        <p role="alert" className="mt-1 text-label text-wrong">
          {error}
        </p>
      ) : (
        hint && <p className="mt-1 text-label text-soft">{hint}</p>
      )}
    </div>
  );
}
/** A setting on one line: its name on the left, its control on the right. */
export const Row = ({ label, children }: { label: ReactNode; children: ReactNode }) => (
  <div className="mb-2 flex min-h-8 items-center justify-between gap-3">
    <span>{label}</span>
    {children}
  </div>
);
export const inputStyle =
  "h-8 w-full rounded-field border border-line bg-white px-2.5 outline-offset-0";

/** How far something is, 0–1. */
export function Bar({ share, label }: { share: number; label: string }) {
  return (
    <div
      role="progressbar"
      aria-label={label}
      aria-valuenow={Math.round(share * 100)}
      aria-valuemin={0}
      aria-valuemax={100}
      className="h-1 overflow-hidden rounded bg-line"
    >
      <div className="h-full bg-spruce transition-[width]" style={{ width: `${share * 100}%` }} />
    </div>
  );
}

/** Size of an element, kept up to date. */
export function useSize<T extends HTMLElement>(): [
  React.RefObject<T | null>,
  { width: number; height: number },
] {
  const ref = useRef<T>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  useEffect(() => {
    if (!ref.current) {
      return;
    }
    const resizeObserver = new ResizeObserver(([resizeObserverEntry]) =>
      setSize({
        width: resizeObserverEntry!.contentRect.width,
        height: resizeObserverEntry!.contentRect.height,
      }),
    );
    resizeObserver.observe(ref.current);
    return () => resizeObserver.disconnect();
  }, []);
  return [ref, size];
}
