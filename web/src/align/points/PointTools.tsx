import { uuid } from "../../lib/uuid";
import { Download, Upload } from "lucide-react";
import type { ControlPoint } from "@hindglance/core/align/alignment";
import { type Crs, LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { FEATURE_FILES, featureText } from "../../api/featureFile";
import { ApiError, sayError } from "../../api/client";
import { saveText } from "../../lib/save";
import { useUi } from "../../state/ui";
import { Button } from "../../ui/Button";
import { FileButton } from "../../ui/FileButton";
import { PointFileError, pointsToCsv, pointsToGeoJson, readPoints } from "./pointFiles";

interface Props {
  points: ControlPoint[];
  /** Coordinate system of the map. */
  crs: Crs;
  onPoints(points: ControlPoint[]): void;
}

const counted = (n: number): string => (n === 1 ? "1 point was" : `${n} points were`);

/** Files that are texts of points; others are read as features first, by the server. */
const IS_TEXT = /\.(csv|txt|json|geojson)$/i;
const ACCEPTED = `.csv,.txt,${FEATURE_FILES}`;

/**
 * Takes points out of a file. They take the place of what was there: opening a file twice changes
 * nothing.
 */
async function takeFrom(file: File, { points, crs, onPoints }: Props): Promise<void> {
  const { say } = useUi.getState();
  try {
    const read = readPoints(await featureText(file, IS_TEXT), file.name, (at) =>
      transformer(LONLAT, crs)(...at),
    );
    onPoints(read.map((point) => ({ ...point, id: uuid() })));
    const gone = points.length
      ? ` They replace the ${points.length} that were there; undo brings those back.`
      : "";
    say(`${counted(read.length)} taken from ${file.name}.${gone}`);
  } catch (error) {
    const isTold = error instanceof PointFileError || error instanceof ApiError;
    say(isTold ? sayError(error) : `${file.name} cannot be read`, "wrong");
  }
}

/** Points in and out as files. */
export function PointTools(props: Props) {
  const { points, crs } = props;
  const saveGeoJson = () => {
    const text = pointsToGeoJson(points, (at) => transformer(crs, LONLAT)(...at));
    saveText("control-points.geojson", text, "application/geo+json");
  };
  return (
    <div className="mb-1 flex items-center justify-between">
      <span className="text-label text-soft">
        {points.length} {points.length === 1 ? "point" : "points"}
      </span>
      <span className="flex">
        <FileButton
          label="File of control points"
          accept={ACCEPTED}
          tone="quiet"
          className="h-6 px-1.5"
          title="Read points from CSV, GeoJSON or another file of features"
          onFile={(chosen) => void takeFrom(chosen, props)}
        >
          <Upload size={14} aria-hidden />
          Open
        </FileButton>
        <Button
          tone="quiet"
          className="h-6 px-1.5"
          disabled={!points.length}
          onClick={() => saveText("control-points.csv", pointsToCsv(points), "text/csv")}
        >
          <Download size={14} aria-hidden />
          CSV
        </Button>
        <Button tone="quiet" className="h-6 px-1.5" disabled={!points.length} onClick={saveGeoJson}>
          GeoJSON
        </Button>
      </span>
    </div>
  );
}
