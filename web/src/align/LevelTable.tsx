import type { LevelFit } from "@hindglance/core/align/levelling";
import { number } from "../lib/format";
import { cx } from "../ui/cx";

type BandFit = LevelFit["bands"][number];

interface Props {
  bands: BandFit[];
  /** The one that is plotted. */
  shown: BandFit;
  onPick(band: string): void;
}

/** Under this correlation a band hardly goes along with the reference. */
export const WEAK = 0.8;

const HEADS: { name: string; title?: string }[] = [
  { name: "Slope" },
  { name: "Offset" },
  { name: "r", title: "Correlation over the cells used" },
  { name: "RMSE", title: "Root mean square off the reference, before and after levelling" },
];

const errorText = (value: number): string => number(value, Math.abs(value) >= 100 ? 1 : 4);

/** How every band of a date is brought to the level of the reference, and how well it fits. */
export function LevelTable({ bands, shown, onPick }: Props) {
  return (
    <table className="w-full text-[12px]">
      <thead>
        <tr className="text-left text-label text-soft">
          <th className="font-normal">Band</th>
          {HEADS.map(({ name, title }) => (
            <th key={name} className="text-right font-normal" title={title}>
              {name}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {bands.map((fit) => (
          <tr
            key={fit.band}
            onClick={() => onPick(fit.band)}
            className={cx("cursor-pointer border-t border-line", fit === shown && "bg-bone")}
          >
            <td>{fit.band}</td>
            {fit.curve ? (
              <td className="text-right text-soft" colSpan={2}>
                curve
              </td>
            ) : (
              <>
                <td className="text-right font-mono">{number(fit.multiply, 3)}</td>
                <td className="text-right font-mono">{number(fit.add, 4, true)}</td>
              </>
            )}
            <td className={cx("text-right font-mono", fit.correlation < WEAK && "text-wrong")}>
              {number(fit.correlation, 3)}
            </td>
            <td className="text-right font-mono">
              {errorText(fit.rmseBefore)} → {errorText(fit.rmseAfter)}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
