import { Section } from "../../frame/Section";
import { dayYear, number } from "../../lib/format";
import { cx } from "../../ui/cx";
import { type SeriesDate, whole } from "./series";
import type { SeriesOnScreen } from "./useSeries";

/** Every date with its area, share and mean; a click on one picks it. */
export function DatesTable({ shown, isRadar }: { shown: SeriesOnScreen; isRadar: boolean }) {
  const { dates, series, picked, pick } = shown;
  const heads = ["km²", "% of seen", `mean ${series?.band ?? ""}`];
  return (
    <Section title={`Dates · ${dates.length}`}>
      <table className="w-full text-[12.5px]">
        <caption className="sr-only">Area by date</caption>
        <thead>
          <tr className="text-left text-label text-soft">
            <th scope="col" className="font-normal">
              date
            </th>
            {heads.map((head) => (
              <th key={head} scope="col" className="text-right font-normal">
                {head}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {dates.map((date) => (
            <DateRow
              key={date.sceneId}
              date={date}
              isPicked={date === picked}
              pick={() => pick(date.sceneId)}
              decimals={isRadar ? 1 : 3}
            />
          ))}
        </tbody>
      </table>
    </Section>
  );
}

interface RowProps {
  date: SeriesDate;
  isPicked: boolean;
  pick(): void;
  /** Of the mean. */
  decimals: number;
}

function DateRow({ date, isPicked, pick, decimals }: RowProps) {
  const sums = whole(date);
  return (
    <tr className={cx("border-t border-line", isPicked && "bg-[#e2ece7]")}>
      <th scope="row" className="text-left font-medium">
        <button type="button" aria-pressed={isPicked} className="hover:underline" onClick={pick}>
          {dayYear(date.acquiredAt)}
        </button>
      </th>
      <td className="text-right font-mono">{sums ? number(sums.beyondM2 / 1e6, 2) : "…"}</td>
      <td className="text-right font-mono text-soft">
        {sums && sums.seenM2 > 0 ? number((100 * sums.beyondM2) / sums.seenM2, 1) : "–"}
      </td>
      <td className="text-right font-mono text-soft">
        {date.mean === null ? "–" : number(date.mean, decimals)}
      </td>
    </tr>
  );
}
