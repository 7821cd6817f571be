import { type ReactNode, useMemo, useState } from "react";
import { Download } from "lucide-react";
import type OlMap from "ol/Map";
import type BaseLayer from "ol/layer/Base";
import type { Exposure } from "@hindglance/contract/exposure";
import { allPeople, peopleOf } from "@hindglance/core/exposure/people";
import { ontoGrid } from "@hindglance/core/grid/globe";
import type { ChangeMap, Study } from "../api/types";
import { Section } from "../frame/Section";
import { Workspace } from "../frame/Workspace";
import { dayYear, number, time } from "../lib/format";
import { useSame } from "../lib/useSame";
import { ChangeMapPicker } from "../tally/ChangeMapPicker";
import { ClassMap } from "../tally/ClassMap";
import { CountOf } from "../tally/CountOf";
import { buttonStyle } from "../ui/Button";
import { Asking } from "./Asking";
import { AssetList, CoverTable, CutTable, LayerTable, PeopleTable } from "./Tables";
import { placesLayer } from "./placesLayer";
import { useExposure } from "./useExposure";
import { peopleText } from "@hindglance/contract/exposureWords";

interface Props {
  study: Study;
  map: ChangeMap;
  maps: ChangeMap[];
  pick(id: string): void;
  strip: ReactNode;
}

/** Who and what lies under the classes of a map. */
export function ExposurePage({ study, map, maps, pick, strip }: Props) {
  const { data: exposure } = useExposure(map);
  return (
    <Workspace
      label="Exposure"
      strip={strip}
      picture={
        exposure ? (
          <Counted study={study} map={map} exposure={exposure} />
        ) : (
          <p className="h-full bg-bone p-8 text-ink">
            {exposure === undefined
              ? "Loading …"
              : "Nothing is counted yet. Pick what lies under the map on the right: people, land cover, assets, roads; then count."}
          </p>
        )
      }
      desk={
        <>
          <Section title="Tally">
            <div className="mb-2">
              <CountOf />
            </div>
            <ChangeMapPicker maps={maps} map={map} pick={pick} />
          </Section>
          {exposure !== undefined && (
            <Asking key={exposure?.countedAt} {...{ study, map, exposure }} />
          )}
          {exposure && <Notes exposure={exposure} />}
        </>
      }
      footer={
        exposure && (
          <a className={buttonStyle()} href={`/api/change-maps/${map.id}/exposure.csv`} download>
            <Download size={14} aria-hidden />
            CSV
          </a>
        )
      }
    />
  );
}

/** What is to be said of what was counted. */
function Notes({ exposure }: { exposure: Exposure }) {
  const { people, countedAt } = exposure;
  return (
    <Section title="How it was counted">
      <p className="text-soft">
        On {dayYear(countedAt)}, {time(countedAt)}. People of a cell of the grid are spread evenly
        over its ground. Lines are in metres on the ellipsoid; areas are sums of the cells whose
        middles lie in them.
        {people &&
          ` The grid has ${number(Math.round(allPeople(people.sums)))} people here, ${peopleText(people.sums.beyond)} of them beside the map, ${peopleText(peopleOf(people.sums, 255, null))} where a date does not show the ground.`}
      </p>
    </Section>
  );
}

interface CountedProps {
  study: Study;
  map: ChangeMap;
  exposure: Exposure;
}

/** Tables of what was counted, beside the map with the assets and cuts on it. */
function Counted({ study, map, exposure }: CountedProps) {
  const [olMap, setOlMap] = useState<OlMap | null>(null);
  const [shown, setShown] = useState<[number, number] | null>(null);
  const grid = useSame(map.info.grid);
  const layers = useMemo(
    (): BaseLayer[] => [placesLayer(exposure, shown, ontoGrid(grid))],
    [exposure, shown, grid],
  );
  const show = (at: [number, number]) => {
    setShown(at);
    const view = olMap?.getView();
    view?.cancelAnimations();
    view?.animate({
      center: ontoGrid(grid)(...at),
      resolution: Math.min(view.getResolution() ?? Infinity, 2 * grid.transform[1]),
      duration: 250,
    });
  };
  const { people, flooded } = exposure;
  const affected = flooded.reduce(
    (sum, label) => sum + (people ? peopleOf(people.sums, label, null) : 0),
    0,
  );
  return (
    <div className="grid h-full grid-cols-[1fr_minmax(260px,34%)] gap-3.5 bg-bone p-4 text-ink">
      <div
        className="min-h-0 space-y-3.5 overflow-y-auto"
        role="region"
        aria-label="What lies under the map"
        tabIndex={0}
      >
        {people && (
          <h1 className="text-figure font-bold">
            {peopleText(affected)} people{" "}
            <span className="text-[18px] font-normal text-soft">
              {flooded.length > 0 ? floodedText(map, flooded) : "in no class that was picked"}
            </span>
          </h1>
        )}
        <PeopleTable map={map} exposure={exposure} />
        <LayerTable map={map} exposure={exposure} />
        <CutTable map={map} exposure={exposure} show={show} />
        <AssetList map={map} exposure={exposure} show={show} />
        <CoverTable map={map} exposure={exposure} />
      </div>
      <div className="on-night relative min-h-[300px] overflow-hidden rounded-card bg-night">
        <ClassMap map={map} study={study} only={null} extra={layers} onMap={setOlMap} />
      </div>
    </div>
  );
}

const floodedText = ({ info }: ChangeMap, flooded: readonly number[]): string => {
  const names = (info.classes ?? []).filter(({ label }) => flooded.includes(label));
  return `on ${names.map(({ name }) => name.toLowerCase()).join(", ")}`;
};
