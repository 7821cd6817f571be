import { useSearchParams } from "react-router";
import { Choice } from "../ui/Choice";

const COUNTED = [
  { value: "map", name: "Change map" },
  { value: "cover", name: "From–to", hint: "What became of what between two classified dates" },
  { value: "exposure", name: "Exposure", hint: "Who and what lies under the classes" },
  { value: "dates", name: "Every date" },
] as const;
/** What a tally is of. */
export type Counted = (typeof COUNTED)[number]["value"];

/** What the address says is counted: a change map where it says nothing. */
export const countedIn = (search: URLSearchParams): Counted =>
  COUNTED.find(({ value }) => value === search.get("of"))?.value ?? "map";

/** What is counted: a change map, what lies under it, two classified dates, or every date by itself. */
export function CountOf() {
  const [search, set] = useSearchParams();
  return (
    <Choice<Counted>
      label="What is counted"
      className="w-full [&>button]:px-1.5!"
      value={countedIn(search)}
      onChange={(value) =>
        set(
          (params) => {
            if (value === "map") {
              params.delete("of");
            } else {
              params.set("of", value);
            }
            return params;
          },
          { replace: true },
        )
      }
      options={[...COUNTED]}
    />
  );
}
