import type { Study } from "../api/types";
import { Section } from "../frame/Frame";
import { bytes } from "../lib/format";
import {
  type Found,
  totalBytes,
  useArchive,
  useFetchItems,
  useFetching,
  useLacking,
} from "../scenes/archive";
import { Bar, Button, Warning } from "../ui/controls";
import type { PrepareView } from "./chainState";

/**
 * What the chain lacks and the archive has: orbit files and elevation, each fetched with one click.
 */
export function Offers({ study, view }: { study: Study; view: PrepareView }) {
  const archive = useArchive().data;
  const lacking = useLacking(
    study.id,
    !!archive?.set && !archive.problem,
    `${view.rows.length}.${view.orbits.length}.${view.elevations.length}`,
  ).data;
  const fetching = useFetching(study.id);
  const fetchItems = useFetchItems(study.id);
  if (fetching.length) {
    return (
      <Section title="Archive">
        {fetching.map((run) => (
          <div key={run.id}>
            <div className="flex justify-between gap-2">
              <span className="truncate">{run.title}</span>
              <span className="text-label text-soft">{Math.round(run.progress * 100)} %</span>
            </div>
            <Bar share={run.progress} label={run.title} />
          </div>
        ))}
      </Section>
    );
  }
  if (!lacking) {
    return null;
  }
  const orbits = [
    ...new Map(
      lacking.orbits.flatMap((orbit) => (orbit.item ? [[orbit.item.id, orbit.item] as const] : [])),
    ).values(),
  ];
  const none = lacking.orbits.filter((orbit) => !orbit.item);
  const tiles = lacking.elevation?.items ?? [];
  if (!lacking.problem && orbits.length === 0 && none.length === 0 && !lacking.elevation) {
    return null;
  }
  const offer = (text: string, kind: "orbit" | "elevation", items: Found[], act: string) => (
    <div className="mb-2 flex items-center justify-between gap-3 last:mb-0">
      <span>{text}</span>
      <Button disabled={fetchItems.isPending} onClick={() => fetchItems.mutate({ kind, items })}>
        {act}
      </Button>
    </div>
  );
  return (
    <Section title={`From ${archive?.title ?? "the archive"}`}>
      {lacking.problem && <Warning>{lacking.problem}</Warning>}
      {orbits.length > 0 &&
        offer(
          `${lacking.orbits.filter((orbit) => orbit.item).length} ${lacking.orbits.filter((orbit) => orbit.item).length === 1 ? "date lacks" : "dates lack"} a precise orbit.`,
          "orbit",
          orbits,
          `Fetch ${orbits.length} orbit ${orbits.length === 1 ? "file" : "files"}`,
        )}
      {lacking.elevation &&
        (tiles.length ? (
          offer(
            "There is no elevation in this study.",
            "elevation",
            tiles,
            `Fetch elevation, ${bytes(totalBytes(tiles))}`,
          )
        ) : (
          <p className="text-soft">
            There is no elevation in this study, and the archive has none for this place.
          </p>
        ))}
      {none.length > 0 && (
        <p className="text-label text-soft">
          The archive has no orbit file for {none.map((options) => options.sceneName).join(", ")}.
        </p>
      )}
    </Section>
  );
}
