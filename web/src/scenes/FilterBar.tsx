import { Filter } from "lucide-react";
import type { Scene } from "../api/types";
import { Button } from "../ui/Button";
import { Labelled, inputStyle } from "../ui/Labelled";
import { Pick } from "../ui/Pick";
import { Pop } from "../ui/Pop";
import { NO_FILTER, type SceneFilter, choices } from "./filters";

const NAMES = { kind: "Kind", pass: "Pass", polarisation: "Polarisation", mode: "Mode" } as const;

/** Narrows the list of scenes; says how many are left out. */
export function FilterBar({
  scenes,
  filter,
  shown,
  onFilter,
}: {
  scenes: Scene[];
  filter: SceneFilter;
  shown: number;
  onFilter(sceneFilter: SceneFilter): void;
}) {
  const c = choices(scenes);
  const set = Object.values(filter).some(Boolean);
  return (
    <div className="mb-2 flex items-center justify-between gap-2 text-label text-soft">
      <span aria-live="polite">{set ? `${shown} of ${scenes.length} shown` : ""}</span>
      <span className="flex gap-1">
        {set && (
          <Button tone="quiet" className="h-6 px-2" onClick={() => onFilter(NO_FILTER)}>
            Show all
          </Button>
        )}
        <Pop
          label="Filter scenes"
          trigger={
            <Button tone="quiet" className="h-6 px-2">
              <Filter size={13} aria-hidden />
              Filter
            </Button>
          }
        >
          {(["kind", "pass", "polarisation", "mode"] as const)
            .filter((k) => c[k].length > 0)
            .map((k) => (
              <Labelled key={k} label={NAMES[k]}>
                {(id) => (
                  <Pick
                    id={id}
                    label={NAMES[k]}
                    value={filter[k] ?? "any"}
                    onChange={(value) =>
                      onFilter({ ...filter, [k]: value === "any" ? null : value })
                    }
                    options={[
                      { value: "any", name: "Any" },
                      ...c[k].map((value) => ({ value, name: value })),
                    ]}
                  />
                )}
              </Labelled>
            ))}
          <div className="grid grid-cols-2 gap-2">
            {(["from", "to"] as const).map((k) => (
              <Labelled key={k} label={k === "from" ? "From" : "To"}>
                {(id) => (
                  <input
                    id={id}
                    type="date"
                    className={inputStyle}
                    value={filter[k] ?? ""}
                    onChange={(e) => onFilter({ ...filter, [k]: e.target.value || null })}
                  />
                )}
              </Labelled>
            ))}
          </div>
        </Pop>
      </span>
    </div>
  );
}
