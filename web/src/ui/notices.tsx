import { X } from "lucide-react";
import { Toaster, toast } from "sonner";
import { cx } from "./cx";

/** How long a notice in passing stays, milliseconds; what went wrong stays until it is dismissed. */
const PASSING_MS = 5000;

/** Shows a notice over the picture, below the stages. */
export function showNotice(text: string, tone: "info" | "wrong"): void {
  toast.custom(
    (id) => (
      <div
        role={tone === "wrong" ? "alert" : "status"}
        className={cx(
          "flex w-[440px] items-start gap-2 rounded-card border px-3 py-2 font-sans text-[13px] shadow-lg",
          tone === "wrong"
            ? "border-[#d9a29d] bg-[#f8e7e5] text-[#7c241d]"
            : "border-line bg-white",
        )}
      >
        <span className="flex-1">{text}</span>
        <button type="button" aria-label="Dismiss" onClick={() => toast.dismiss(id)}>
          <X size={14} aria-hidden />
        </button>
      </div>
    ),
    { duration: tone === "wrong" ? Infinity : PASSING_MS },
  );
}

/** Below what stands over the top of a picture, so that nothing that acts is covered. */
const PLACE = { top: 94, left: 12 };

/** The place where notices show: two at a time at most, off the board and the desk. */
export function Notices() {
  return (
    <Toaster position="top-left" offset={PLACE} visibleToasts={2} gap={8} style={{ width: 440 }} />
  );
}
