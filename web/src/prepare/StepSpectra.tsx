import { nodeRoutes } from "@hindglance/contract/scenes";
import { call } from "../api/call";
import { useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { sayError } from "../api/client";
import { degrees } from "../lib/format";
import { Spectra } from "../pins/Spectra";
import { Problem } from "../ui/Messages";
import type { StepNodes } from "./useStepLook";

/** The spectrum of one spot as it goes into a step and as it comes out. */
export function StepSpectra({
  nodes,
  names,
  place,
  onClose,
}: {
  nodes: StepNodes;
  names: [string, string];
  place: [number, number];
  onClose(): void;
}) {
  const hashes = [nodes.input.hash, nodes.output.hash];
  const answer = useQuery({
    queryKey: ["nodeValues", hashes, place],
    queryFn: () => call(nodeRoutes.values, { body: { hashes, place, sizeCells: 3 } }),
    staleTime: Infinity,
    retry: false,
  });
  const spectra = (answer.data ?? [])
    .map((nodeValues, k) => ({
      sceneId: String(k),
      acquiredAt: null,
      label: `${names[k]!}, ${k ? "out" : "in"}`,
      points: nodeValues.bands
        .flatMap((band) =>
          band.nm && band.nm < 3000 && band.value !== null
            ? [{ nm: band.nm, value: band.value }]
            : [],
        )
        .sort((a, b) => a.nm - b.nm),
    }))
    .filter((s) => s.points.length > 1);
  return (
    <section
      aria-label="Spectrum before and after the step"
      className="absolute right-3 top-12 z-20 max-h-[calc(100%-60px)] w-[380px] overflow-auto rounded-card border border-line bg-paper p-3 text-ink shadow-lg"
      onPointerDown={(e) => e.stopPropagation()}
    >
      <header className="mb-1 flex items-center justify-between gap-2">
        <h2 className="font-semibold">
          Spectrum{" "}
          <span className="ml-1 font-mono text-[12px] font-normal text-soft">
            {degrees(...place)}, mean of 3 x 3
          </span>
        </h2>
        <button
          type="button"
          aria-label="Close the spectrum"
          onClick={onClose}
          className="rounded p-0.5 text-soft hover:text-ink"
        >
          <X size={15} aria-hidden />
        </button>
      </header>
      {answer.error && <Problem>{sayError(answer.error)}</Problem>}
      {answer.isPending && <p className="py-8 text-center text-soft">Reading values …</p>}
      {answer.data && spectra.length === 0 && (
        <p className="py-4 text-soft">No value here on either side of the step.</p>
      )}
      {answer.data && spectra.length > 0 && (
        <Spectra spectra={spectra} beforeId={null} afterId={null} />
      )}
    </section>
  );
}
