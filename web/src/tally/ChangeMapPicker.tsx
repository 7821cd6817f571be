import { useSearchParams } from "react-router";
import { useChangeMaps } from "../api/hooks";
import type { ChangeMap } from "../api/types";
import { Pick } from "../ui/Pick";

/** The change map that the address names, else the newest. */
export function usePickedMap(studyId: string): {
  maps: ChangeMap[] | undefined;
  map: ChangeMap | null;
  pick(id: string): void;
} {
  const maps = useChangeMaps(studyId).data;
  const [search, setSearch] = useSearchParams();
  const map = maps?.find((changeMap) => changeMap.id === search.get("map")) ?? maps?.[0] ?? null;
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
