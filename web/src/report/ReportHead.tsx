import type { ReactNode } from "react";
import { useSearchParams } from "react-router";
import { Choice } from "../ui/Choice";

const ROOMS = [
  { value: "files", name: "Files", hint: "Files of a change map" },
  { value: "sheet", name: "Sheet", hint: "The map as it is printed, and slides" },
  { value: "images", name: "Images", hint: "Dates and statistics in a system of your own" },
  { value: "recipes", name: "Recipes", hint: "Maps made without anybody at the screen" },
  { value: "services", name: "Services", hint: "Results read live by map programs" },
  { value: "ledger", name: "Ledger", hint: "All that was done in this study" },
] as const;
/** A room of Report. */
export type Room = (typeof ROOMS)[number]["value"];

/** The room that the address names: files where it names none. */
export const roomIn = (search: URLSearchParams): Room =>
  ROOMS.find(({ value }) => value === search.get("of"))?.value ?? "files";

interface Props {
  /** What is handed over: a study, or a map of it. */
  title: string;
  above: string;
  children?: ReactNode;
}

/** What is handed over, and the rooms in which that is done. */
export function ReportHead({ title, above, children }: Props) {
  const [search, set] = useSearchParams();
  return (
    <div className="space-y-3">
      <Choice<Room>
        label="Rooms of Report"
        value={roomIn(search)}
        onChange={(value) =>
          set(
            (params) => {
              if (value === "files") {
                params.delete("of");
              } else {
                params.set("of", value);
              }
              return params;
            },
            { replace: true },
          )
        }
        options={[...ROOMS]}
      />
      <div className="flex items-end justify-between gap-4">
        <div className="min-w-0">
          <p className="text-soft">{above}</p>
          <h1 className="truncate text-figure font-bold" title={title}>
            {title}
          </h1>
        </div>
        {children && <div className="w-[340px] shrink-0">{children}</div>}
      </div>
    </div>
  );
}
