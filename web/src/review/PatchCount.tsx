import { sayError } from "../api/client";
import type { ChangeMap } from "../api/types";
import { areaSaid, number } from "../lib/format";
import { type PatchQuery, usePatchCount } from "./patches";

/** How many patches are listed, and how much area they are. */
export function PatchCount({ map, ask }: { map: ChangeMap; ask: PatchQuery }) {
  const { error, data } = usePatchCount(map, ask);
  return (
    <p className="px-4 py-1.5 text-label text-soft" role="status">
      {error && sayError(error)}
      {!error && !data && "Counting …"}
      {!error && data && (
        <>
          <b className="font-semibold text-ink">{number(data.count)}</b>{" "}
          {data.count === 1 ? "patch" : "patches"}
          {data.count === map.patchCount ? "" : ` of ${number(map.patchCount)}`},{" "}
          {areaSaid(data.areaM2)}
        </>
      )}
    </p>
  );
}
