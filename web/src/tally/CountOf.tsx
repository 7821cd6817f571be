import { useSearchParams } from "react-router";
import { Choice } from "../ui/Choice";

/** What is counted: a change map, or every date by itself. */
export function CountOf() {
  const [search, set] = useSearchParams();
  return (
    <Choice
      label="What is counted"
      className="w-full"
      value={search.get("of") === "dates" ? "dates" : "map"}
      onChange={(value) =>
        set(
          (params) => {
            if (value === "dates") {
              params.set("of", "dates");
            } else {
              params.delete("of");
            }
            return params;
          },
          { replace: true },
        )
      }
      options={[
        { value: "map", name: "Change map" },
        { value: "dates", name: "Every date" },
      ]}
    />
  );
}
