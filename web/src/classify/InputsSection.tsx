import type { Training } from "@hindglance/contract/classify";
import { extraName } from "@hindglance/core/classify/extraInputs";
import { Section } from "../frame/Section";
import { Button } from "../ui/Button";
import { Warning } from "../ui/Messages";
import { Pop } from "../ui/Pop";
import { ExtraInputs } from "./ExtraInputs";
import type { Classify } from "./useClassify";

/** Bands that every date has, and those that only some have. */
function bandsOf({ view }: Classify): { common: string[]; others: string[] } {
  const dates = (view?.dates ?? []).filter(({ problem }) => !problem);
  const all = [...new Set(dates.flatMap(({ bands }) => bands))];
  const isCommon = (band: string) => dates.every(({ bands }) => bands.includes(band));
  return { common: all.filter(isCommon), others: all.filter((band) => !isCommon(band)) };
}

/** Which inputs lack values, and what becomes of the cells. */
function missingSaid(missing: Training["missing"], way: "leaveOut" | "fill"): string {
  const shares = missing.map(({ input, share }) => {
    const percent = 100 * share;
    return `${input} in ${percent < 1 ? "less than 1" : Math.round(percent)} %`;
  });
  const what = way === "fill" ? "They take the mean of that input." : "They get no class.";
  return `Cells without a value: ${shares.join(", ")}. ${what}`;
}

interface Props {
  studyId: string;
  classify: Classify;
  training: Training | null;
}

/** What classes are told by: bands of the date, and what is looked at besides. */
export function InputsSection({ studyId, classify, training }: Props) {
  const { settings, change } = classify;
  const { common, others } = bandsOf(classify);
  const used = settings.inputs ?? [...common, ...others];
  const turn = (band: string) =>
    change((old) => {
      const now = old.inputs ?? common;
      const next = now.includes(band) ? now.filter((one) => one !== band) : [...now, band];
      // In the order of the dates, so that the same bands are the same inputs.
      return { ...old, inputs: [...common, ...others].filter((one) => next.includes(one)) };
    });
  const extras = (settings.extras ?? []).map(extraName);
  const said = [...used, ...extras].join(", ") || "none";
  return (
    <Section
      title="Inputs"
      right={
        <Pop
          label="Inputs"
          width={300}
          trigger={
            <Button tone="quiet" className="h-6 px-1.5" disabled={common.length === 0}>
              Pick inputs
            </Button>
          }
        >
          <ul className="max-h-[160px] overflow-y-auto">
            {[...common, ...others].map((band) => (
              <li key={band}>
                <label className="flex items-center gap-2 py-0.5">
                  <input
                    type="checkbox"
                    checked={used.includes(band)}
                    disabled={used.length === 1 && used.includes(band)}
                    onChange={() => turn(band)}
                  />
                  {band}
                  {others.includes(band) && <span className="text-soft">not on every date</span>}
                </label>
              </li>
            ))}
          </ul>
          <ExtraInputs studyId={studyId} classify={classify} bands={common} />
        </Pop>
      }
    >
      <p className="text-soft">{said}</p>
      {(training?.missing ?? []).length > 0 && (
        <div className="mt-1.5">
          <Warning>{missingSaid(training!.missing, settings.missing ?? "leaveOut")}</Warning>
        </div>
      )}
    </Section>
  );
}
