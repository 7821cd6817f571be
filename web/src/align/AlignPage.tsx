import { alignRoutes } from "@hindglance/contract/align";
import { call } from "../api/call";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useOutletContext } from "react-router";
import { useMutation } from "@tanstack/react-query";
import type { Alignment, OffsetPlace, PointsPlace } from "@hindglance/core/align/alignment";
import { worstPoint } from "@hindglance/core/align/points";
import type { OffsetModel } from "@hindglance/core/align/offset";
import { cellSize } from "@hindglance/core/grid/grid";
import { sayError } from "../api/client";
import { useScenes } from "../api/hooks";
import type { Study } from "../api/types";
import { Section, Workspace } from "../frame/Frame";
import { TimeStrip } from "../frame/TimeStrip";
import { dayYear, number } from "../lib/format";
import { Button, Choice, Pick, Problem, Row, Warning, cx } from "../ui/controls";
import { type AlignRow, useAlign, useCheck, useSetAlign } from "./align";
import { CheckMaps } from "./CheckMaps";
import { emptyPoints, firstBand, firstReference, fitOf, nextName, offsetFigures } from "./figures";
import { GridDesk } from "./GridDesk";
import { LevelDesk } from "./LevelDesk";
import { PointMaps } from "./PointMaps";
import { PointsDesk } from "./PointsDesk";

type Way = "offset" | "points";
/** Names often hold the day already. */
const named = (alignRow: AlignRow): { day: string | null; name: string } => {
  const data = alignRow.acquiredAt ? dayYear(alignRow.acquiredAt) : null;
  return { day: data && !alignRow.name.includes(data) ? data : null, name: alignRow.name };
};
const nameOf = (alignRow: AlignRow): string => {
  const n = named(alignRow);
  return n.day ? `${n.name}, ${n.day}` : n.name;
};
/**
 * Band names as the reference's comparable form has them: decibels on screen are power underneath.
 */
const bandsOf = (alignRow: AlignRow | null) =>
  (alignRow?.raw?.info.bands ?? []).filter(
    (band) => band.role !== "quality" && band.role !== "mask" && band.role !== "hidden",
  );

/** How a date lies, in a few words. */
function stateOf(alignRow: AlignRow, reference: string | null): string {
  const place = alignRow.align?.place;
  if (alignRow.sceneId === reference) {
    return "the others are laid on it";
  }
  if (place?.kind === "offset") {
    const grid = alignRow.raw?.info.grid;
    const fraction = grid ? offsetFigures(place, grid) : null;
    return fraction
      ? `moved ${number(Math.hypot(fraction.east, fraction.south), 2)} cells · RMSE ${number(place.rmseCells, 2)}`
      : "moved";
  }
  if (place?.kind === "points") {
    const found = fitOf(place, alignRow.picture);
    return "fit" in found ? `${found.used.length} control points` : found.problem;
  }
  return alignRow.picture ? "no position yet" : (alignRow.problem ?? "as it lies");
}

/** Align: dates and pictures brought to lie on each other, and to the same level. */
export function AlignPage() {
  const study = useOutletContext<Study>();
  const scenes = useScenes(study.id).data ?? [];
  const rows = useAlign(study.id);
  const all = useMemo(() => rows.data ?? [], [rows.data]);
  const set = useSetAlign(study.id);
  const [chosenReference, setReference] = useState<string | null>(null);
  const [chosenDate, setDate] = useState<string | null>(null);
  const [chosenWay, setWay] = useState<Record<string, Way>>({});
  const [bandName, setBand] = useState<string | null>(null);
  const [aligned, setAligned] = useState(true);
  const guess = firstReference(all, study.compare?.beforeId ?? null);
  const picked = all.find((alignRow) => alignRow.sceneId === chosenDate);
  const held = picked?.align?.place?.referenceId ?? picked?.align?.level?.referenceId;
  const referenceId = chosenReference ?? held ?? guess;
  const reference = all.find((alignRow) => alignRow.sceneId === referenceId) ?? null;
  const date =
    picked && picked.sceneId !== referenceId
      ? picked
      : (all.find(
          (alignRow) =>
            alignRow.sceneId === study.compare?.afterId && alignRow.sceneId !== referenceId,
        ) ??
        all.find((alignRow) => alignRow.sceneId !== referenceId && alignRow.raw) ??
        null);
  const place = date?.align?.place ?? null;
  let way: Way;
  if (date) {
    if (date.picture) {
      way = "points";
    } else {
      way = chosenWay[date.sceneId] ?? place?.kind ?? "offset";
    }
  } else {
    way = "offset";
  }
  const bands = bandsOf(reference);
  const band = bands.some((b) => b.name === bandName) ? bandName! : firstBand(bands);
  const onMap = date && !(date.picture && !date.aligned);
  const [over, setOver] = useState(false);
  const laid = way === "points" && !!date?.aligned && place?.kind === "points";
  const looking = way === "offset" || (over && laid);
  const checking = !!reference && !!date && !!band && looking && !!onMap;
  const check = useCheck(
    study.id,
    checking ? { referenceId: reference.sceneId, sceneId: date.sceneId, band, aligned } : null,
    `${date?.aligned?.hash ?? date?.raw?.hash} ${reference?.aligned?.hash}`,
  );
  const put = useCallback(
    (part: Alignment["place"], level?: Alignment["level"]) => {
      if (date) {
        set.mutate({
          sceneId: date.sceneId,
          place: part,
          ...(level !== undefined ? { level } : {}),
        });
      }
    },
    [date, set],
  );

  // Control points: half a point waits for its other half; every change is kept, and can be taken
  // back.
  let points: PointsPlace | null;
  if (date && reference) {
    if (place?.kind === "points") {
      points = place;
    } else {
      points = emptyPoints(reference.sceneId);
    }
  } else {
    points = null;
  }
  const [pending, setPending] = useState<{
    from: [number, number] | null;
    to: [number, number] | null;
  }>({ from: null, to: null });
  const [pickedPoint, pickPoint] = useState<string | null>(null);
  const past = useRef(new Map<string, Alignment["place"][]>());
  const [, redraw] = useState(0);
  const setPoints = (eachPlace: PointsPlace) => {
    if (!date || !points) {
      return;
    }
    const h = past.current.get(date.sceneId) ?? [];
    h.push(place);
    past.current.set(date.sceneId, h.slice(-100));
    redraw((n) => n + 1);
    put(eachPlace);
  };
  const undo = () => {
    const h = date && past.current.get(date.sceneId);
    const old = h?.pop();
    if (old !== undefined) {
      redraw((n) => n + 1);
      put(old);
    }
  };
  const half = (point: { from?: [number, number]; to?: [number, number] }) => {
    const next = { ...pending, ...point };
    if (!points || !next.from || !next.to) {
      setPending(next);
      return;
    }
    setPending({ from: null, to: null });
    setPoints({
      ...points,
      points: [
        ...points.points,
        {
          id: crypto.randomUUID(),
          name: nextName(points.points),
          from: next.from,
          to: next.to,
          on: true,
        },
      ],
    });
  };
  useEffect(() => {
    setPending({ from: null, to: null });
    pickPoint(null);
    setAligned(true);
    setOver(false);
  }, [date?.sceneId]);
  const undoNow = useRef(undo);
  undoNow.current = undo;
  useEffect(() => {
    const key = (e: KeyboardEvent) => {
      if (/^(INPUT|TEXTAREA)$/.test((e.target as HTMLElement).tagName)) {
        return;
      }
      if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "z" && way === "points") {
        e.preventDefault();
        undoNow.current();
      }
      if (e.key === "Escape") {
        setPending({ from: null, to: null });
      }
    };
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, [way]);

  const strip = (
    <TimeStrip
      study={study}
      scenes={scenes}
      beforeId={study.compare?.beforeId ?? null}
      afterId={study.compare?.afterId ?? null}
      onPick={setDate}
      pickedId={date?.sceneId ?? null}
    />
  );
  const fit = points && date ? fitOf(points, date.picture) : null;
  const worst = fit && "fit" in fit ? worstOf(fit) : null;
  if (rows.error) {
    return (
      <div className="m-auto w-[460px]">
        <Problem>{sayError(rows.error)}</Problem>
      </div>
    );
  }
  return (
    <Workspace
      label="Align"
      strip={strip}
      picture={
        !rows.data ? (
          <Note text="Looking at how the dates lie …" />
        ) : !date || !reference ? (
          <Note
            text={
              all.length === 0
                ? "There is no date yet. Add scenes first."
                : "One date lies on the map; add another one to lay on it."
            }
          />
        ) : !date.raw ? (
          <Wrong text={`${date.name}: ${date.problem}. See Prepare.`} />
        ) : !reference.aligned ? (
          <Wrong text={`${reference.name}: ${reference.problem}`} />
        ) : !looking ? (
          <PointMaps
            key={`${date.sceneId} ${reference.sceneId}`}
            study={study}
            date={date}
            reference={reference}
            points={points?.points ?? []}
            worst={worst}
            picked={pickedPoint}
            pending={pending}
            onFrom={(from) => half({ from })}
            onTo={(to) => half({ to })}
            onPick={pickPoint}
          />
        ) : check.error ? (
          <Wrong text={sayError(check.error)} />
        ) : check.data && band ? (
          <CheckMaps
            key={`${date.sceneId} ${reference.sceneId}`}
            study={study}
            nodes={check.data}
            names={[nameOf(reference), nameOf(date)]}
            place={aligned && place?.kind === "offset" ? place : null}
            aligned={aligned}
            onAligned={setAligned}
            moved={!date.picture && (!!date.align?.place || !!date.align?.level)}
          />
        ) : (
          <Note text="Laying the dates over each other …" />
        )
      }
      desk={
        <>
          <Section title={`Dates${all.length ? ` · ${all.length}` : ""}`}>
            {reference && (
              <div className="mb-2 grid grid-cols-[84px_1fr] items-center">
                <span>Reference</span>
                <Pick
                  label="Reference"
                  value={reference.sceneId}
                  onChange={setReference}
                  options={all
                    .filter((alignRow) => alignRow.aligned && !alignRow.picture)
                    .map((alignRow) => ({
                      value: alignRow.sceneId,
                      name: alignRow.name,
                      note: named(alignRow).day ?? "",
                    }))}
                />
              </div>
            )}
            <ul className="-mx-2 max-h-[190px] overflow-y-auto" aria-label="Dates">
              {all.map((alignRow) => (
                <li key={alignRow.sceneId}>
                  <button
                    type="button"
                    aria-current={alignRow.sceneId === date?.sceneId}
                    onClick={() => {
                      setDate(alignRow.sceneId);
                      if (alignRow.sceneId === referenceId) {
                        setReference(null);
                      }
                    }}
                    className={cx(
                      "flex w-full items-center gap-2.5 rounded-field px-2 py-1 text-left",
                      alignRow.sceneId === date?.sceneId ? "bg-bone" : "hover:bg-bone/60",
                    )}
                  >
                    <span
                      aria-hidden
                      className={cx(
                        "h-2.5 w-2.5 shrink-0 border-[1.5px]",
                        alignRow.kind === "radar" ? "rotate-45" : "rounded-full",
                        alignRow.sceneId === referenceId
                          ? "border-spruce bg-spruce"
                          : alignRow.align?.place
                            ? "border-ink bg-ink"
                            : "border-ink",
                      )}
                    />
                    <span className="min-w-0 flex-1">
                      <span className="block truncate font-medium">
                        {alignRow.name}
                        {named(alignRow).day && (
                          <span className="ml-2 font-normal text-soft">{named(alignRow).day}</span>
                        )}
                      </span>
                      <span
                        className={cx(
                          "block truncate text-label",
                          alignRow.problem && alignRow.sceneId !== referenceId
                            ? "text-warnink"
                            : "text-soft",
                        )}
                      >
                        {stateOf(alignRow, referenceId)}
                        {alignRow.align?.level ? " · levelled" : ""}
                      </span>
                    </span>
                  </button>
                </li>
              ))}
            </ul>
          </Section>
          {date && reference && date.raw && (
            <>
              <Section
                title={
                  <Choice
                    label="How the date is laid"
                    className="font-sans text-[12px]"
                    value={way}
                    onChange={(w) => setWay({ ...chosenWay, [date.sceneId]: w })}
                    options={
                      date.picture
                        ? [{ value: "points", name: "Control points" }]
                        : [
                            { value: "offset", name: "Measured offset" },
                            { value: "points", name: "Control points" },
                          ]
                    }
                  />
                }
                right={
                  place && (
                    <Button tone="quiet" className="h-6 px-1.5" onClick={() => put(null)}>
                      Take it away
                    </Button>
                  )
                }
              >
                {laid && (
                  <div className="mb-2 flex justify-end">
                    <Button
                      tone="quiet"
                      className="h-6 px-1.5"
                      aria-pressed={over}
                      onClick={() => {
                        setOver(!over);
                        setAligned(true);
                      }}
                    >
                      {over ? "Mark points" : "Lay over"}
                    </Button>
                  </div>
                )}
                {way === "offset" ? (
                  <OffsetDesk
                    key={date.sceneId}
                    studyId={study.id}
                    date={date}
                    reference={reference}
                    band={band}
                    bands={bands.map((b) => b.name)}
                    onBand={setBand}
                    place={place?.kind === "offset" ? place : null}
                    onTake={(offsetPlace) => {
                      put(offsetPlace);
                      setAligned(true);
                    }}
                  />
                ) : (
                  points && (
                    <PointsDesk
                      place={points}
                      picture={date.picture}
                      crs={(reference.raw ?? reference.aligned!).info.grid.crs}
                      cellM={cellSize(date.raw.info.grid)[0]}
                      picked={pickedPoint}
                      onPick={pickPoint}
                      onChange={setPoints}
                      onUndo={past.current.get(date.sceneId)?.length ? undo : null}
                    />
                  )
                )}
              </Section>
              {!date.picture && (
                <Section title="Level">
                  <p className="mb-2 text-soft">
                    Light, air and season set dates on different levels. Levelling brings this one
                    to the level of the reference, from cells that did not change.
                  </p>
                  <LevelDesk
                    key={`${date.sceneId} ${reference.sceneId}`}
                    studyId={study.id}
                    sceneId={date.sceneId}
                    referenceId={reference.sceneId}
                    level={date.align?.level ?? null}
                    onSet={(levelling) => put(place, levelling)}
                  />
                </Section>
              )}
            </>
          )}
          {reference?.aligned && (
            <Section title="Study grid">
              <GridDesk study={study} scenes={scenes} reference={reference.aligned.info.grid} />
            </Section>
          )}
        </>
      }
    />
  );
}
const worstOf = (found: {
  fit: Parameters<typeof worstPoint>[0];
  used: { id: string }[];
}): string | null => {
  const k = worstPoint(found.fit);
  return k >= 0 ? found.used[k]!.id : null;
};
const Note = ({ text }: { text: string }) => (
  <div className="flex h-full items-center justify-center text-[#c9d0cd]">{text}</div>
);
const Wrong = ({ text }: { text: string }) => (
  <div className="m-auto mt-24 w-[460px]">
    <Problem>{text}</Problem>
  </div>
);

/** Windows under this share that agree make a measured offset doubtful. */
const DOUBT = 0.6;
/**
 * An offset measured from many small windows: what was found, how far it can be trusted, and
 * whether it is taken.
 */
function OffsetDesk({
  studyId,
  date,
  reference,
  band,
  bands,
  onBand,
  place,
  onTake,
}: {
  studyId: string;
  date: AlignRow;
  reference: AlignRow;
  band: string | null;
  bands: string[];
  onBand(b: string): void;
  place: OffsetPlace | null;
  onTake(offsetPlace: OffsetPlace): void;
}) {
  const [model, setModel] = useState<OffsetModel>(place?.model ?? "affine");
  const measure = useMutation({
    mutationFn: () =>
      call(alignRoutes.offset, {
        params: { id: studyId },
        body: { referenceId: reference.sceneId, sceneId: date.sceneId, band: band!, model },
      }),
  });
  const offsetPlace = measure.data?.place ?? place;
  const fraction = offsetPlace && date.raw ? offsetFigures(offsetPlace, date.raw.info.grid) : null;
  const kept = offsetPlace?.matches.filter((match) => match.kept).length ?? 0;
  const size = fraction ? Math.hypot(fraction.east, fraction.south) : 0;
  const taken = !!offsetPlace && !!place && offsetPlace.path === place.path;
  return (
    <>
      <Row label="Band">
        <span className="w-[190px]">
          <Pick
            label="Band"
            value={band ?? ""}
            onChange={onBand}
            options={bands.map((b) => ({ value: b, name: b }))}
          />
        </span>
      </Row>
      <Row label="Fit">
        <Choice<OffsetModel>
          label="Fit"
          value={model}
          onChange={setModel}
          options={[
            { value: "shift", name: "Shift" },
            { value: "affine", name: "Affine", hint: "Shift, turn, scale and shear" },
          ]}
        />
      </Row>
      <Row
        label={
          measure.isPending
            ? "Comparing windows …"
            : offsetPlace
              ? taken
                ? "This offset is taken off."
                : "Measured, not yet taken."
              : "Not measured yet."
        }
      >
        <Button disabled={!band || measure.isPending} onClick={() => measure.mutate()}>
          {offsetPlace ? "Measure again" : "Measure offset"}
        </Button>
      </Row>
      {measure.error && <Problem>{sayError(measure.error)}</Problem>}
      {offsetPlace && fraction && !measure.error && (
        <>
          <dl className="grid grid-cols-[1fr_auto] gap-y-1">
            <dt>East, south</dt>
            <dd className="font-mono text-[12px]">
              {number(fraction.east, 2, true)}, {number(fraction.south, 2, true)} cells
            </dd>
            <dt />
            <dd className="font-mono text-[12px]">
              {number(fraction.east * offsetPlace.cellM, 1, true)},{" "}
              {number(fraction.south * offsetPlace.cellM, 1, true)} m
            </dd>
            {offsetPlace.model === "affine" && (
              <>
                <dt>Turn, scale</dt>
                <dd className="font-mono text-[12px]">
                  {number(fraction.turnDeg, 3, true)}°, {number(fraction.scale, 5)}
                </dd>
              </>
            )}
            <dt>RMSE of windows</dt>
            <dd className="font-mono text-[12px]">
              {number(offsetPlace.rmseCells, 2)} cells ·{" "}
              {number(offsetPlace.rmseCells * offsetPlace.cellM, 1)} m
            </dd>
            <dt>Windows that agree</dt>
            <dd className="font-mono text-[12px]">
              {kept} of {offsetPlace.matches.length} clear, {offsetPlace.tried} tried
            </dd>
          </dl>
          {kept < DOUBT * offsetPlace.matches.length && (
            <div className="mt-2">
              <Warning>
                Hardly more than half of the windows agree: much has changed between the dates, or
                they show other things. Look at the edges before you trust it.
              </Warning>
            </div>
          )}
          {!taken && size < offsetPlace.rmseCells && (
            <div className="mt-2">
              <Warning>
                The offset is smaller than what single windows scatter by: the dates lie on each
                other already.
              </Warning>
            </div>
          )}
          {!taken && (
            <div className="mt-2 flex justify-end">
              <Button
                tone="act"
                onClick={() => {
                  onTake(offsetPlace);
                  measure.reset();
                }}
              >
                Move this date
              </Button>
            </div>
          )}
        </>
      )}
    </>
  );
}
