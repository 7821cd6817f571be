import { Section } from "../frame/Section";
import { Button } from "../ui/Button";
import { Pop } from "../ui/Pop";
import type { Classify } from "./useClassify";

/** Bands that every date has, and those that only some have. */
function bandsOf({ view }: Classify): { common: string[]; others: string[] } {
  const dates = (view?.dates ?? []).filter(({ problem }) => !problem);
  const all = [...new Set(dates.flatMap(({ bands }) => bands))];
  const isCommon = (band: string) => dates.every(({ bands }) => bands.includes(band));
  return { common: all.filter(isCommon), others: all.filter((band) => !isCommon(band)) };
}

/** Which bands classes are told by. */
export function InputsSection({ classify }: { classify: Classify }) {
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
  const said = used.length ? used.join(", ") : "none";
  return (
    <Section
      title="Inputs"
      right={
        <Pop
          label="Inputs"
          width={240}
          trigger={
            <Button tone="quiet" className="h-6 px-1.5" disabled={common.length === 0}>
              Pick bands
            </Button>
          }
        >
          <ul className="max-h-[300px] overflow-y-auto">
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
        </Pop>
      }
    >
      <p className="text-soft">{said}</p>
    </Section>
  );
}
