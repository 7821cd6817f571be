import { ChevronDown } from "lucide-react";
import { likeBands, usualBands } from "@hindglance/core/change/bands";
import { measureOf } from "@hindglance/core/change/measures/all";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { BandInfo } from "@hindglance/core/graph/image";
import { Button } from "../ui/Button";
import { Chip } from "../ui/Chip";
import { Pop } from "../ui/Pop";
import type { ChangeOfSetup } from "./MeasureDesk";

const WORDS = ["none", "one", "two", "three", "four"];
const shortName = (band: BandInfo | undefined): string => band?.polarisation ?? band?.name ?? "";

/** Bands that take part, where several do. */
export function BandsOf({
  setup,
  bands,
  change,
}: {
  setup: ChangeSetup;
  bands: readonly BandInfo[];
  change: ChangeOfSetup;
}) {
  const isGrouped = !!setup.groups && setup.groups.of !== "measure";
  const on = setup.bands?.length
    ? setup.bands
    : usualBands(bands, setup.band, isGrouped ? "groups" : "measure");
  const wanted = setup.groups ? undefined : measureOf(setup.measure).bandsWanted;
  const toggle = (k: number) => {
    const next = on.includes(k)
      ? on.filter((other) => other !== k)
      : [...on, k].sort((first, second) => first - second);
    if (next.length > 0) {
      change((now) => ({ ...now, bands: next }));
    }
  };
  return (
    <div className="mt-2 flex items-center justify-between gap-2">
      <span className="text-soft">
        Bands
        {wanted && on.length !== wanted ? (
          <b className="ml-1 font-semibold text-warnink">pick {WORDS[wanted] ?? wanted}</b>
        ) : (
          ""
        )}
      </span>
      <Pop
        label="Bands that take part"
        width={250}
        trigger={
          <Button className="h-7 max-w-[220px]">
            <span className="truncate">{on.map((k) => shortName(bands[k])).join(", ")}</span>
            <ChevronDown size={14} className="shrink-0" aria-hidden />
          </Button>
        }
      >
        <p className="mb-2 text-soft">
          {wanted
            ? "The first of the two is 0°, the second 90°."
            : "All of them count alike, in their common unit."}
        </p>
        <div className="flex flex-wrap gap-1.5">
          {likeBands(bands, setup.band).map((k) => (
            <Chip
              key={k}
              on={on.includes(k)}
              aria-pressed={on.includes(k)}
              onClick={() => toggle(k)}
            >
              {shortName(bands[k])}
            </Chip>
          ))}
        </div>
        {setup.bands?.length ? (
          <div className="mt-3 flex justify-end">
            <Button onClick={() => change((now) => ({ ...now, bands: null }))}>All alike</Button>
          </div>
        ) : null}
      </Pop>
    </div>
  );
}
