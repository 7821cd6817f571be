import { useRef } from "react";
import type { AreaGeometry } from "@hindglance/contract/studies";
import { vectorRoutes } from "@hindglance/contract/vectors";
import { callWith } from "../api/call";
import { sayError } from "../api/client";
import { Button } from "../ui/Button";

/** A study area, and the name of the file that it came from. */
export interface NamedArea {
  name: string;
  geometry: AreaGeometry;
}

interface Props {
  area: NamedArea | null;
  onArea(area: NamedArea | null): void;
  /** Is told why a file cannot be taken. */
  onProblem(problem: string): void;
}

/** Files of polygons; of a Shapefile its zip. */
const ACCEPTED = ".json,.geojson,.zip,.kml,.kmz,.gpkg,.fgb,.csv";

const areaOf = (file: File): Promise<AreaGeometry> =>
  callWith(vectorRoutes.area, { query: { name: file.name } }, file);

/** The study area of a study: a file of polygons that is dropped or chosen. */
export function AreaField({ area, onArea, onProblem }: Props) {
  const input = useRef<HTMLInputElement>(null);
  const take = async (file: File | undefined) => {
    if (!file) {
      return;
    }
    try {
      onArea({ name: file.name, geometry: await areaOf(file) });
    } catch (error) {
      onProblem(sayError(error));
    }
  };
  return (
    <div
      className="mb-4"
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        void take(event.dataTransfer.files[0]);
      }}
    >
      <span className="mb-1 block font-medium">Study area</span>
      <div className="flex items-center justify-between gap-3 rounded-field border border-dashed border-[#b9b2a0] bg-white px-3 py-2.5">
        <span className="text-soft">
          {area ? area.name : "Drop a file of polygons here, or draw it later on the map."}
        </span>
        <span className="flex gap-1.5">
          {area && <Button onClick={() => onArea(null)}>Leave out</Button>}
          <Button onClick={() => input.current?.click()}>Choose file</Button>
        </span>
        <input
          ref={input}
          type="file"
          accept={ACCEPTED}
          hidden
          onChange={(event) => {
            void take(event.target.files?.[0]);
            event.target.value = "";
          }}
        />
      </div>
    </div>
  );
}
