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
