import type { ClassifyDate } from "@hindglance/contract/classify";
import { unlikelyLabels } from "@hindglance/core/cover/unlikely";
import type { Bounds } from "@hindglance/core/patches/boundsOnGlobe";
import { type ReactNode, useCallback, useState } from "react";
import { useNavigate } from "react-router";
import { Copy, Download } from "lucide-react";
import { sayError } from "../../api/client";
import { useScenes } from "../../api/hooks";
import type { NodeView, Scene, Study } from "../../api/types";
import { useClassify } from "../../classify/useClassify";
import { EmptyPicture } from "../../frame/EmptyPicture";
import { Section } from "../../frame/Section";
import { Workspace } from "../../frame/Workspace";
import { TimeStrip } from "../../frame/strip/TimeStrip";
import { copyText } from "../../lib/copyText";
import { areaSaid, number } from "../../lib/format";
import { saveText } from "../../lib/save";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Problem, Warning } from "../../ui/Messages";
import { Pick } from "../../ui/Pick";
import { useUndoKey } from "../../ui/useUndoKey";
import { CountOf } from "../CountOf";
import { ChangeMapSection } from "./ChangeMapSection";
import { FlowPicture } from "./FlowPicture";
import { FromToTableView, type Picked } from "./FromToTableView";
import { PairingSection } from "./PairingSection";
import { PathSection, usePaths } from "./PathSection";
import { PickedSection } from "./PickedSection";
import { unlikelyIn } from "./unlikely";
import { TransitionMap } from "./TransitionMap";
import { UNITS, type Unit, lines } from "./units";
import { type FromToOnScreen, proposedPair, useFromTo } from "./useFromTo";

const NO_DATES: readonly ClassifyDate[] = [];

/** From–to: what became of what between two classified dates. */
export function FromToPage({ study }: { study: Study }) {
  const classify = useClassify(study.id);
  const shown = useFromTo(study.id, classify);
  const scenes = useScenes(study.id).data ?? [];
  const [unit, setUnit] = useState<Unit>("km2");
  const [picked, setPick] = useState<Picked | null>(null);
  const [lookAt, setLookAt] = useState<Bounds | null>(null);
  const [path, setPath] = useState<readonly number[] | null>(null);
  const paths = usePaths(study.id, shown, path);
  const setPicked = (next: Picked | null) => {
    setPick(next);
    setLookAt(null);
    setPath(null);
  };
  const pickPath = (next: readonly number[] | null) => {
    setPicked(null);
    setPath(next);
  };
  const { undo } = classify;
  useUndoKey(useCallback(() => undo?.(), [undo]));
  const strip = (
    <TimeStrip
      study={study}
      scenes={scenes}
      beforeId={shown.before?.id ?? null}
      afterId={shown.after?.id ?? null}
    />
  );
  return (
    <Workspace
      label="Tally"
      strip={strip}
      picture={
        <Picture
          {...{ study, shown, unit, setUnit, picked, setPicked, lookAt }}
          path={path ? (paths.query.data?.shown ?? null) : null}
          dates={classify.view?.dates ?? NO_DATES}
        />
      }
      desk={
        <>
          <Section title="Tally">
            <div className="mb-2">
              <CountOf />
            </div>
            <Maps shown={shown} onPicked={() => setPicked(null)} />
          </Section>
          {picked && shown.table && (
            <PickedSection studyId={study.id} {...{ shown, picked, lookAt, setLookAt }} />
          )}
          <PathSection paths={paths} picked={path} onPick={pickPath} />
          {shown.table && <ChangeMapSection studyId={study.id} shown={shown} />}
          {shown.pair && (
            <PairingSection
              classes={shown.pair.classes}
              legends={shown.legends}
              onChange={(classes) => {
                setPicked(null);
                shown.set({ ...shown.pair!, classes });
              }}
            />
          )}
        </>
      }
      footer={<Footer shown={shown} unit={unit} />}
    />
  );
}

interface PictureProps {
  study: Study;
  shown: FromToOnScreen;
  unit: Unit;
  setUnit(unit: Unit): void;
  picked: Picked | null;
  setPicked(picked: Picked | null): void;
  lookAt: Bounds | null;
  /** Where the path that is picked goes. */
  path: NodeView | null;
  /** Dates of the study with their pictures. */
  dates: readonly ClassifyDate[];
}

/** Pictures of the dates that two maps are of; null where a map is of no date of the study. */
function picturesOf(dates: readonly ClassifyDate[], { before, after }: FromToOnScreen) {
  const pictureOf = (cover: Scene | undefined) =>
    dates.find(({ acquiredAt }) => acquiredAt !== null && acquiredAt === cover?.acquiredAt)
      ?.picture ?? null;
  const [was, is] = [pictureOf(before), pictureOf(after)];
  return was && is ? { before: was, after: is } : null;
}

function Picture({ study, shown, unit, setUnit, picked, ...props }: PictureProps): ReactNode {
  const { setPicked, lookAt, path, dates } = props;
  const { pair, made, table, error } = shown;
  if (!pair) {
    return <NoCovers studyId={study.id} />;
  }
  if (error) {
    return (
      <div className="m-auto mt-24 w-[460px]">
        <Problem>{sayError(error)}</Problem>
      </div>
    );
  }
  const { classes } = pair;
  const unlikely = unlikelyLabels(classes, unlikelyIn(shown.unlikely, classes));
  return (
    <div className="flex h-full flex-col gap-3.5 overflow-auto bg-bone p-5 text-ink">
      <div className="flex flex-wrap items-end justify-between gap-3">
        <Headline shown={shown} />
        <span className="flex items-center gap-2">
          <ZonePick shown={shown} />
          <Choice<Unit> label="Unit" value={unit} onChange={setUnit} options={[...UNITS]} />
        </span>
      </div>
      {table && (
        <FromToTableView {...{ classes, table, unit, picked, unlikely }} onPick={setPicked} />
      )}
      {made && (
        <div className="grid min-h-[215px] flex-1 grid-cols-2 gap-3.5">
          <div className="on-night relative overflow-hidden rounded-card bg-night">
            <TransitionMap
              // The map is laid out anew when the table takes its place.
              key={`${pair.beforeId} ${pair.afterId} ${!!table}`}
              {...{ study, made, picked: shown.isCurrent ? picked : null }}
              count={classes.length}
              pictures={picturesOf(dates, shown)}
              {...{ lookAt, path }}
            />
          </div>
          {table && <FlowPicture {...{ classes, table, picked }} onPick={setPicked} />}
        </div>
      )}
    </div>
  );
}

/** Which zone the table is of; nothing where the study has none. */
function ZonePick({ shown: { zones, zone, setZone } }: { shown: FromToOnScreen }) {
  return zones.length === 0 ? null : (
    <Pick
      label="Zone"
      className="w-[150px]"
      value={zone === null ? "all" : String(zone)}
      onChange={(value) => setZone(value === "all" ? null : Number(value))}
      options={[
        { value: "all", name: "Whole map" },
        ...zones.map((name, k) => ({ value: String(k + 1), name })),
        { value: "0", name: "In no zone" },
      ]}
    />
  );
}

function NoCovers({ studyId }: { studyId: string }) {
  const go = useNavigate();
  return (
    <EmptyPicture title="Two classified dates are needed">
      <p className="mb-4">
        Write the land cover of both dates in Classify, or add classified rasters in Scenes. What
        became of what appears here.
      </p>
      <Button onClick={() => void go(`/studies/${studyId}/classify`)}>Go to Classify</Button>
    </EmptyPicture>
  );
}

/** How much changed, of how much. */
function Headline({ shown }: { shown: FromToOnScreen }) {
  const { table, measuring, before, after } = shown;
  const share = (part: number, whole: number) => number(whole > 0 ? (100 * part) / whole : 0, 1);
  const changed = table ? table.total.areaM2 - table.unchanged.areaM2 : 0;
  return (
    <div>
      <p className="text-soft">
        {before?.name} to {after?.name}
      </p>
      <h1 className="text-figure font-bold" data-testid="changed">
        {table ? `${areaSaid(changed)} became something else` : "–"}{" "}
        <span className="text-[18px] font-normal text-soft">
          {table
            ? `${share(changed, table.total.areaM2)} % of ${areaSaid(table.total.areaM2)}`
            : `measuring${measuring === null ? " …" : ` ${Math.round(100 * measuring)} %`}`}
        </span>
      </h1>
    </div>
  );
}

/** The two maps that are compared, and what is to be said of them. */
function Maps({ shown, onPicked }: { shown: FromToOnScreen; onPicked(): void }) {
  const { covers, pair, made } = shown;
  if (!pair) {
    return <p className="text-soft">Two classified dates are needed.</p>;
  }
  const options = covers.map(({ id, name }) => ({ value: id, name }));
  const choose = (before: Scene | undefined, after: Scene | undefined) => {
    if (before && after) {
      onPicked();
      shown.set(proposedPair(before, after));
    }
  };
  const find = (id: string) => covers.find((scene) => scene.id === id);
  return (
    <div className="space-y-2">
      <Pick
        label="Before"
        value={pair.beforeId}
        onChange={(id) => choose(find(id), shown.after)}
        options={options}
      />
      <Pick
        label="After"
        value={pair.afterId}
        onChange={(id) => choose(shown.before, find(id))}
        options={options}
      />
      {made?.warnings.map((text) => (
        <Warning key={text}>{text}</Warning>
      ))}
    </div>
  );
}

function Footer({ shown, unit }: { shown: FromToOnScreen; unit: Unit }) {
  const { table, pair } = shown;
  const text = (between: string): string =>
    table && pair
      ? lines(
          table,
          pair.classes.map(({ name }) => name),
          unit,
        )
          .map((line) => line.join(between))
          .join("\n")
      : "";
  return (
    <span className="flex gap-2">
      <Button disabled={!table} onClick={() => copyText(text("\t"))}>
        <Copy size={14} aria-hidden />
        Copy table
      </Button>
      <Button
        disabled={!table}
        onClick={() => saveText("from_to.csv", `${text(";")}\n`, "text/csv")}
      >
        <Download size={14} aria-hidden />
        CSV
      </Button>
    </span>
  );
}
