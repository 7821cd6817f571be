import { useState } from "react";
import { number } from "../lib/format";
import { Labelled } from "../ui/Labelled";
import { Pick } from "../ui/Pick";
import type { Question } from "./Ask";
import { importScene } from "./uploads";

const metres = (cellM: number): string => `${number(cellM, cellM < 1 ? 5 : 0)} m`;

/** Asks which cells an optical scene takes, and what becomes of bands of other cells. */
export function AskStack({ studyId, upload, detail, onAnswer, buttons }: Question) {
  const groups = detail.groups ?? [];
  const [cell, setCell] = useState("");
  const [bring, setBring] = useState<"leave" | "bring">("leave");
  const own = groups.find((group) => String(group.cellM) === cell);
  const others = new Set(
    groups.flatMap((group) => group.bands).filter((band) => !own?.bands.includes(band)),
  );
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        onAnswer(() =>
          importScene(studyId, upload.id, {
            kind: "optical",
            cellM: Number(cell),
            ...(bring === "bring" ? { bring: true } : {}),
          }),
        );
      }}
    >
      <Labelled
        label="Its bands have different cells. Which are to be taken?"
        hint="Bands of different cells are never mixed in silence."
      >
        {(id) => (
          <Pick
            id={id}
            label="Cell size"
            value={cell}
            onChange={setCell}
            options={groups.map((group) => ({
              value: String(group.cellM),
              name: metres(group.cellM),
              note: group.bands.join(", "),
            }))}
          />
        )}
      </Labelled>
      {own && others.size > 0 && (
        <Labelled
          label={`And ${[...others].join(", ")}?`}
          hint="Coarser cells are repeated, finer ones averaged; what was brought is noted with the scene."
        >
          {(id) => (
            <Pick
              id={id}
              label="Other bands"
              value={bring}
              onChange={(next: "leave" | "bring") => setBring(next)}
              options={[
                { value: "leave", name: "Leave them out" },
                { value: "bring", name: `Bring them to ${metres(own.cellM)}` },
              ]}
            />
          )}
        </Labelled>
      )}
      {buttons(!!own)}
    </form>
  );
}
