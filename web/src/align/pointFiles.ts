import type { ControlPoint } from "@hindglance/core/align/alignment";

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

/**
 * Reads points from a table or from GeoJSON as they are written here. Columns may stand in any
 * order; commas or semicolons part them.
 * @param toMap longitude and latitude to map coordinates, for GeoJSON that gives no map coordinates
 * of its own
 * @throws PointFileError naming the line or point
 */
export function readPoints(
  text: string,
  name: string,
  toMap: (lonLat: [number, number]) => [number, number],
): Omit<ControlPoint, "id">[] {
  const body = text.replace(/^\uFEFF/, "").trim();
  if (/^[{[]/.test(body)) {
    let json: {
      type?: string;
      features?: {
        geometry?: { type?: string; coordinates?: unknown[] };
        properties?: Record<string, unknown>;
      }[];
    };
    try {
      json = JSON.parse(body) as typeof json;
    } catch {
      throw new PointFileError(`${name} is not valid JSON`);
    }
    if (json.type !== "FeatureCollection" || !Array.isArray(json.features)) {
      throw new PointFileError(`${name} is no FeatureCollection of points`);
    }
    return json.features.map((feature, k) => {
      const where = `${name}, point ${k + 1}`;
      const part = feature.properties ?? {};
      const coordinates = feature.geometry?.coordinates;
      if (feature.geometry?.type !== "Point" || !Array.isArray(coordinates)) {
        throw new PointFileError(`${where} is no point`);
      }
      const own = part.map_x !== undefined && part.map_y !== undefined;
      return {
        name: String(part.name ?? k + 1).slice(0, 60),
        from: [number(part.scene_x, where, "scene_x"), number(part.scene_y, where, "scene_y")],
        to: own
          ? [number(part.map_x, where, "map_x"), number(part.map_y, where, "map_y")]
          : toMap([
              number(coordinates[0], where, "longitude"),
              number(coordinates[1], where, "latitude"),
            ]),
        on: part.used !== false,
      };
    });
  }
  const lines = body.split(/\r?\n/);
  const sep = lines[0]!.split(";").length > lines[0]!.split(",").length ? ";" : ",";
  const head = fields(lines[0]!, sep).map((h) => h.toLowerCase());
  const lack = COLUMNS.slice(1, 5).find((c) => !head.includes(c));
  if (lack) {
    throw new PointFileError(
      `${name} has no column ${lack}; its first line should name ${COLUMNS.join(", ")}`,
    );
  }
  const at = (row: string[], c: (typeof COLUMNS)[number]) => row[head.indexOf(c)];
  return lines.slice(1).flatMap((line, k) => {
    if (!line.trim()) {
      return [];
    }
    const row = fields(line, sep);
    const where = `${name}, line ${k + 2}`;
    const n = (c: (typeof COLUMNS)[number]) => number(at(row, c), where, c);
    return [
      {
        name: (at(row, "name") ?? String(k + 1)).slice(0, 60),
        from: [n("scene_x"), n("scene_y")] as [number, number],
        to: [n("map_x"), n("map_y")] as [number, number],
        on: !/^(no|false|0)$/i.test(at(row, "used") ?? "yes"),
      },
    ];
  });
}
