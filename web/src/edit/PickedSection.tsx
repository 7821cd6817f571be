import type { EditedShape } from "@hindglance/contract/edits";
import type { ChangeMap } from "../api/types";
import { Section } from "../frame/Section";
import { areaSaid, number } from "../lib/format";
import { Button } from "../ui/Button";
import { Pick } from "../ui/Pick";
import { classesOf } from "./MakeSection";
import type { Doing, Editing } from "./useEditing";

interface Props {
  map: ChangeMap;
  editing: Editing;
}

/** What can be done to the patches that are picked. */
export function PickedSection({ map, editing }: Props) {
  const { picked, isGone } = editing;
  if (isGone) {
    return (
      <Section title="Picked patch">
        <p className="text-soft">
          Edits left nothing of patch {number(picked[0]!)}: undo, or an earlier state of the
          history, brings it back.
        </p>
      </Section>
    );
  }
  return (
    <Section title={picked.length > 1 ? `${picked.length} picked patches` : "Picked patch"}>
      {picked.length === 0 ? (
        <p className="text-soft">
          Click a patch on the map; with Shift several. E in Patches brings the one that is picked
          there.
        </p>
      ) : (
        <Picked map={map} editing={editing} />
      )}
    </Section>
  );
}

/** The class that patches have; null where they are of several, or not known. */
function commonLabel(shapes: readonly (EditedShape | null)[]): number | null {
  const labels = new Set(shapes.map((shape) => shape?.label ?? null));
  return labels.size === 1 ? [...labels][0]! : null;
}

function Picked({ map, editing }: Props) {
  const { picked, doing, begin, act, outlines, whole, isHeld } = editing;
  const shapes = picked.map((one) => outlines.find(one));
  const only = picked.length === 1 ? (whole ?? shapes[0] ?? null) : null;
  const label = only?.label ?? commonLabel(shapes);
  const toggle = (wanted: Doing) => ({
    disabled: isHeld || picked.length !== 1,
    "aria-pressed": doing === wanted,
    className: doing === wanted ? "border-spruce" : undefined,
    onClick: () => begin(doing === wanted ? null : wanted),
  });
  return (
    <div className="space-y-2">
      <div className="flex items-center gap-2">
        <span
          className="min-w-0 flex-1 truncate text-soft"
          data-testid="picked-edit"
          title={whole ? `${number(cornersOf(whole.polygons))} corners` : undefined}
        >
          {sizeText(only ? [only] : shapes)}
        </span>
        <Pick
          label="Class of the picked patch"
          className="w-[132px]"
          value={label === null ? "" : String(label)}
          placeholder="several"
          disabled={isHeld}
          onChange={(next) => act({ kind: "relabel", numbers: picked, label: Number(next) })}
          options={classesOf(map)}
        />
      </div>
      <div className="flex flex-wrap gap-2">
        <Button {...toggle("reshape")} title="Key S">
          Reshape
        </Button>
        <Button {...toggle("cut")} title="Key C">
          Cut
        </Button>
        <Button
          disabled={isHeld || picked.length < 2}
          title="Key M. The first one that was picked gives the class"
          onClick={() => act({ kind: "merge", numbers: picked })}
        >
          Merge
        </Button>
        <Button
          title="Key Delete"
          disabled={isHeld || doing === "reshape"}
          onClick={() => act({ kind: "remove", numbers: picked })}
        >
          Delete
        </Button>
      </div>
    </div>
  );
}

/** How large patches are together; nothing where one of them is not in view. */
function sizeText(shapes: readonly (Pick<EditedShape, "areaM2" | "cells"> | null)[]): string {
  const known = shapes.filter((shape) => shape !== null);
  const sum = (of: "areaM2" | "cells") => known.reduce((total, shape) => total + shape[of], 0);
  return known.length === shapes.length
    ? `${areaSaid(sum("areaM2"))} · ${number(sum("cells"))} cells`
    : "";
}

const cornersOf = (polygons: readonly (readonly unknown[][])[]): number =>
  polygons.flat().reduce((sum, ring) => sum + ring.length - 1, 0);
