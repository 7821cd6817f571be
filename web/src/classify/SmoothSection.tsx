import { useQuery } from "@tanstack/react-query";
import { classifyRoutes } from "@hindglance/contract/classify";
import { MOST_COVER } from "@hindglance/core/cover/coverClass";
import type { Smoothing } from "@hindglance/core/classify/settings";
import type { NodeView } from "../api/types";
import { call } from "../api/call";
import { sayError } from "../api/client";
import { Section } from "../frame/Section";
import { HeadRow } from "../ui/HeadRow";
import { number } from "../lib/format";
import { Choice } from "../ui/Choice";
import { Problem } from "../ui/Messages";
import { NumberField } from "../ui/NumberField";
import { Pick } from "../ui/Pick";
import type { Classify } from "./useClassify";
import type { GroupsOnScreen } from "./useGroups";
import type { TrainingOnScreen } from "./useTraining";

const OFF: Smoothing = { majorityCells: null, minPatchCells: null, neighbours: 8 };
const WINDOWS = [3, 5, 7, 9];

/** Smoothing that does something; null where it does nothing. */
const orNull = (smoothing: Smoothing): Smoothing | null =>
  smoothing.majorityCells === null && smoothing.minPatchCells === null && !smoothing.holeCells
    ? null
    : smoothing;

interface Props {
  studyId: string;
  sceneId: string | null;
  classify: Classify;
  training: TrainingOnScreen;
  groups: GroupsOnScreen;
}

/** How lone cells are cleaned, and what that changes. */
export function SmoothSection({ studyId, sceneId, classify, training, groups }: Props) {
  const { settings, change } = classify;
  const smoothed = (groups.data ?? training.data)?.smoothed;
  const smooth = settings.smooth ?? OFF;
  const set = (part: Partial<Smoothing>) =>
    change((old) => ({ ...old, smooth: orNull({ ...(old.smooth ?? OFF), ...part }) }));
  return (
    <Section title="Smooth">
      <div className="flex items-center justify-between gap-2">
        <span className="text-soft">Most frequent class of</span>
        <Pick
          label="Window"
          className="w-[120px]"
          value={String(smooth.majorityCells ?? 0)}
          onChange={(cells) => set({ majorityCells: Number(cells) || null })}
          options={[
            { value: "0", name: "no window" },
            ...WINDOWS.map((cells) => ({
              value: String(cells),
              name: `${cells} × ${cells} cells`,
            })),
          ]}
        />
      </div>
      {smooth.majorityCells !== null && training.data?.probabilities && (
        <Weighted smooth={smooth} set={set} />
      )}
      <div className="mt-2 flex items-center justify-between gap-2">
        <span className="text-soft">Least patch</span>
        <span className="flex items-center gap-2">
          <NumberField
            label="Least patch, cells"
            value={smooth.minPatchCells ?? 1}
            min={1}
            max={1_000_000}
            step={1}
            decimals={0}
            unit="cells"
            onCommit={(cells) => set({ minPatchCells: cells > 1 ? cells : null })}
          />
          <Choice
            label="Neighbours"
            value={smooth.neighbours === 4 ? "4" : "8"}
            onChange={(value) => set({ neighbours: value === "4" ? 4 : 8 })}
            options={[
              { value: "4", name: "4", hint: "Cells that share an edge are one patch" },
              { value: "8", name: "8", hint: "So are those that touch at a corner" },
            ]}
          />
        </span>
      </div>
      {(settings.reject !== null || !!smooth.holeCells) && <Holes smooth={smooth} set={set} />}
      {smoothed && sceneId && (
        <Outcome {...{ studyId, sceneId }} changes={smoothed.changes} legend={settings.legend} />
      )}
    </Section>
  );
}

interface OutcomeProps extends Omit<ChangedProps, "changes"> {
  /** The map of what changes; null: there are too many classes for one. */
  changes: NodeView | null;
}

/** What smoothing changes, as far as that is counted. */
const Outcome = ({ changes, ...of }: OutcomeProps) =>
  changes ? (
    <Changed {...of} changes={changes.hash} />
  ) : (
    <p className="mt-2 text-soft">
      What changes is counted for up to {MOST_COVER} classes. The smoothed map is there.
    </p>
  );

interface FieldProps {
  smooth: Smoothing;
  set(part: Partial<Smoothing>): void;
}

/** Whether cells of a window count by their probabilities. */
const Weighted = ({ smooth, set }: FieldProps) => (
  <label
    className="mt-1.5 flex items-center gap-2 text-soft"
    title="Cells that are hardly one class count less"
  >
    <input
      type="checkbox"
      checked={!!smooth.weighted}
      onChange={() => set({ weighted: !smooth.weighted })}
    />
    Cells count by how likely each class is
  </label>
);

/** How large ground of no class may be that is filled by what encloses it. */
const Holes = ({ smooth, set }: FieldProps) => (
  <div className="mt-2 flex items-center justify-between gap-2">
    <span className="text-soft">Fill ground of no class, up to</span>
    <NumberField
      label="Largest hole, cells"
      value={smooth.holeCells ?? 0}
      min={0}
      max={1_000_000}
      step={1}
      decimals={0}
      unit="cells"
      onCommit={(cells) => set({ holeCells: cells > 0 ? cells : null })}
    />
  </div>
);

interface ChangedProps {
  studyId: string;
  sceneId: string;
  /** Identity of the map of what changes. */
  changes: string;
  legend: Classify["settings"]["legend"];
}

/** Cells that smoothing changes, by class. */
function Changed({ studyId, sceneId, changes, legend }: ChangedProps) {
  const { data, error } = useQuery({
    queryKey: ["smoothing", studyId, sceneId, changes],
    queryFn: ({ signal }) =>
      call(classifyRoutes.smoothing, { params: { id: studyId }, body: { sceneId } }, signal),
    staleTime: Infinity,
    retry: false,
  });
  if (error) {
    return <Problem>{sayError(error)}</Problem>;
  }
  if (!data) {
    return (
      <p role="status" className="mt-2 text-soft">
        Counting …
      </p>
    );
  }
  return (
    <>
      <p className="mt-2 text-soft">
        {number(data.changed)} cells change, {number((100 * data.changed) / data.cells, 1)} % of{" "}
        {data.sampled ? "a sample" : "the date"}.
        {data.filled > 0 && ` ${number(data.filled)} of them had no class.`}
        {data.emptied > 0 && ` ${number(data.emptied)} of them have none after.`}
      </p>
      <table className="mt-1 w-full text-label">
        <HeadRow names={["class", "cells lost", "gained"]} />
        <tbody>
          {data.classes.map(({ label, lost, gained }) => (
            <tr key={label}>
              <th scope="row" className="text-left font-medium">
                {legend.find((one) => one.label === label)?.name}
              </th>
              <td className="text-right font-mono">{number(lost)}</td>
              <td className="text-right font-mono">{number(gained)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
