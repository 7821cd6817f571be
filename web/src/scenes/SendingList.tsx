import { RotateCw, X } from "lucide-react";
import { useQueryClient } from "@tanstack/react-query";
import { bytes, number } from "../lib/format";
import { Bar } from "../ui/Bar";
import { Problem } from "../ui/Messages";
import { type Sending, useSending } from "./uploads";

/** Files on their way, and what went wrong with those that did not arrive. */
export function SendingList({ sending }: { sending: readonly Sending[] }) {
  return sending.map((item) => (
    <div key={item.id} className="mb-2">
      {item.error ? <Failed id={item.id} error={item.error} /> : <OnItsWay {...item} />}
    </div>
  ));
}

function Failed({ id, error }: { id: number; error: string }) {
  const queryClient = useQueryClient();
  return (
    <Problem>
      <span className="flex items-start gap-2">
        <span className="flex-1">{error}</span>
        <button
          type="button"
          aria-label="Try again"
          title="Try again"
          onClick={() => useSending.getState().retry(queryClient, id)}
        >
          <RotateCw size={14} aria-hidden />
        </button>
        <button
          type="button"
          aria-label="Dismiss"
          onClick={() => useSending.getState().dismiss(id)}
        >
          <X size={14} aria-hidden />
        </button>
      </span>
    </Problem>
  );
}

function OnItsWay({ id, name, share, size, waits }: Sending) {
  return (
    <>
      <div className="flex justify-between gap-2">
        <span className="truncate">{name}</span>
        <span className="flex shrink-0 items-center gap-1 text-label text-soft">
          {share < 1 ? `${number(share * 100)} % of ${bytes(size)}` : "being looked at"}
          <button
            type="button"
            aria-label={`Stop sending ${name}`}
            onClick={() => useSending.getState().cancel(id)}
          >
            <X size={13} aria-hidden />
          </button>
        </span>
      </div>
      <Bar share={share} label={`Sending ${name}`} />
      {waits && (
        <p role="status" className="text-label text-soft">
          No connection: it goes on by itself from here.
        </p>
      )}
    </>
  );
}
