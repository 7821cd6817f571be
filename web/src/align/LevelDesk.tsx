import { alignRoutes } from "@hindglance/contract/align";
import { call } from "../api/call";
import { useState } from "react";
import { useMutation } from "@tanstack/react-query";
import {
  CartesianGrid,
  ReferenceLine,
  ResponsiveContainer,
  Scatter,
  ScatterChart,
  XAxis,
  YAxis,
} from "recharts";
import type { Levelling } from "@hindglance/core/align/alignment";
import type { LevelFit, LevelMethod } from "@hindglance/core/align/levelling";
import { sayError } from "../api/client";
import { number } from "../lib/format";
import { Button, Choice, Pick, Problem, Warning, cx } from "../ui/controls";

/** Under this correlation a band hardly goes along with the reference. */
const WEAK = 0.8;

/**
 * The level of a date against its reference: measured from unchanged cells or by histograms, looked
 * at band by band, then taken or left.
 */
export function LevelDesk({
  studyId,
  sceneId,
  referenceId,
  level,
  onSet,
}: {
  studyId: string;
  sceneId: string;
  referenceId: string;
  level: Levelling | null;
  onSet(levelling: Levelling | null): void;
}) {
  const [method, setMethod] = useState<LevelMethod>("unchanged");
  const [band, setBand] = useState<string | null>(null);
  const measure = useMutation({
    mutationFn: () =>
      call(alignRoutes.level, {
        params: { id: studyId },
        body: { referenceId, sceneId, method },
      }),
    onSuccess: () => setBand(null),
  });
  const found = measure.data;
  const shown = found?.fit.bands.find((bandFit) => bandFit.band === band) ?? found?.fit.bands[0];
  const taken = level && found && JSON.stringify(level) === JSON.stringify(found.level);
  const digits = (value: number) => (Math.abs(value) >= 100 ? 1 : 4);
  return (
    <>
      <div className="mb-2 flex items-center justify-between gap-2">
        <Choice<LevelMethod>
          label="How levels are measured"
          value={method}
          onChange={setMethod}
          options={[
            {
              value: "unchanged",
              name: "Unchanged cells",
              hint: "Orthogonal regression over cells that reweighted MAD calls unchanged (Canty & Nielsen 2008)",
            },
            {
              value: "histogram",
              name: "Histogram",
              hint: "Mean and spread of all cells are matched",
            },
          ]}
        />
        <Button className="h-7" disabled={measure.isPending} onClick={() => measure.mutate()}>
          {measure.isPending ? "Measuring …" : "Measure"}
        </Button>
      </div>
      {measure.error && <Problem>{sayError(measure.error)}</Problem>}
      {found && shown && (
        <>
          <table className="w-full text-[12px]">
            <thead>
              <tr className="text-left text-label text-soft">
                <th className="font-normal">Band</th>
                <th className="text-right font-normal">Slope</th>
                <th className="text-right font-normal">Offset</th>
                <th className="text-right font-normal" title="Correlation over the cells used">
                  r
                </th>
                <th
                  className="text-right font-normal"
                  title="Root mean square off the reference, before and after levelling"
                >
                  RMSE
                </th>
              </tr>
            </thead>
            <tbody>
              {found.fit.bands.map((bandFit) => (
                <tr
                  key={bandFit.band}
                  onClick={() => setBand(bandFit.band)}
                  className={cx(
                    "cursor-pointer border-t border-line",
                    bandFit === shown && "bg-bone",
                  )}
                >
                  <td>{bandFit.band}</td>
                  <td className="text-right font-mono">{number(bandFit.multiply, 3)}</td>
                  <td className="text-right font-mono">{number(bandFit.add, 4, true)}</td>
                  <td
                    className={cx(
                      "text-right font-mono",
                      bandFit.correlation < WEAK && "text-wrong",
                    )}
                  >
                    {number(bandFit.correlation, 3)}
                  </td>
                  <td className="text-right font-mono">
                    {number(bandFit.rmseBefore, digits(bandFit.rmseBefore))} →{" "}
                    {number(bandFit.rmseAfter, digits(bandFit.rmseAfter))}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          {found.fit.bands.length > 1 && (
            <div className="my-2">
              <Pick
                label="Band of the plot"
                value={shown.band}
                onChange={setBand}
                options={found.fit.bands.map((bandFit) => ({
                  value: bandFit.band,
                  name: bandFit.band,
                }))}
              />
            </div>
          )}
          <Plot fit={shown} />
          <p className="mt-1 text-label text-soft">
            {number(found.fit.cells)} of {number(found.fit.of)} cells looked at serve. The line
            takes the date to the level of the reference.
          </p>
          {found.fit.bands.some((bandFit) => bandFit.correlation < WEAK) && (
            <div className="mt-2">
              <Warning>
                A band hardly goes along with the reference: its level cannot be trusted. Take a
                reference of the same season.
              </Warning>
            </div>
          )}
          {!taken && (
            <div className="mt-2 flex justify-end">
              <Button tone="act" onClick={() => onSet(found.level)}>
                Level this date
              </Button>
            </div>
          )}
        </>
      )}
      {level && (
        <div className="mt-2 flex items-center justify-between gap-2">
          <span className="text-soft">
            Levelled in {level.bands.length} {level.bands.length === 1 ? "band" : "bands"},{" "}
            {number(level.cells)} cells
          </span>
          <Button className="h-7" onClick={() => onSet(null)}>
            Take the level away
          </Button>
        </div>
      )}
    </>
  );
}

/** Cells used, date across, reference up, with the fitted line. */
function Plot({ fit }: { fit: LevelFit["bands"][0] }) {
  const xs = fit.scatter.map((point) => point[0]);
  const ys = fit.scatter.map((point) => point[1]);
  const lo = Math.min(...xs);
  const hi = Math.max(...xs);
  const low = Math.min(...ys);
  const high = Math.max(...ys);
  const tick = (value: number) => number(value, Math.abs(high - low) < 2 ? 2 : 0);
  return (
    <div
      role="img"
      aria-label={`Scatter of ${fit.band}: date across, reference up`}
      className="mt-2 h-[150px]"
    >
      <ResponsiveContainer>
        <ScatterChart margin={{ top: 4, right: 8, bottom: 16, left: 0 }}>
          <CartesianGrid stroke="#e6e1d4" />
          <XAxis
            type="number"
            dataKey="x"
            domain={[lo, hi]}
            tickFormatter={tick}
            tick={{ fontSize: 10.5, fill: "#5b6866" }}
            tickCount={4}
            label={{
              value: "date",
              position: "insideBottom",
              offset: -10,
              fontSize: 11,
              fill: "#5b6866",
            }}
          />
          <YAxis
            type="number"
            dataKey="y"
            domain={[low, high]}
            tickFormatter={tick}
            width={44}
            tick={{ fontSize: 10.5, fill: "#5b6866" }}
            tickCount={4}
            label={{
              value: "reference",
              angle: -90,
              position: "insideLeft",
              offset: 8,
              fontSize: 11,
              fill: "#5b6866",
            }}
          />
          <Scatter
            data={fit.scatter.map(([x, y]) => ({ x, y }))}
            fill="#1f6658"
            fillOpacity={0.45}
            shape={(place: { cx?: number; cy?: number }) => (
              <circle cx={place.cx} cy={place.cy} r={1.6} fill="#1f6658" fillOpacity={0.5} />
            )}
            isAnimationActive={false}
          />
          <ReferenceLine
            stroke="#b9562b"
            strokeWidth={1.5}
            segment={[
              { x: lo, y: fit.multiply * lo + fit.add },
              { x: hi, y: fit.multiply * hi + fit.add },
            ]}
            ifOverflow="hidden"
          />
        </ScatterChart>
      </ResponsiveContainer>
    </div>
  );
}
