import type { CoverClass } from "@hindglance/core/cover/coverClass";
import { Section } from "../../frame/Section";
import { Button } from "../../ui/Button";
import { cx } from "../../ui/cx";
import { Pick } from "../../ui/Pick";
import {
  type Legends,
  isAlone,
  leftOut,
  likeSaid,
  merged,
  namesOn,
  split,
  withOwn,
  without,
} from "./pairing";

interface Props {
  classes: readonly CoverClass[];
  legends: Legends;
  onChange(classes: CoverClass[]): void;
}

/** Which classes of both maps mean the same: by their names, and by hand. */
export function PairingSection({ classes, legends, onChange }: Props) {
  const sides = ["before", "after"] as const;
  const left = sides.flatMap((side) =>
    leftOut(classes, side, legends).map((one) => ({ side, one })),
  );
  return (
    <Section title="Classes that mean the same">
      <ul className="space-y-1.5">
        {classes.map((one, place) => (
          <Row key={one.name} {...{ classes, legends, onChange, one, place }} />
        ))}
      </ul>
      {left.length > 0 && (
        <>
          <h3 className="mt-3 text-label text-soft">Left out</h3>
          <ul>
            {left.map(({ side, one }) => (
              <li key={`${side} ${one.label}`} className="flex items-center justify-between">
                <span>
                  {one.name} <span className="text-soft">{side}</span>
                </span>
                <Button
                  tone="quiet"
                  className="h-6 px-1.5"
                  onClick={() => onChange(withOwn(classes, side, one))}
                >
                  Take in
                </Button>
              </li>
            ))}
          </ul>
        </>
      )}
    </Section>
  );
}

function Row({
  classes,
  legends,
  onChange,
  one,
  place,
}: Props & { one: CoverClass; place: number }) {
  const act = (what: string) => {
    if (what === "out") {
      onChange(without(classes, place));
    } else if (what === "split") {
      onChange(split(classes, place, legends));
    } else {
      onChange(merged(classes, place, Number(what)));
    }
  };
  const canSplit = one.before.length + one.after.length > 1;
  const names = (side: "before" | "after") => namesOn(one, side, legends).join(", ") || "–";
  return (
    <li className="flex items-start gap-2">
      <span
        aria-hidden
        className="mt-1 h-3 w-3 shrink-0 rounded-[3px]"
        style={{ background: one.color }}
      />
      <span className="min-w-0 flex-1">
        <span className="block truncate font-semibold">
          {names("before")} → {names("after")}
        </span>
        <span className={cx("text-label", isAlone(one) ? "text-warnink" : "text-soft")}>
          {likeSaid(one, legends)}
        </span>
      </span>
      <Pick
        label={`Pair ${one.name} by hand`}
        className="h-7 w-[112px]"
        placeholder="By hand …"
        value=""
        onChange={act}
        options={[
          ...classes.flatMap((other, k) =>
            k === place ? [] : [{ value: String(k), name: `Same as ${other.name}` }],
          ),
          ...(canSplit ? [{ value: "split", name: "Take apart" }] : []),
          { value: "out", name: "Leave out" },
        ]}
      />
    </li>
  );
}
