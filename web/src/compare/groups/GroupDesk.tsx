import type { ReactNode } from "react";
import type { ChangeSetup, Grouping } from "@hindglance/core/change/setup";
import type { GroupFacts } from "../../api/types";
import { Choice } from "../../ui/Choice";
import { Problem } from "../../ui/Messages";
import { GroupClasses } from "./GroupClasses";
import { GroupList } from "./GroupList";
import { GroupingFields } from "./GroupingFields";

interface Props {
  /** How classes come about; classes or limits below. */
  head: ReactNode;
  lower: ReactNode;
  /** Whether the classes are asked for. */
  classes: boolean;
  grouping: Grouping;
  facts: GroupFacts | null;
  error: string | null;
  seenM2: number | null;
  areas: Record<number, { areaM2: number }> | null;
  exact: boolean;
  hidden: ReadonlySet<number>;
  setHidden(groups: ReadonlySet<number>): void;
  show: "groups" | "classes";
  setShow(value: "groups" | "classes"): void;
  change(apply: (setup: ChangeSetup) => ChangeSetup): void;
}

/**
 * Like cells in groups: how large each is, what it looks like on both dates, and which of them are
 * the change.
 */
export function GroupDesk(props: Props) {
  const { head, lower, grouping, facts, error, hidden, setHidden, show, setShow } = props;
  return (
    <>
      <section aria-label="Groups" className="border-b border-line px-4 py-2.5">
        <div className="mb-2 flex items-center justify-between gap-2">
          <Choice
            label="On the map"
            className="text-[12px]"
            value={show}
            onChange={setShow}
            options={[
              { value: "groups", name: "Show groups" },
              { value: "classes", name: "Classes" },
            ]}
          />
          {head}
        </div>
        <GroupingFields grouping={grouping} change={props.change} />
        {error && <Problem>{error}</Problem>}
        {!error && !facts && <p className="py-6 text-center text-soft">Grouping cells …</p>}
        {!error && facts && (
          <GroupList
            facts={facts}
            grouping={grouping}
            seenM2={props.seenM2}
            hidden={hidden}
            setHidden={(groups) => {
              setHidden(groups);
              setShow("groups");
            }}
            change={props.change}
          />
        )}
        {facts && <Note facts={facts} hidden={hidden} showAll={() => setHidden(new Set())} />}
      </section>
      {props.classes ? (
        <GroupClasses
          head={lower}
          classes={grouping.classes}
          areas={props.areas}
          exact={props.exact}
          change={props.change}
        />
      ) : (
        <div className="px-4 pt-2">{lower}</div>
      )}
    </>
  );
}

interface NoteProps {
  facts: GroupFacts;
  hidden: ReadonlySet<number>;
  showAll(): void;
}

const Note = ({ facts, hidden, showAll }: NoteProps) => (
  <p className="mt-1 text-label text-soft">
    Mean of each band, <span className="text-beforeink">before</span> and{" "}
    <span className="text-afterink">after</span>, in {facts.bands[0]?.unit || "their own numbers"};
    counted on an overview.
    {hidden.size > 0 && (
      <button type="button" className="ml-1 underline" onClick={showAll}>
        Show all
      </button>
    )}
  </p>
);
