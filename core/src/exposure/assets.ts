import geodesic from "geographiclib-geodesic";
import { ontoGlobe, ontoGrid } from "../grid/globe";
import { type CellAreas } from "../grid/area";
import { BLOCK, type Grid, type Window, fullWindow, intersect, toCell, toMap } from "../grid/grid";
import { windowAround } from "../grid/union";
import { CLASS_NODATA } from "../raster/block";
import { type Coordinates, type Geometry, type Shape, partsOf } from "../vector/features";
import type { MultiPolygon, Position } from "../vector/polygons";
import { rasteriseSpans } from "../vector/rasterise";
import { piecesOf } from "./lines";

/** What stands in a window of a map. */
export interface GroundPart {
  labels: Uint8Array;
  /** The zone of each cell, 0 in none; null where there are no zones. */
  zones: Uint16Array | null;
  /** Depth of the water, metres, NaN where there is none; null where it was not measured. */
  depths: Float32Array | null;
}

/** Reads what stands in windows of a map. */
export type ReadGround = (window: Window) => Promise<GroundPart>;

/** How much of an asset lies in a class and a zone: points, metres, or square metres. */
export interface AssetPart {
  zone: number;
  /** 0 has no class, 255 was not seen or lies beside the map. */
  label: number;
  amount: number;
}

/** Water over an asset: the deepest, and the mean over what of it has a depth. */
export interface AssetDepth {
  deepestM: number;
  meanM: number;
}

/** A line as it lies on a map. */
export interface LineOnMap {
  /** Longitude and latitude. */
  places: Position[];
  /** Metres from the start to each of them. */
  along: number[];
  /** Stretches by what they lie on, in order: metres from the start. */
  stretches: { from: number; to: number; label: number; zone: number; depth: number }[];
}

/** What of an asset lies where. */
export interface MeasuredAsset {
  shape: Shape;
  parts: AssetPart[];
  depth: AssetDepth | null;
  /** Where it is shown, longitude and latitude: the first of it that lies in a class, else of all. */
  at: Position;
  /** Of lines. */
  lines: LineOnMap[];
}

const NOT_SEEN: Omit<AssetPart, "amount"> = { zone: 0, label: CLASS_NODATA };

const metresBetween = ([lon0, lat0]: Position, [lon1, lat1]: Position): number =>
  geodesic.Geodesic.WGS84.Inverse(lat0, lon0, lat1, lon1).s12 ?? 0;

/** Sums parts and depths of an asset. */
class AssetSums {
  private readonly amounts = new Map<string, AssetPart>();
  private deepest = -Infinity;
  private wet = 0;
  private volume = 0;
  private inClass: Position | null = null;
  private first: Position | null = null;

  /** @param at where it is shown, if it is the first that lies in a class, or of all */
  add(part: AssetPart, depth: number, at: () => Position): void {
    const key = `${part.zone} ${part.label}`;
    const known = this.amounts.get(key);
    this.amounts.set(key, { ...part, amount: (known?.amount ?? 0) + part.amount });
    this.first ??= at();
    if (part.label !== 0 && part.label !== CLASS_NODATA) {
      this.inClass ??= at();
    }
    if (depth >= 0) {
      this.deepest = Math.max(this.deepest, depth);
      this.wet += part.amount;
      this.volume += part.amount * depth;
    }
  }

  finish(shape: Shape, lines: LineOnMap[]): MeasuredAsset {
    return {
      shape,
      parts: [...this.amounts.values()].sort((a, b) => a.zone - b.zone || a.label - b.label),
      depth: this.wet > 0 ? { deepestM: this.deepest, meanM: this.volume / this.wet } : null,
      at: this.inClass ?? this.first ?? [NaN, NaN],
      lines,
    };
  }
}

const positionOf = ([lon = NaN, lat = NaN]: Coordinates): Position => [lon, lat];

/** Measures what of assets lies in the classes and zones of a map, and under how much water. */
export class AssetMeter {
  private readonly onto: (lon: number, lat: number) => [number, number];
  private readonly globe: (x: number, y: number) => [number, number];

  /** @param areas of the cells of the map */
  constructor(
    private readonly grid: Grid,
    private readonly areas: CellAreas,
    private readonly read: ReadGround,
  ) {
    const onto = ontoGrid(grid);
    this.globe = ontoGlobe(grid);
    this.onto = (lon, lat) => toCell(grid, ...onto(lon, lat));
  }

  /**
   * What of a geometry lies where, one answer for each of its shapes. Points are counted, lines are in
   * metres on the ellipsoid, areas are sums of the cells whose centres lie in them.
   * @param geometry in longitude and latitude
   */
  async measure(geometry: Geometry): Promise<MeasuredAsset[]> {
    const places: Position[] = [];
    const rows: Position[][] = [];
    const polygons: MultiPolygon = [];
    for (const part of partsOf(geometry)) {
      switch (part.type) {
        case "Point":
          places.push(positionOf(part.coordinates));
          break;
        case "MultiPoint":
          places.push(...part.coordinates.map(positionOf));
          break;
        case "LineString":
          rows.push(part.coordinates.map(positionOf));
          break;
        case "MultiLineString":
          rows.push(...part.coordinates.map((row) => row.map(positionOf)));
          break;
        case "Polygon":
          polygons.push(part.coordinates.map((ring) => ring.map(positionOf)));
          break;
        default:
          polygons.push(
            ...part.coordinates.map((rings) => rings.map((ring) => ring.map(positionOf))),
          );
      }
    }
    return [
      ...(places.length > 0 ? [await this.ofPoints(places)] : []),
      ...(rows.length > 0 ? [await this.ofLines(rows)] : []),
      ...(polygons.length > 0 ? [await this.ofPolygons(polygons)] : []),
    ];
  }

  private async ofPoints(places: readonly Position[]): Promise<MeasuredAsset> {
    const sums = new AssetSums();
    for (const place of places) {
      const { zone, label, depth } = await this.groundAt(this.onto(...place));
      sums.add({ zone, label, amount: 1 }, depth, () => place);
    }
    return sums.finish("point", []);
  }

  private async groundAt([x, y]: Position) {
    const cell = { col: Math.floor(x), row: Math.floor(y), width: 1, height: 1 };
    if (!intersect(cell, fullWindow(this.grid))) {
      return { ...NOT_SEEN, depth: NaN };
    }
    return groundIn(await this.read(cell), 0);
  }

  private async ofLines(rows: readonly Position[][]): Promise<MeasuredAsset> {
    const sums = new AssetSums();
    const lines: LineOnMap[] = [];
    for (const places of rows) {
      const line: LineOnMap = { places, along: [0], stretches: [] };
      for (let k = 0; k + 1 < places.length; k++) {
        await this.addSegment(line, k, sums);
      }
      lines.push(line);
    }
    return sums.finish("line", lines);
  }

  /** Adds a segment of a line, block by block of the map under it. */
  private async addSegment(line: LineOnMap, k: number, sums: AssetSums): Promise<void> {
    const [start, end] = [line.places[k]!, line.places[k + 1]!];
    const begun = line.along[k]!;
    const metres = metresBetween(start, end);
    line.along.push(begun + metres);
    const [from, to] = [this.onto(...start), this.onto(...end)];
    let block: { window: Window; ground: GroundPart } | null = null;
    for (const { col, row, ...piece } of piecesOf(from, to)) {
      const isInside = intersect({ col, row, width: 1, height: 1 }, fullWindow(this.grid));
      if (isInside && !(block && intersect({ col, row, width: 1, height: 1 }, block.window))) {
        const window = this.blockAt(col, row);
        block = { window, ground: await this.read(window) };
      }
      const ground =
        isInside && block
          ? groundIn(
              block.ground,
              (row - block.window.row) * block.window.width + col - block.window.col,
            )
          : { ...NOT_SEEN, depth: NaN };
      const middle = (piece.from + piece.to) / 2;
      const { zone, label, depth } = ground;
      const stretch = { from: begun + piece.from * metres, to: begun + piece.to * metres };
      line.stretches.push({ ...stretch, label, zone, depth });
      sums.add({ zone, label, amount: stretch.to - stretch.from }, depth, () => [
        start[0] + middle * (end[0] - start[0]),
        start[1] + middle * (end[1] - start[1]),
      ]);
    }
  }

  private blockAt(col: number, row: number): Window {
    const at = {
      col: col - (col % BLOCK),
      row: row - (row % BLOCK),
      width: BLOCK,
      height: BLOCK,
    };
    return intersect(at, fullWindow(this.grid))!;
  }

  private async ofPolygons(polygons: MultiPolygon): Promise<MeasuredAsset> {
    const sums = new AssetSums();
    const cells = polygons.map((rings) =>
      rings.map((ring) => ring.map(([lon, lat]) => this.onto(lon, lat))),
    );
    const identity: Grid = { ...this.grid, transform: [0, 1, 0, 0, 0, 1] };
    const window = windowAround(identity, cells.flat(2), 0);
    for (let row = window?.row ?? 0; window && row < window.row + window.height; row += BLOCK) {
      const height = Math.min(BLOCK, window.row + window.height - row);
      const strip = { ...window, row, height };
      const spans: [row: number, from: number, to: number][] = [];
      rasteriseSpans(cells, identity, strip, (...span) => spans.push(span));
      const ground = spans.length > 0 ? await this.read(strip) : null;
      for (const [r, from, to] of spans) {
        for (let col = from; col < to; col++) {
          const at = (r - row) * strip.width + col - strip.col;
          const { zone, label, depth } = groundIn(ground!, at);
          sums.add({ zone, label, amount: this.areas.cell(col, r) }, depth, () =>
            this.placeOf(col, r),
          );
        }
      }
    }
    const whole = sums.finish("polygon", []);
    // An area so small that no cell has its centre in it counts by the cell under its first corner.
    return whole.parts.length > 0 ? whole : this.ofSmall(polygons);
  }

  /** The middle of a cell on the globe. */
  private placeOf(col: number, row: number): Position {
    return this.globe(...toMap(this.grid, col + 0.5, row + 0.5));
  }

  private async ofSmall(polygons: MultiPolygon): Promise<MeasuredAsset> {
    const sums = new AssetSums();
    for (const [shell] of polygons) {
      const place = shell![0]!;
      const { zone, label, depth } = await this.groundAt(this.onto(...place));
      sums.add({ zone, label, amount: 0 }, depth, () => place);
    }
    return sums.finish("polygon", []);
  }
}

/** What stands in a cell of a part of a map. */
const groundIn = ({ labels, zones, depths }: GroundPart, cell: number) => ({
  zone: zones ? zones[cell]! : 0,
  label: labels[cell]!,
  depth: depths ? depths[cell]! : NaN,
});
