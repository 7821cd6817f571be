import { X } from "lucide-react";
import type { ClassInfo } from "@hindglance/core/graph/image";
import type { ChangeMap } from "../api/types";
import type { LayerUnit } from "../compare/units";
import { Button } from "../ui/Button";
import { Chip } from "../ui/Chip";
import { Pick } from "../ui/Pick";
import { Pop } from "../ui/Pop";
import { RangeField } from "./RangeField";
import { ALL_PATCHES, type PatchQuery, isFiltered, unlikelyOf } from "./patches";
import type { ReviewOnScreen } from "./useReview";

interface Props {
  map: ChangeMap;
  ask: PatchQuery;
  change(part: Partial<PatchQuery>): void;
  /** Of the measure. */
  unit: LayerUnit;
  lasso: Pick<ReviewOnScreen, "isLasso" | "setLasso">;
}

/** Classes beyond this number are offered only where the map has them. */
const MANY_CLASSES = 8;

/** Classes beyond this number are picked in a list of their own, which leaves room for patches. */
const MOST_IN_ROW = 3;

function classesToPick({ info, rows }: ChangeMap): ClassInfo[] {
  const classes = info.classes ?? [];
  const isThere = (label: number) => rows.some((row) => row.label === label && row.cells > 0);
  return classes.length > MANY_CLASSES ? classes.filter(({ label }) => isThere(label)) : classes;
}

type AskProps = Pick<Props, "map" | "ask" | "change">;

/** Which patches are listed: by class, place, zone, area, change and elevation; and in which order. */
export function PatchFilter({ map, ask, change, unit, lasso }: Props) {
  return (
    <section aria-label="Which patches" className="border-b border-line px-4 py-2">
      <div className="flex flex-wrap items-center gap-1.5">
        <ClassFilter {...{ map, ask, change }} />
        <Order {...{ map, ask, change }} />
        <Lasso {...{ ask, change, lasso }} />
        <MoreFilters {...{ map, ask, change, unit }} />
      </div>
    </section>
  );
}

/** The classes that are listed: a chip each, or a list of their own where they are many. */
function ClassFilter({ map, ask, change }: AskProps) {
  const classes = classesToPick(map);
  const labels = ask.labels ?? classes.map(({ label }) => label);
  const turn = (label: number) => {
    const next = labels.includes(label)
      ? labels.filter((one) => one !== label)
      : [...labels, label];
    const isAll = next.length === 0 || next.length === classes.length;
    change({ labels: isAll ? null : next });
  };
  const chips = <ClassChips {...{ classes, labels, turn }} />;
  if (classes.length <= MOST_IN_ROW) {
    return chips;
  }
  const which = ask.labels === null ? "all" : `${labels.length} of`;
  return (
    <Pop
      label="Classes"
      width={300}
      trigger={<Chip on={ask.labels !== null}>{`${which} ${classes.length} classes`}</Chip>}
    >
      <div className="flex flex-wrap gap-1.5">{chips}</div>
    </Pop>
  );
}

/** Orders that no column has: what hardly happens first, and by place. */
function Order({ map, ask, change }: AskProps) {
  const unlikely = unlikelyOf(map);
  const isByPlace = ask.sort === "place";
  return (
    <>
      {unlikely && (
        <Chip
          on={ask.first !== null}
          aria-pressed={ask.first !== null}
          title="Transitions that hardly happen come before all others"
          onClick={() => change({ first: ask.first ? null : unlikely })}
        >
          unlikely first
        </Chip>
      )}
      <Chip
        on={isByPlace}
        aria-pressed={isByPlace}
        title="From west to east, strip by strip from the north"
        onClick={() =>
          change(isByPlace ? { sort: "area", down: true } : { sort: "place", down: false })
        }
      >
        by place
      </Chip>
    </>
  );
}

/** Filters by zone and by figures, and a way back to all patches. */
function MoreFilters({ map, ask, change, unit }: Omit<Props, "lasso">) {
  const filtered = isFiltered(ask);
  const reset = () => {
    const { labels, standings, first, sort, down } = ask;
    change({ ...ALL_PATCHES, labels, standings, first, sort, down });
  };
  return (
    <Pop
      label="Filter"
      width={300}
      trigger={
        <Chip className="border-dashed text-spruce" on={filtered}>
          {filtered ? "filtered" : "filter"}
        </Chip>
      }
    >
      <Ranges map={map} ask={ask} change={change} unit={unit} />
      <div className="mt-2 flex justify-end">
        <Button disabled={!filtered} onClick={reset}>
          All patches
        </Button>
      </div>
    </Pop>
  );
}

/** Draws a ring around the patches that are wanted, or takes it away. */
function Lasso({
  ask,
  change,
  lasso: { isLasso, setLasso },
}: Pick<Props, "ask" | "change" | "lasso">) {
  return ask.within ? (
    <Chip on aria-label="Take the lasso away" onClick={() => change({ within: null })}>
      in the lasso
      <X size={12} aria-hidden />
    </Chip>
  ) : (
    <Chip
      className="border-dashed text-spruce"
      on={isLasso}
      aria-pressed={isLasso}
      title="Draw around patches on the map: those whose middle lies in it are listed. Esc stops"
      onClick={() => setLasso(!isLasso)}
    >
      lasso
    </Chip>
  );
}

interface ChipsProps {
  classes: readonly ClassInfo[];
  labels: readonly number[];
  turn(label: number): void;
}

/** A chip a class, on where its patches are listed. */
const ClassChips = ({ classes, labels, turn }: ChipsProps) =>
  classes.map(({ label, name, color }) => (
    <Chip
      key={label}
      on={labels.includes(label)}
      aria-pressed={labels.includes(label)}
      onClick={() => turn(label)}
    >
      <span className="h-2.5 w-2.5 rounded-[3px]" style={{ background: color }} aria-hidden />
      {name}
    </Chip>
  ));

const M2_PER_HA = 1e4;
const toHectares = (m2: number | null) => (m2 === null ? null : m2 / M2_PER_HA);
const toM2 = (hectares: number | null) => (hectares === null ? null : hectares * M2_PER_HA);

const toPercent = (share: number | null) => (share === null ? null : 100 * share);
const toShare = (percent: number | null) => (percent === null ? null : percent / 100);

/** Stands for all zones in their list. */
const EVERYWHERE = "everywhere";

/** The zone that patches have a part in. */
function ZonePick({ map, ask, change }: AskProps) {
  const names = map.provenance.zones?.names ?? [];
  return names.length === 0 ? null : (
    <div className="mb-2 flex items-center justify-between gap-2">
      <span className="text-soft">In</span>
      <Pick
        label="Zone"
        className="w-[190px]"
        value={ask.zone === null ? EVERYWHERE : String(ask.zone)}
        onChange={(zone) => change({ zone: zone === EVERYWHERE ? null : Number(zone) })}
        options={[
          { value: EVERYWHERE, name: "every zone" },
          ...names.map((name, k) => ({ value: String(k + 1), name })),
          { value: "0", name: "no zone" },
        ]}
      />
    </div>
  );
}

function Ranges({ map, ask, change, unit }: Omit<Props, "lasso">) {
  return (
    <>
      <ZonePick {...{ map, ask, change }} />
      <RangeField
        label="Area, ha"
        decimals={2}
        from={toHectares(ask.leastM2)}
        to={toHectares(ask.mostM2)}
        set={(from, to) => change({ leastM2: toM2(from), mostM2: toM2(to) })}
      />
      <RangeField
        label={`Change${unit.unit ? `, ${unit.unit}` : ""}`}
        decimals={unit.decimals}
        from={ask.measureFrom}
        to={ask.measureTo}
        set={(measureFrom, measureTo) => change({ measureFrom, measureTo })}
      />
      {map.doubt && (
        <RangeField
          label="Doubt, %"
          decimals={0}
          from={toPercent(ask.doubtFrom)}
          to={toPercent(ask.doubtTo)}
          set={(from, to) => change({ doubtFrom: toShare(from), doubtTo: toShare(to) })}
        />
      )}
      {map.provenance.elevation && (
        <RangeField
          label="Elevation, m"
          decimals={0}
          from={ask.elevationFrom}
          to={ask.elevationTo}
          set={(elevationFrom, elevationTo) => change({ elevationFrom, elevationTo })}
        />
      )}
    </>
  );
}
