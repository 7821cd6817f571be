import type { DateGroups } from "@hindglance/contract/classify";
import { STACK, type Unsupervised } from "@hindglance/core/classify/unsupervised";
import { sayError } from "../api/client";
import { SplitAndMerge } from "../compare/groups/SplitAndMerge";
import { Section } from "../frame/Section";
import { number } from "../lib/format";
import { Choice } from "../ui/Choice";
import { Problem } from "../ui/Messages";
import { NumberField } from "../ui/NumberField";
import { Pick } from "../ui/Pick";
import { newClass, withClass } from "@hindglance/core/classify/legend";
import { givenTo, grouping } from "./changes";
import type { Classify } from "./useClassify";
import type { GroupsOnScreen } from "./useGroups";

const NO_CLASS = "0";
const NEW_CLASS = "new";

interface Props {
  classify: Classify;
  sceneId: string | null;
  groups: GroupsOnScreen;
  unsupervised: Unsupervised;
}

/** Groups of like cells: how they are found, how large they are, and which class each is. */
export function GroupsSection({ classify, sceneId, groups, unsupervised }: Props) {
  const { change } = classify;
  const { of, params } = unsupervised;
  const key = of === STACK ? STACK : (sceneId ?? "");
  const set = (part: Partial<Unsupervised["params"]>) =>
    change(grouping({ params: { ...params, ...part } }));
  return (
    <Section title="Groups">
      <div className="mb-2 flex flex-wrap items-center justify-between gap-2">
        <Choice
          label="Groups of"
          className="text-[12px]"
          value={of}
          onChange={(next) => change(grouping({ of: next }))}
          options={[
            { value: "date", name: "each date" },
            { value: STACK, name: "all dates", hint: "Like cells through all dates" },
          ]}
        />
        <Choice
          label="Method of grouping"
          className="text-[12px]"
          value={params.method}
          onChange={(method) => set({ method })}
          options={[
            { value: "kMeans", name: "k-means" },
            { value: "isodata", name: "ISODATA" },
          ]}
        />
        <NumberField
          label="Number of groups"
          value={params.groups}
          min={2}
          max={24}
          step={1}
          decimals={0}
          unit="groups"
          onCommit={(count) => set({ groups: count })}
        />
      </div>
      {params.method === "isodata" && <SplitAndMerge params={params} regroup={set} />}
      {groups.error && <Problem>{sayError(groups.error)}</Problem>}
      {!groups.error && !groups.data && <p className="text-soft">Grouping cells …</p>}
      {groups.data && (
        <GroupRows
          classify={classify}
          data={groups.data}
          given={unsupervised.given[key] ?? {}}
          groupKey={key}
        />
      )}
    </Section>
  );
}

interface RowsProps {
  classify: Classify;
  data: DateGroups;
  given: Readonly<Record<string, number>>;
  groupKey: string;
}

/** Every group with its share and the class that it is given to. */
function GroupRows({ classify, data, given, groupKey }: RowsProps) {
  const { settings, change } = classify;
  const give = (group: number, value: string) => {
    if (value !== NEW_CLASS) {
      change(givenTo(groupKey, group, Number(value)));
      return;
    }
    change((old) => {
      const made = newClass(old.legend);
      return givenTo(groupKey, group, made.label)(withClass(made)(old));
    });
  };
  return (
    <ul aria-label="Groups found">
      {data.found.map(({ group, color, share, means }) => (
        <li
          key={group}
          className="flex items-center justify-between gap-2 border-t border-line py-1 first:border-t-0"
        >
          <span
            className="flex items-center gap-2"
            title={data.inputs.map((name, k) => `${name} ${number(means[k] ?? NaN, 3)}`).join(", ")}
          >
            <span aria-hidden className="h-3 w-3 rounded-[3px]" style={{ background: color }} />
            <b className="font-semibold">{group}</b>
            <span className="font-mono text-[11.5px]">{number(100 * share, 1)} %</span>
          </span>
          <Pick
            label={`Class of group ${group}`}
            className="h-7 w-[150px]"
            value={String(given[group] ?? NO_CLASS)}
            onChange={(value) => give(group, value)}
            options={[
              { value: NO_CLASS, name: "no class" },
              ...settings.legend.map(({ label, name }) => ({ value: String(label), name })),
              { value: NEW_CLASS, name: "New class …" },
            ]}
          />
        </li>
      ))}
    </ul>
  );
}
