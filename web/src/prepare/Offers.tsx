import type { Run, Study } from "../api/types";
import { Section } from "../frame/Section";
import { bytes } from "../lib/format";
import {
  type Found,
  totalBytes,
  useArchive,
  useFetchItems,
  useFetching,
  useLacking,
} from "../scenes/archive/archive";
import { Bar } from "../ui/Bar";
import { Button } from "../ui/Button";
import { Warning } from "../ui/Messages";
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
  if (fetching.length) {
    return <Fetching runs={fetching} />;
  }
  if (!lacking || (!lacking.problem && lacking.orbits.length === 0 && !lacking.elevation)) {
    return null;
  }
  return (
    <Section title={`From ${archive?.title ?? "the archive"}`}>
      {lacking.problem && <Warning>{lacking.problem}</Warning>}
      <OrbitOffer studyId={study.id} orbits={lacking.orbits} />
      {lacking.elevation && <ElevationOffer studyId={study.id} tiles={lacking.elevation.items} />}
    </Section>
  );
}

type Lacking = NonNullable<ReturnType<typeof useLacking>["data"]>;

function OrbitOffer({ studyId, orbits }: { studyId: string; orbits: Lacking["orbits"] }) {
  const served = orbits.flatMap(({ item }) => (item ? [item] : []));
  const items = [...new Map(served.map((item) => [item.id, item])).values()];
  const unserved = orbits.filter(({ item }) => !item);
  return (
    <>
      {items.length > 0 && (
        <Offer
          studyId={studyId}
          text={`${served.length} ${served.length === 1 ? "date lacks" : "dates lack"} a precise orbit.`}
          kind="orbit"
          items={items}
          act={`Fetch ${items.length} orbit ${items.length === 1 ? "file" : "files"}`}
        />
      )}
      {unserved.length > 0 && (
        <p className="text-label text-soft">
          The archive has no orbit file for {unserved.map(({ sceneName }) => sceneName).join(", ")}.
        </p>
      )}
    </>
  );
}

function ElevationOffer({ studyId, tiles }: { studyId: string; tiles: Found[] }) {
  return tiles.length ? (
    <Offer
      studyId={studyId}
      text="There is no elevation in this study."
      kind="elevation"
      items={tiles}
      act={`Fetch elevation, ${bytes(totalBytes(tiles))}`}
    />
  ) : (
    <p className="text-soft">
      There is no elevation in this study, and the archive has none for this place.
    </p>
  );
}

interface OfferProps {
  studyId: string;
  text: string;
  kind: "orbit" | "elevation";
  items: Found[];
  act: string;
}

function Offer({ studyId, text, kind, items, act }: OfferProps) {
  const fetchItems = useFetchItems(studyId);
  return (
    <div className="mb-2 flex items-center justify-between gap-3 last:mb-0">
      <span>{text}</span>
      <Button disabled={fetchItems.isPending} onClick={() => fetchItems.mutate({ kind, items })}>
        {act}
      </Button>
    </div>
  );
}

const Fetching = ({ runs }: { runs: Run[] }) => (
  <Section title="Archive">
    {runs.map(({ id, title, progress }) => (
      <div key={id}>
        <div className="flex justify-between gap-2">
          <span className="truncate">{title}</span>
          <span className="text-label text-soft">{Math.round(progress * 100)} %</span>
        </div>
        <Bar share={progress} label={title} />
      </div>
    ))}
  </Section>
);
