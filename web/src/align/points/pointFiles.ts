import type { ControlPoint } from "@hindglance/core/align/alignment";
import { isRecord } from "@hindglance/core/values";

const COLUMNS = ["name", "scene_x", "scene_y", "map_x", "map_y", "used"] as const;
const quoted = (s: string): string => (/[",\n]/.test(s) ? `"${s.replaceAll('"', '""')}"` : s);

/** Points as a table: coordinates of the scene and of the map, in the map's own units. */
export const pointsToCsv = (points: readonly ControlPoint[]): string =>
  [
    COLUMNS.join(","),
    ...points.map((point) =>
      [quoted(point.name), ...point.from, ...point.to, point.on ? "yes" : "no"].join(","),
    ),
  ].join("\r\n") + "\r\n";

/**
 * Points as GeoJSON in longitude and latitude, with the coordinates of the scene and of the map as
 * they are.
 */
export const pointsToGeoJson = (
  points: readonly ControlPoint[],
  lonLat: (at: [number, number]) => [number, number],
): string =>
  JSON.stringify(
    {
      type: "FeatureCollection",
      features: points.map((point) => ({
        type: "Feature",
        geometry: { type: "Point", coordinates: lonLat(point.to) },
        properties: {
          name: point.name,
          scene_x: point.from[0],
          scene_y: point.from[1],
          map_x: point.to[0],
          map_y: point.to[1],
          used: point.on,
        },
      })),
    },
    null,
    1,
  );

/** Fields of one line of a table, with quotes as spreadsheets write them. */
function fields(line: string, sep: string): string[] {
  const out: string[] = [];
  let text = "";
  let inside = false;
  for (let i = 0; i < line.length; i++) {
    const c = line[i]!;
    if (inside) {
      if (c === '"' && line[i + 1] === '"') {
        text += '"';
        i++;
      } else if (c === '"') {
        inside = false;
      } else {
        text += c;
      }
    } else if (c === '"') {
      inside = true;
    } else if (c === sep) {
      out.push(text);
      text = "";
    } else {
      text += c;
    }
  }
  return [...out, text].map((t) => t.trim());
}

/** Why a file of points cannot be taken, with the place in it. */
export class PointFileError extends Error {
  override name = "PointFileError";
}
const number = (value: unknown, where: string, what: string): number => {
  let n: number;
  if (typeof value === "string") {
    n = Number(value.replace("−", "-").replace(",", "."));
  } else if (typeof value === "number") {
    n = value;
  } else {
    n = NaN;
  }
  if (value === "" || !Number.isFinite(n)) {
    throw new PointFileError(`${where}: ${what} is "${String(value ?? "")}", which is no number`);
  }
  return n;
};

type ReadPoint = Omit<ControlPoint, "id">;
/** Longitude and latitude to map coordinates. */
type ToMap = (lonLat: [number, number]) => [number, number];

const recordOf = (value: unknown): Record<string, unknown> => (isRecord(value) ? value : {});

/** Most characters of a point's name. */
const NAME_LENGTH = 60;

function fromFeature(feature: unknown, where: string, k: number, toMap: ToMap): ReadPoint {
  const { geometry, properties } = recordOf(feature);
  const { type, coordinates } = recordOf(geometry);
  const said = recordOf(properties);
  if (type !== "Point" || !Array.isArray(coordinates)) {
    throw new PointFileError(`${where} is no point`);
  }
  const n = (value: unknown, what: string) => number(value, where, what);
  const onMap = said.map_x !== undefined && said.map_y !== undefined;
  return {
    name: String(said.name ?? k + 1).slice(0, NAME_LENGTH),
    from: [n(said.scene_x, "scene_x"), n(said.scene_y, "scene_y")],
    to: onMap
      ? [n(said.map_x, "map_x"), n(said.map_y, "map_y")]
      : toMap([n(coordinates[0], "longitude"), n(coordinates[1], "latitude")]),
    on: said.used !== false,
  };
}

function fromGeoJson(body: string, name: string, toMap: ToMap): ReadPoint[] {
  let json: unknown;
  try {
    json = JSON.parse(body);
  } catch {
    throw new PointFileError(`${name} is not valid JSON`);
  }
  const { type, features } = recordOf(json);
  if (type !== "FeatureCollection" || !Array.isArray(features)) {
    throw new PointFileError(`${name} is no FeatureCollection of points`);
  }
  return features.map((feature: unknown, k) =>
    fromFeature(feature, `${name}, point ${k + 1}`, k, toMap),
  );
}

type Column = (typeof COLUMNS)[number];

function fromTable(body: string, name: string): ReadPoint[] {
  const [first = "", ...lines] = body.split(/\r?\n/);
  const sep = first.split(";").length > first.split(",").length ? ";" : ",";
  const head = fields(first, sep).map((title) => title.toLowerCase());
  const lack = COLUMNS.slice(1, 5).find((column) => !head.includes(column));
  if (lack) {
    throw new PointFileError(
      `${name} has no column ${lack}; its first line should name ${COLUMNS.join(", ")}`,
    );
  }
  return lines.flatMap((line, k): ReadPoint[] => {
    if (!line.trim()) {
      return [];
    }
    const row = fields(line, sep);
    const cell = (column: Column) => row[head.indexOf(column)];
    const n = (column: Column) => number(cell(column), `${name}, line ${k + 2}`, column);
    return [
      {
        name: (cell("name") ?? String(k + 1)).slice(0, NAME_LENGTH),
        from: [n("scene_x"), n("scene_y")],
        to: [n("map_x"), n("map_y")],
        on: !/^(no|false|0)$/i.test(cell("used") ?? "yes"),
      },
    ];
  });
}

/**
 * Reads points from a table or from GeoJSON as they are written here. Columns may stand in any
 * order; commas or semicolons part them.
 * @param toMap longitude and latitude to map coordinates, for GeoJSON that gives no map coordinates
 * of its own
 * @throws PointFileError naming the line or point
 */
export function readPoints(text: string, name: string, toMap: ToMap): ReadPoint[] {
  const body = text.replace(/^\uFEFF/, "").trim();
  return /^[{[]/.test(body) ? fromGeoJson(body, name, toMap) : fromTable(body, name);
}
