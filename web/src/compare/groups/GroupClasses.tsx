import { type ReactNode, useState } from "react";
import { Plus, X } from "lucide-react";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import { plainName } from "@hindglance/core/change/twinNames";
import type { GroupClass } from "@hindglance/core/graph/steps/groups";
import { Button } from "../../ui/Button";
import { inputStyle } from "../../ui/Labelled";
import { Pop } from "../../ui/Pop";
import { ClassArea } from "../ClassArea";
import { ColourChoice } from "../ColourChoice";
import { MOST_CLASSES } from "../rules/changes";
import { changedClass, withClass, withoutClass } from "./grouping";

interface Props {
  head: ReactNode;
  classes: GroupClass[];
  areas: Record<number, { areaM2: number }> | null;
  exact: boolean;
  change(apply: (setup: ChangeSetup) => ChangeSetup): void;
}

/** Classes that groups were given to. */
export function GroupClasses({ head, classes, areas, exact, change }: Props) {
  return (
    <section aria-label="Classes on the map" className="border-b border-line px-4 py-2">
      <div className="mb-0.5 flex items-center justify-between">
        {head}
        <Button
          tone="quiet"
          className="h-6 px-1.5"
          disabled={classes.length >= MOST_CLASSES}
          onClick={() => change(withClass)}
        >
          <Plus size={13} aria-hidden />
          Class
        </Button>
      </div>
      <ul>
        {classes.map((one) => (
          <li
            key={one.label}
            className="flex flex-wrap items-center gap-2 border-t border-line py-1.5 first:border-t-0"
          >
            <Colour one={one} change={change} />
            <NameField
              key={one.name}
              one={one}
              taken={classes.filter((other) => other !== one).map(({ name }) => plainName(name))}
              onName={(name) => change(changedClass(one.label, { name }))}
            />
            <span className="w-[74px] text-right text-label text-soft">{groupsText(one)}</span>
            <ClassArea
              name={one.name}
              label={one.label}
              areas={areas}
              exact={exact}
              className="w-[80px] text-right"
            />
            <button
              type="button"
              aria-label={`Delete class ${one.name}`}
              disabled={classes.length === 1}
              onClick={() => change(withoutClass(one.label))}
              className="text-soft disabled:opacity-30"
            >
              <X size={14} aria-hidden />
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}

function groupsText({ groups }: GroupClass): string {
  if (groups.length === 0) {
    return "no group";
  }
  return `${groups.length > 1 ? "groups" : "group"} ${groups.join(", ")}`;
}

function Colour({ one, change }: { one: GroupClass; change: Props["change"] }) {
  return (
    <Pop
      label={`Colour of ${one.name}`}
      width={250}
      trigger={
        <button
          type="button"
          aria-label={`Colour of ${one.name}`}
          className="h-3.5 w-3.5 shrink-0 rounded-[3px]"
          style={{ background: one.color }}
        />
      }
    >
      <ColourChoice
        value={one.color}
        onChange={(color) => change(changedClass(one.label, { color }))}
      />
    </Pop>
  );
}

interface NameProps {
  one: GroupClass;
  /** Names of the other classes, as they are compared. */
  taken: string[];
  onName(name: string): void;
}

/** The name of a class, which no other class may have. */
function NameField({ one, taken, onName }: NameProps) {
  const [typed, setTyped] = useState(one.name);
  const isTwin = taken.includes(plainName(typed));
  const keep = () => {
    const name = typed.trim();
    if (!name || isTwin) {
      setTyped(one.name);
    } else if (name !== one.name) {
      onName(name);
    }
  };
  return (
    <>
      <input
        aria-label={`Name of class ${one.label}`}
        aria-invalid={isTwin}
        className={`${inputStyle} h-7 min-w-0 flex-1`}
        maxLength={60}
        value={typed}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={keep}
        onKeyDown={(event) => {
          if (event.key === "Enter") {
            event.currentTarget.blur();
          }
        }}
      />
      {isTwin && (
        <p role="alert" className="order-last w-full text-label text-wrong">
          Another class has this name already: the tally could not tell them apart.
        </p>
      )}
    </>
  );
}
