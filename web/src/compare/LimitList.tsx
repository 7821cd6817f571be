import type { ReactNode } from "react";
import { Plus } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import {
  type AnyLimit,
  type Limits,
  limitsLeft,
  limitsSet,
  withLimit,
} from "@hindglance/core/change/limits/all";
import type { LimitGround } from "@hindglance/core/change/limits/limit";
import type { LimitEffect as Effect } from "@hindglance/core/tally/effects";
import { Button } from "../ui/Button";
import { Chip } from "../ui/Chip";
import { Pop } from "../ui/Pop";
import { LimitEffect } from "./LimitEffect";
import { LimitForm } from "./LimitForm";
import type { ChangeOfSetup } from "./MeasureDesk";

/**
 * Conditions that keep or drop cells of the map, in the order in which they are applied, with what
 * each does.
 */
export function LimitList({
  head,
  limits,
  ground,
  byRules,
  found,
  change,
}: {
  head: ReactNode;
  limits: Limits;
  ground: LimitGround;
  /** Whether classes come from rules; with groups, what is looked at has no effect of its own. */
  byRules: boolean;
  /** What each limit did to the map as it stands; null until it is counted. */
  found: readonly Effect[] | null;
  change: ChangeOfSetup;
}) {
  const set = (part: AnyLimit, own: object | null) =>
    change((setup) => ({ ...setup, limits: withLimit(setup.limits, part, own) }));
  return (
    <section aria-label="Keep only where" className="px-4 py-2">
      <div className="mb-1 flex items-center justify-between">
        {head ?? <h2 className="text-label text-soft">Limits</h2>}
        <AddLimit
          parts={limitsLeft(limits).filter((part) => part.offered(ground))}
          onAdd={(part) => set(part, part.start(ground))}
        />
      </div>
      <p className="mb-1 text-label text-soft">
        Kept only where, in this order, and what each takes.
      </p>
      <ol>
        {limitsSet(limits).map(({ part, own }, k) => {
          const text = part.text(own, ground.cellM2);
          const isCounted = byRules || part.work.on !== "mask";
          return (
            <li key={part.key} className="flex min-h-[25px] items-center gap-2">
              <span className="w-3 text-right font-mono text-[11px] text-soft" aria-hidden>
                {k + 1}
              </span>
              <Pop label={text} width={300} trigger={<Chip className="h-[22px]">{text}</Chip>}>
                <LimitForm
                  part={part}
                  own={own}
                  ground={ground}
                  onChange={(next) => set(part, next)}
                />
              </Pop>
              <span className="ml-auto whitespace-nowrap font-mono text-[11.5px] text-soft">
                {isCounted && <Found effect={found?.find(({ name }) => name === part.key)} />}
              </span>
            </li>
          );
        })}
      </ol>
    </section>
  );
}

const Found = ({ effect }: { effect: Effect | undefined }) =>
  effect ? <LimitEffect effect={effect} /> : "…";

/** Limits that can be added. */
function AddLimit({ parts, onAdd }: { parts: readonly AnyLimit[]; onAdd(part: AnyLimit): void }) {
  if (parts.length === 0) {
    return null;
  }
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger asChild>
        <Button tone="quiet" className="h-6 px-1.5">
          <Plus size={12} aria-hidden />
          Limit
        </Button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          sideOffset={4}
          align="end"
          className="z-50 min-w-40 rounded-card border border-line bg-white py-1 shadow-lg"
        >
          {parts.map((part) => (
            <DropdownMenu.Item
              key={part.key}
              onSelect={() => onAdd(part)}
              className="cursor-pointer px-3 py-1.5 outline-none data-[highlighted]:bg-bone"
            >
              {part.addedAs}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
