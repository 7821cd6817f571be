import { type ReactNode, useMemo, useState } from "react";
import type BaseLayer from "ol/layer/Base";
import { useNavigate } from "react-router";
import { Copy, Download } from "lucide-react";
import type { ChangeMap, Study } from "../api/types";
import { Section } from "../frame/Section";
import { Workspace } from "../frame/Workspace";
import { copyText } from "../lib/copyText";
import { type AreaUnit, areaSaid, number } from "../lib/format";
import { useFile } from "../report/useFile";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { AreaBars } from "./AreaBars";
import { AreaTable } from "./AreaTable";
import { ChangeMapPicker } from "./ChangeMapPicker";
import { ClassMap } from "./ClassMap";
import { CountOf } from "./CountOf";
import { useStanding } from "../review/useVerdicts";
import { EditedFrom } from "./EditedFrom";
import { DepthLegend } from "./DepthLegend";
import { DepthSection } from "./DepthSection";
import { useDepthLayer } from "./useDepth";
import { Inputs } from "./inputs/Inputs";
import { ProbableTable } from "./ProbableTable";
import { areaRows } from "./probable";
import { sampleText, useTested } from "../accuracy/useTested";
import { RenameMap } from "./RenameMap";
import { SecondSection } from "./SecondSection";
import { type AreasOfMap, areasOfMap, tableText } from "./table";
import { type Counted, VerdictTable } from "./VerdictTable";
import { classStandings, rowsByVerdict } from "./verdicts";

const UNITS: { value: AreaUnit; name: string }[] = [
  { value: "km2", name: "km²" },
  { value: "ha", name: "ha" },
  { value: "m2", name: "m²" },
  { value: "cells", name: "cells" },
  { value: "percent", name: "%" },
];

interface Props {
  study: Study;
  map: ChangeMap;
  maps: ChangeMap[];
  pick(id: string): void;
  strip: ReactNode;
}

/** Areas of a map as they are counted, and what of them is shown. */
function useAreas(map: ChangeMap) {
  const [counted, setCounted] = useState<Counted>("mapped");
  const standing = useStanding(map).data;
  const areas = useMemo(
    () =>
      areasOfMap(
        counted === "reviewed" && standing ? { rows: rowsByVerdict(map, standing.areas) } : map,
      ),
    [map, counted, standing],
  );
  const tested = useTested(map);
  const beside = useMemo(() => areaRows(map, tested?.outcome.accuracy ?? null), [map, tested]);
  return { areas, counted, setCounted, standing, beside, tested };
}

/** Areas of one change map by class and zone, and what they were made from. */
export function MapTally({ study, map, maps, pick, strip }: Props) {
  const [unit, setUnit] = useState<AreaUnit>("km2");
  const [only, setOnly] = useState<number | null>(null);
  const [isDepthShown, showDepth] = useState(false);
  const depth = useDepthLayer(map, isDepthShown);
  const shown = useAreas(map);
  const { areas } = shown;
  return (
    <Workspace
      label="Tally"
      strip={strip}
      picture={
        <div className="flex h-full flex-col gap-3.5 overflow-auto bg-bone p-5 text-ink">
          <div className="flex items-end justify-between gap-4">
            <Headline study={study} map={map} areas={areas} />
            <Choice
              label="Unit"
              value={unit}
              onChange={(value) => setUnit(value)}
              options={UNITS}
            />
          </div>
          <AreaTable areas={areas} unit={unit} only={only} setOnly={setOnly} />
          <div className="grid min-h-[230px] flex-1 grid-cols-2 gap-3.5">
            <AreaBars areas={areas} />
            <SmallMap {...{ study, map, areas, only, depth }} />
          </div>
        </div>
      }
      desk={
        <>
          <Section title="Tally">
            <div className="mb-2">
              <CountOf />
            </div>
            <ChangeMapPicker maps={maps} map={map} pick={pick} />
            <p className="mt-2 text-soft">
              {number(map.patchCount)} patches. Areas are sums of cell areas on the WGS 84
              ellipsoid; cells that only one date shows are not counted.
              {leftOutText(areas)}
            </p>
          </Section>
          <EditedFrom map={map} unit={unit} />
          <Beside map={map} unit={unit} shown={shown} />
          <SecondSection map={map} />
          {(study.hazard === "flood" || map.depth) && (
            <DepthSection map={map} isShown={isDepthShown} show={showDepth} />
          )}
          <Section title="What the table was made from">
            <Inputs map={map} />
          </Section>
        </>
      }
      footer={<Footer study={study} map={map} copy={() => copyText(tableText(areas, unit))} />}
    />
  );
}

/** How many classes have no ground and are not in the table. */
function leftOutText({ leftOut }: AreasOfMap): string {
  if (leftOut === 0) {
    return "";
  }
  return leftOut === 1
    ? " 1 class without any ground is not in the table."
    : ` ${leftOut} classes without any ground are not in the table.`;
}

interface SmallMapProps extends Pick<Props, "study" | "map"> {
  areas: AreasOfMap;
  only: number | null;
  /** Depth of every cell, where it is shown. */
  depth: BaseLayer | null;
}

/** The map beside its bars: all classes or one, with the depth of the water over them. */
function SmallMap({ study, map, areas, only, depth }: SmallMapProps) {
  const extra = useMemo(() => (depth ? [depth] : []), [depth]);
  return (
    <div className="on-night relative overflow-hidden rounded-card bg-night">
      <ClassMap map={map} study={study} only={only} extra={extra} />
      {depth && map.depth && <DepthLegend deepestM={map.depth.sums.deepestM} />}
      {only !== null && (
        <div className="pointer-events-none absolute left-2.5 top-2.5 rounded-field bg-night/85 px-2.5 py-1 text-label text-white">
          <b>{areas.find(null, only).name}</b> only
        </div>
      )}
    </div>
  );
}

interface BesideProps extends Pick<Props, "map"> {
  unit: AreaUnit;
  shown: ReturnType<typeof useAreas>;
}

/** Areas beside those of the map: probable, adjusted, by verdict. */
function Beside({ map, unit, shown }: BesideProps) {
  const { beside, tested, standing, counted, setCounted } = shown;
  return (
    <>
      {beside.length > 0 && (
        <ProbableTable rows={beside} unit={unit} sample={tested ? sampleText(tested) : null} />
      )}
      {standing && standing.reviewers.length > 0 && (
        <VerdictTable
          standings={classStandings(map, standing.areas)}
          zonesKnown={standing.zonesKnown}
          {...{ unit, counted, setCounted }}
        />
      )}
    </>
  );
}

/** The first class; of a from–to map all that changed. */
function mainOf({ setup }: ChangeMap, { changes }: AreasOfMap) {
  if (!setup.transitions) {
    return changes[0]!;
  }
  const sum = (of: "areaM2" | "sharePercent") => changes.reduce((total, row) => total + row[of], 0);
  return {
    name: "became something else",
    areaM2: sum("areaM2"),
    sharePercent: sum("sharePercent"),
  };
}

function Headline({ study, map, areas }: { study: Study; map: ChangeMap; areas: AreasOfMap }) {
  const first = mainOf(map, areas);
  return (
    <div>
      <p className="flex items-center gap-1 text-soft">
        {map.name.startsWith(study.name) ? map.name : `${study.name}, ${map.name}`}
        <RenameMap key={map.id} map={map} />
      </p>
      <h1 className="text-figure font-bold">
        {areaSaid(first.areaM2)} {first.name.toLowerCase()}{" "}
        <span className="text-[18px] font-normal text-soft">
          {number(first.sharePercent, 1)} % of {areaSaid(areas.seenM2)} seen
        </span>
      </h1>
    </div>
  );
}

function Footer({ study, map, copy }: { study: Study; map: ChangeMap; copy(): void }) {
  const go = useNavigate();
  const csv = useFile(map, "csv");
  return (
    <div className="flex items-center justify-between gap-2">
      <span className="flex gap-2">
        <Button onClick={copy}>
          <Copy size={14} aria-hidden />
          Copy table
        </Button>
        <Button disabled={csv.busy} onClick={csv.get}>
          <Download size={14} aria-hidden />
          {csv.busy ? "Making …" : "CSV"}
        </Button>
      </span>
      <Button tone="act" onClick={() => void go(`/studies/${study.id}/report?map=${map.id}`)}>
        Make files
      </Button>
    </div>
  );
}
