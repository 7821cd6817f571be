import { useQuery } from "@tanstack/react-query";
import { settingsOf } from "@hindglance/core/chain/family";
import type { OpticalChain, OpticalStep } from "@hindglance/core/chain/opticalChain";
import type { ChainStep, RadarChain } from "@hindglance/core/chain/radarChain";
import type { StepReport } from "@hindglance/core/graph/step";
import { histogramTotal } from "@hindglance/core/raster/histogram";
import { api } from "../api/client";
import type { Study } from "../api/types";
import { Section } from "../frame/Frame";
import { number } from "../lib/format";
import { Button, Choice, Problem, Warning } from "../ui/controls";
import { OpticalSettings } from "./OpticalSettings";
import { RadarSettings } from "./RadarSettings";
import { STEP_WORDS } from "./steps";
import type { Field } from "./useFields";
import {
  type BoardRow,
  type PrepareView,
  STEPS_OF,
  changed,
  stepNumber,
  useDesk,
} from "./chainState";
import type { usePrepare } from "./usePrepare";

/** What a step found in one scene. */
const useReport = (
  studyId: string,
  view: PrepareView,
  sceneId: string | null,
  step: string,
  key: string,
) =>
  useQuery({
    queryKey: ["report", studyId, view.family, sceneId, step, key],
    queryFn: () =>
      api<StepReport>("POST", `/studies/${studyId}/prepare/reports?family=${view.family}`, {
        sceneId,
        step,
      }),
    enabled: view.family === "optical" && !!sceneId,
    staleTime: Infinity,
    retry: false,
  }).data ?? null;

/** The settings of the picked step, what it did, and what it warns of. */
export function StepDesk({
  study,
  view,
  p: props,
  row,
  input,
  output,
  marking,
  onMark,
  marked,
  what,
  chainKey,
}: {
  study: Study;
  view: PrepareView;
  p: ReturnType<typeof usePrepare>;
  row: BoardRow | null;
  input: Field | null;
  output: Field | null;
  marking: boolean;
  onMark(m: boolean): void;
  marked: boolean;
  /** The band that figures are of. */ what: string | null;
  chainKey: string;
}) {
  const { step, only, setOnly } = useDesk();
  const scene = only && row ? row.sceneId : null;
  const { family } = view;
  const chain = settingsOf(STEPS_OF[family], view.chain, view.exceptions, scene ?? "");
  const cell = row?.cells.find((boardCell) => boardCell.step === step);
  const words = STEP_WORDS[family][step]!;
  const on = chain[step]!.on;
  const report = useReport(
    study.id,
    view,
    on && row && cell?.state !== "error" && cell?.state !== "blocked" && cell?.state !== "skipped"
      ? row.sceneId
      : null,
    step,
    chainKey,
  );
  const unit = output?.unit ? ` ${output.unit}` : "";
  const digits = output?.unit === "dB" ? 2 : 4;
  const change = (s: string, value: object) => props.set(changed(view, s, value, scene));
  const warnings = [
    ...new Map(
      view.rows
        .filter((boardRow) => !view.heldOut.includes(boardRow.sceneId))
        .flatMap((boardRow) =>
          (boardRow.cells.find((boardCell) => boardCell.step === step)?.warnings ?? []).map(
            (text) => [text, boardRow] as const,
          ),
        )
        .map(([text, boardRow]) => [
          text,
          [
            ...view.rows
              .filter((eachRow) =>
                eachRow.cells.find((boardCell) => boardCell.step === step)?.warnings.includes(text),
              )
              .map((eachBoardRow) => eachBoardRow.label),
            boardRow,
          ].slice(0, -1) as string[],
        ]),
    ).entries(),
  ];
  return (
    <>
      <Section
        title={`Step ${stepNumber(family, step)} of ${STEPS_OF[family].length}`}
        right={
          row && (
            <Choice
              label="For which dates"
              value={only ? "one" : "all"}
              onChange={(value) => setOnly(value === "one")}
              options={[
                { value: "all", name: "Every date" },
                { value: "one", name: `Only ${row.label}` },
              ]}
            />
          )
        }
      >
        <h1 className="text-[17px] font-bold">{words.name}</h1>
        <p className="mt-1 text-soft">{words.help}</p>
      </Section>
      <Section>
        {!on ? (
          <p className="py-1 text-soft">This step is skipped{scene ? " for this date" : ""}.</p>
        ) : family === "radar" ? (
          <RadarSettings
            step={step as ChainStep}
            c={chain as unknown as RadarChain}
            view={view}
            study={study}
            scene={scene}
            change={change}
            looks={marked ? (input?.looks ?? null) : null}
          />
        ) : (
          <OpticalSettings
            step={step as OpticalStep}
            c={chain as unknown as OpticalChain}
            view={view}
            study={study}
            row={row}
            scene={scene}
            change={change}
          />
        )}
        {cell?.error && (
          <div className="mt-2">
            <Problem>
              {cell.error.message}. {cell.error.hint}
            </Problem>
          </div>
        )}
        {cell?.exception && (
          <p className="mt-2 text-label text-soft">
            This date has settings of its own here.{" "}
            <button
              type="button"
              className="text-spruce underline"
              onClick={() => {
                const rest = { ...view.exceptions[row!.sceneId] };
                delete rest[step];
                props.set({ ...view, exceptions: { ...view.exceptions, [row!.sceneId]: rest } });
              }}
            >
              Take those of every date
            </button>
          </p>
        )}
      </Section>
      {row && on && (
        <Section
          title={`${marked ? "Inside the marked field" : "Over the scene"}${what ? ` · ${what}` : ""}`}
          right={
            <Button
              tone={marking ? "act" : "quiet"}
              className="h-6 px-2"
              aria-pressed={marking}
              onClick={() => onMark(!marking)}
            >
              {marking ? "Drag a box …" : marked ? "Mark another" : "Mark an even field"}
            </Button>
          }
        >
          <InOutBars input={input} output={output} />
          {output && (
            <dl className="mt-2 grid grid-cols-[1fr_auto] gap-y-1">
              <dt>Mean</dt>
              <dd className="font-mono text-[12px]">
                {both(input?.mean, output.mean, digits)}
                {unit}
              </dd>
              <dt>Spread</dt>
              <dd className="font-mono text-[12px]">
                ±{both(input?.deviation, output.deviation, unit ? 1 : 4)}
                {unit}
              </dd>
              {marked && output.looks !== null && (
                <>
                  <dt title="Mean² over variance of power, in the field you marked">
                    Equivalent looks
                  </dt>
                  <dd className="font-mono text-[12px]">
                    {both(input?.looks ?? NaN, output.looks ?? NaN, 1)}
                  </dd>
                </>
              )}
              <dt>Cells</dt>
              <dd className="font-mono text-[12px]">
                {number(output.cells)}
                {output.sampled ? ", sample" : ""}
              </dd>
            </dl>
          )}
        </Section>
      )}
      {report && report.lines.length > 0 && (
        <Section title="What the step found">
          <dl className="space-y-1">
            {report.lines.map((line, k) => (
              <div key={k} className="flex items-baseline justify-between gap-3">
                <dt>{line.name}</dt>
                <dd className="whitespace-nowrap text-right font-mono text-[12px]">{line.value}</dd>
              </div>
            ))}
          </dl>
        </Section>
      )}
      {report && report.warnings.length > 0 && row && (
        <Section>
          <div className="space-y-2">
            {report.warnings.map((text) => (
              <Warning key={text}>
                <b>{row.label}.</b> {text}
              </Warning>
            ))}
          </div>
        </Section>
      )}
      {warnings.length > 0 && (
        <Section>
          <div className="space-y-2">
            {warnings.map(([text, dates]) => (
              <Warning key={text}>
                <b>{dates.join(", ")}.</b> {text}
              </Warning>
            ))}
          </div>
        </Section>
      )}
    </>
  );
}
const both = (a: number | undefined, b: number, distance: number) =>
  a !== undefined && Number.isFinite(a)
    ? `${number(a, distance)} → ${number(b, distance)}`
    : number(b, distance);

/** Histograms of in and out over one axis: in is grey, out is green. */
function InOutBars({ input, output }: { input: Field | null; output: Field | null }) {
  const all = [input, output].filter((field): field is Field => field !== null && field.cells > 0);
  if (all.length === 0) {
    return <p className="py-6 text-center text-soft">Counting cells …</p>;
  }
  const lo = Math.min(...all.map((field) => field.histogram.min));
  const hi = Math.max(...all.map((field) => field.histogram.max));
  const x = (value: number) => ((value - lo) / (hi - lo)) * 300;
  const density = (field: Field) => {
    const n = histogramTotal(field.histogram);
    const w = (field.histogram.max - field.histogram.min) / field.histogram.counts.length;
    return field.histogram.counts.map((c) => c / n / w);
  };
  const distance = all.map(density);
  const top = Math.max(...distance.flat());
  const ticks = Array.from({ length: 5 }, (_v, k) => lo + ((k + 0.5) * (hi - lo)) / 5);
  return (
    <svg role="img" aria-label="Histograms of in and out" viewBox="0 0 300 92" className="w-full">
      {all.map((field, k) =>
        distance[k]!.map((value, i) => {
          const w = (field.histogram.max - field.histogram.min) / field.histogram.counts.length;
          const h = (value / top) * 72;
          return (
            <rect
              key={`${k}.${i}`}
              x={x(field.histogram.min + i * w)}
              width={Math.max(0.5, x(lo + w) * 0.9)}
              y={74 - h}
              height={h}
              fill={field === output ? "#1f6658" : "#b3ad9c"}
              opacity={field === output ? 0.72 : 0.9}
            />
          );
        }),
      )}
      <line x1={0} x2={300} y1={74.5} y2={74.5} stroke="#a9aea8" />
      {ticks.map((t) => (
        <text
          key={t}
          x={x(t)}
          y={88}
          textAnchor="middle"
          fontSize={10.5}
          fill="#5b6866"
          className="font-mono"
        >
          {number(t, hi - lo < 0.4 ? 3 : hi - lo < 4 ? 2 : 0)}
        </text>
      ))}
    </svg>
  );
}
