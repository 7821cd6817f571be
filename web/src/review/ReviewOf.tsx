import { useSearchParams } from "react-router";
import { Choice } from "../ui/Choice";

const PARTS = [
  { value: "patches", name: "Patches", hint: "What the map found, patch by patch" },
  { value: "edits", name: "Edits", hint: "Outlines and classes of patches, put right by hand" },
  { value: "accuracy", name: "Accuracy", hint: "How right the map is, by a sample of places" },
] as const;
/** What of a map is reviewed. */
export type Reviewed = (typeof PARTS)[number]["value"];

/** What the address says is reviewed: patches where it says nothing. */
export const reviewedIn = (search: URLSearchParams): Reviewed =>
  PARTS.find(({ value }) => value === search.get("of"))?.value ?? "patches";

/** What of a map is reviewed: its patches, edits of them, or how right it is. */
export function ReviewOf() {
  const [search, set] = useSearchParams();
  const pick = (value: Reviewed) =>
    set(
      (params) => {
        if (value === "patches") {
          params.delete("of");
        } else {
          params.set("of", value);
        }
        return params;
      },
      { replace: true },
    );
  return (
    <Choice<Reviewed>
      label="What is reviewed"
      value={reviewedIn(search)}
      onChange={pick}
      options={[...PARTS]}
    />
  );
}
