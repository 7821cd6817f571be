import { useEffect } from "react";
import { useSearchParams } from "react-router";
import { useChangeMaps } from "../api/hooks";
import type { ChangeMap } from "../api/types";
import { useShownMap } from "../state/shownMap";
import { Pick } from "../ui/Pick";

/**
 * The change map that the address names, else the one that was shown last, else the newest. A map that is
 * written meanwhile does not take its place under people's hands.
 */
export function usePickedMap(studyId: string): {
  maps: ChangeMap[] | undefined;
  map: ChangeMap | null;
  pick(id: string): void;
} {
  const maps = useChangeMaps(studyId).data;
  const [search, setSearch] = useSearchParams();
  const { ids, show } = useShownMap();
  const find = (id: string | null | undefined) => maps?.find((changeMap) => changeMap.id === id);
  const map = find(search.get("map")) ?? find(ids[studyId]) ?? maps?.[0] ?? null;
  const shown = map?.id;
  useEffect(() => {
    if (shown) {
      show(studyId, shown);
    }
  }, [show, studyId, shown]);
  return {
    maps,
    map,
    pick: (id) =>
      setSearch(
        (params) => {
          params.set("map", id);
          return params;
        },
        { replace: true },
      ),
  };
}

/** Picks one of a study's change maps. */
export function ChangeMapPicker({
  maps,
  map,
  pick,
}: {
  maps: ChangeMap[];
  map: ChangeMap;
  pick(id: string): void;
}) {
  return (
    <Pick
      label="Change map"
      className="w-full"
      value={map.id}
      onChange={pick}
      options={maps.map((changeMap) => ({
        value: changeMap.id,
        name: changeMap.name,
        note: new Date(changeMap.createdAt).toISOString().slice(0, 16).replace("T", " "),
      }))}
    />
  );
}
