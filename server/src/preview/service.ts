import type { LevelFit } from "@hindglance/core/align/levelling";
import type { OffsetResult } from "@hindglance/core/align/offset";
import { fieldFigures } from "./fieldFigures";
import type {
  FieldResult,
  FieldTask,
  FirstMapTask,
  GrowTask,
  HistogramResult,
  HistogramTask,
  LabelsResult,
  LabelsTask,
  NormalTask,
  PatchesTask,
  PathsTask,
  ReportTask,
  SheetPictureTask,
  TileResult,
  TileTask,
  ValuesResult,
  ValuesTask,
  WebTileTask,
} from "./tasks";
import { type GroundPatches, groundPatches } from "@hindglance/core/cover/groundPatches";
import { type CoverPaths, coverPaths } from "@hindglance/core/cover/paths";
import type { FirstMap } from "@hindglance/core/change/firstMap/firstMap";
import { firstMapOf } from "@hindglance/core/change/firstMap/sampling";
import { HalvedHistogram } from "@hindglance/core/change/firstMap/heaps";
import { type Grown, grownFrom } from "@hindglance/core/classify/growArea";
import { InputError } from "@hindglance/core/errors";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { BandRole } from "@hindglance/core/graph/image";
import type { StepReport } from "@hindglance/core/graph/step";
import {
  BLOCK,
  type Grid,
  blockWindows,
  intersect,
  levelGrid,
  toCell,
} from "@hindglance/core/grid/grid";
import { type NormalBand, blockMeans, normalBand } from "@hindglance/core/normal/band";
import { CLASS_NODATA, type Cells, labelCells, realCells } from "@hindglance/core/raster/block";
import { stateStore } from "../db/nodes";
import { Database } from "../db/pool";
import { KeptImages } from "../eval/kept";
import { StoredSources } from "../eval/sources";
import { TilePainter } from "../sheet/pictureTile";
import { SheetPictures, pictureRows } from "../sheet/pictures";
import { imagesKey } from "../sheet/images";
import { pngOf } from "../sheet/png";
import { type Tiles, addTiles, tileThreshold } from "@hindglance/core/change/bimodal";
import { type GroupFacts, type GroupsTask, groupsOf } from "./groupTasks";
import { type LevelTask, type OffsetTask, levelOf, offsetOf } from "./alignTasks";
import {
  type JudgeTask,
  type TrainResult,
  type TrainTask,
  areaStore,
  judgeWith,
  trainOn,
} from "./trainTask";
import { type Mark, begin, isGivenUp } from "./mark";

/** Blocks that stand for a whole image. */
const SAMPLED_BLOCKS = 6;
/** Cells that pieces of ground are looked for among, and the most of them that are listed. */
const PATCH_CELLS = 1e7;
const MOST_PATCHES = 200;
/** Blocks of cells along a side of the ground around a place that tells how it varies; an odd number. */
const NORMAL_BLOCKS = 41;
/** Cells that paths are counted of. */
const PATH_CELLS = 2.5e7;

/**
 * Computes previews: tiles and histograms of nodes. Lives in worker threads of the server, so that
 * the page never waits for the event loop.
 */
export class PreviewService {
  private readonly evaluator: Evaluator;
  private readonly db: Database;
  private readonly areas = areaStore();
  private painter: { key: string; painter: TilePainter } | null = null;
  private sheet: { key: string; pictures: SheetPictures } | null = null;
  /** The mark of the task that goes on; there is one at a time. */
  private mark: Mark | null = null;

  constructor(url: string, cacheBytes: number) {
    this.db = new Database(url, { max: 2, name: "hind-glance preview" });
    const sources = new StoredSources(this.db, cacheBytes);
    this.evaluator = new Evaluator({
      sources,
      kept: new KeptImages(this.db, sources),
      states: stateStore(this.db),
      preview: true,
      signal: this.signal(),
    });
  }

  /** Whether the task that goes on is given up; asked before each part of it. */
  private signal(): { readonly aborted: boolean } {
    const isAborted = () => this.mark !== null && isGivenUp(this.mark);
    return {
      get aborted() {
        return isAborted();
      },
    };
  }

  /** Ends its connections. */
  close(): Promise<void> {
    return this.db.close();
  }

  /** A task begins, and may be given up by its mark. */
  begin(mark: Mark): void {
    this.mark = mark;
    begin(mark);
  }

  /** Cells of a tile cut to the image, band after band. */
  async tile(tileTask: TileTask): Promise<TileResult> {
    const info = await this.evaluator.info(tileTask.node);
    const grid = levelGrid(info.grid, tileTask.level);
    const window = {
      col: tileTask.col * BLOCK,
      row: tileTask.row * BLOCK,
      width: Math.min(BLOCK, grid.width - tileTask.col * BLOCK),
      height: Math.min(BLOCK, grid.height - tileTask.row * BLOCK),
    };
    const block = await this.evaluator.read(tileTask.node, tileTask.level, window);
    return {
      type: info.type,
      bytes: joined(tileTask.bands ? tileTask.bands.map((k) => block.bands[k]!) : block.bands),
    };
  }

  /**
   * Histograms of the bands of a node at full resolution, over cells that are not nodata. Large
   * images are sampled by whole
   * blocks spread evenly, so that speckle and filters are those of the full image, not of an
   * overview.
   */
  async histograms(histogramTask: HistogramTask): Promise<HistogramResult> {
    const info = await this.evaluator.info(histogramTask.node);
    const windows = [...blockWindows(info.grid)];
    const every = Math.max(1, (info.grid.width * info.grid.height) / histogramTask.maxCells);
    const out = histogramTask.ranges.map(
      ([lo, hi]) => new HalvedHistogram(lo, hi, histogramTask.bins),
    );
    const tiles = histogramTask.ranges.map((): Tiles => []);
    let cells = 0;
    for (let k = 0; k < windows.length; k += every) {
      const w = windows[Math.floor(k)]!;
      const block = await this.evaluator.read(histogramTask.node, 0, w);
      out.forEach((histogram, b) => {
        histogram.add(realCells(block.bands[b]!), w.width);
        addTiles(
          realCells(block.bands[b]!),
          w.width,
          w.height,
          histogramTask.ranges[b]!,
          tiles[b]!,
        );
      });
      const first = block.bands[0]!;
      for (let i = 0; i < first.length; i++) {
        const value = first[i]!;
        if (value === value) {
          cells++;
        }
      }
    }
    return {
      histograms: out.map(({ whole }) => whole),
      halves: out.map(({ halves }) => halves),
      tiles: tiles.map(tileThreshold),
      cells,
      cellsOfImage: info.grid.width * info.grid.height,
    };
  }

  /** The first map of a pair. */
  firstMap({ ask }: FirstMapTask): Promise<FirstMap> {
    return firstMapOf(this.evaluator, ask);
  }

  /** What the step of a node found; null when it has nothing to tell. */
  report(reportTask: ReportTask): Promise<StepReport | null> {
    return this.evaluator.report(reportTask.node);
  }

  offset(offsetTask: OffsetTask): Promise<OffsetResult> {
    return offsetOf(this.evaluator, offsetTask);
  }
  level(levelTask: LevelTask): Promise<LevelFit> {
    return levelOf(this.evaluator, levelTask);
  }
  groups(groupsTask: GroupsTask): Promise<GroupFacts> {
    return groupsOf(this.evaluator, groupsTask);
  }

  /** A picture of a sheet as PNG; stretches of the sheet that was drawn last are remembered. */
  async sheetPicture({ images, picture, pixels }: SheetPictureTask): Promise<Uint8Array> {
    const key = imagesKey(images);
    if (this.sheet?.key !== key) {
      this.sheet = { key, pictures: new SheetPictures(this.evaluator, images) };
    }
    return pngOf(pixels, pictureRows(this.sheet.pictures, picture, pixels));
  }

  /** A tile of the picture of a map as PNG; stretches of the map that was drawn last are remembered. */
  async webTile({ images, side, tile }: WebTileTask): Promise<Uint8Array> {
    const key = imagesKey(images);
    if (this.painter?.key !== key) {
      this.painter = { key, painter: new TilePainter(this.evaluator, images) };
    }
    return this.painter.painter.tile(side, tile);
  }

  /** How many cells of a class image have which label. */
  async labels(labelsTask: LabelsTask): Promise<LabelsResult> {
    const { grid } = await this.evaluator.info(labelsTask.node);
    const cellsOfImage = grid.width * grid.height;
    const windows = [...blockWindows(grid)];
    const every = Math.max(1, cellsOfImage / labelsTask.maxCells);
    const counts = new Array<number>(256).fill(0);
    let cells = 0;
    for (let k = 0; k < windows.length; k += every) {
      const window = windows[Math.floor(k)]!;
      const block = await this.evaluator.read(labelsTask.node, 0, window);
      for (const label of labelCells(block.bands[0]!)) {
        counts[label]!++;
      }
      cells += window.width * window.height;
    }
    return { counts, cells, cellsOfImage };
  }

  /** Pieces of ground of one label, as many as a list can show. */
  patches({ node, label }: PatchesTask): Promise<GroundPatches> {
    return groundPatches(this.evaluator, node, label, {
      maxCells: PATCH_CELLS,
      most: MOST_PATCHES,
    });
  }

  /** Ground by what it was, date after date. */
  paths(told: PathsTask): Promise<CoverPaths> {
    return coverPaths(this.evaluator, told, PATH_CELLS);
  }

  /** Ground around a place by how unlike it is. */
  grow({ image, at }: GrowTask): Promise<Grown> {
    return grownFrom(this.evaluator, image, at);
  }

  private trainer() {
    return { evaluator: this.evaluator, db: this.db, areas: this.areas };
  }

  /** What a kept model comes to on a date. */
  judge(told: JudgeTask): Promise<TrainResult> {
    return judgeWith(this.trainer(), told);
  }

  /** Training of classes; the model is stored. */
  train(trainTask: TrainTask): Promise<TrainResult> {
    return trainOn(this.trainer(), trainTask);
  }

  async values(valuesTask: ValuesTask): Promise<ValuesResult> {
    const info = await this.evaluator.info(valuesTask.node);
    const half = (valuesTask.sizeCells - 1) / 2;
    return Promise.all(
      valuesTask.places.map(async ([x, y]) => {
        const cell = cellAt(info.grid, x, y);
        if (!cell) {
          return info.bands.map(() => null);
        }
        const half0 = info.type === "class8" ? 0 : half;
        const block = await this.evaluator.read(valuesTask.node, 0, {
          col: cell.col - half0,
          row: cell.row - half0,
          width: 2 * half0 + 1,
          height: 2 * half0 + 1,
        });
        return block.bands.map((cells, k) => {
          if (cells instanceof Uint8Array) {
            if (cells[0] === CLASS_NODATA) {
              return null;
            }
            return cells[0]!;
          }
          return meanOf(cells, info.bands[k]!.role);
        });
      }),
    );
  }

  /** What is normal at a place; how ground varies there is told by what is around it. */
  async normal({ nodes, place, sizeCells, beyond }: NormalTask): Promise<NormalBand | null> {
    const { grid, bands } = await this.evaluator.info(nodes[0]!);
    const cell = cellAt(grid, ...place);
    if (!cell) {
      return null;
    }
    // A block of cells amid the window is that whose mean is shown.
    const side = sizeCells * NORMAL_BLOCKS;
    const off = sizeCells * (NORMAL_BLOCKS >> 1) + (sizeCells >> 1);
    const window = { col: cell.col - off, row: cell.row - off, width: side, height: side };
    const isDecibel = bands[0]!.role === "decibel";
    const dates = await Promise.all(
      nodes.map(async (node) => {
        const [cells] = (await this.evaluator.read(node, 0, window)).bands;
        return blockMeans(realCells(cells!), side, sizeCells, isDecibel);
      }),
    );
    return normalBand(dates, (NORMAL_BLOCKS * NORMAL_BLOCKS) >> 1, beyond);
  }

  /**
   * A field of one band at full resolution; without a window a sample of whole blocks from all over
   * the image.
   *
   * @throws InputError when the window lies outside the image
   */
  async field({ node, band: index, window: wanted }: FieldTask): Promise<FieldResult> {
    const info = await this.evaluator.info(node);
    if (info.type === "class8") {
      throw new InputError("Classes have no figures of a field", "hash");
    }
    const { width, height } = info.grid;
    const window = wanted ? intersect(wanted, { col: 0, row: 0, width, height }) : null;
    if (wanted && !window) {
      throw new InputError("The field lies outside the image", "window");
    }
    const all = [...blockWindows(info.grid)];
    const some = window ? [window] : spread(all, SAMPLED_BLOCKS);
    const parts: Float32Array[] = [];
    for (const part of some) {
      const block = await this.evaluator.read(node, 0, part);
      parts.push(realCells(block.bands[index]!));
    }
    return {
      ...fieldFigures(parts, info.bands[index]!),
      sampled: !window && all.length > some.length,
    };
  }
}

/** The cell that a place of a grid lies in; null outside of it. */
function cellAt(grid: Grid, x: number, y: number): { col: number; row: number } | null {
  const [across, down] = toCell(grid, x, y);
  const [col, row] = [Math.floor(across), Math.floor(down)];
  return col >= 0 && row >= 0 && col < grid.width && row < grid.height ? { col, row } : null;
}

function meanOf(cells: Float32Array, role: BandRole): number | null {
  let n = 0;
  let sum = 0;
  for (const value of cells) {
    if (value === value) {
      n++;
      sum += role === "decibel" ? 10 ** (value / 10) : value;
    }
  }
  if (n === 0) {
    return null;
  }
  const m = sum / n;
  if (role === "decibel" || role === "power") {
    if (m > 0) {
      return 10 * Math.log10(m);
    }
    return null;
  }
  return m;
}

/** At most so many of a list, evenly. */
const spread = <T>(all: T[], most: number): T[] =>
  all.length <= most
    ? all
    : Array.from({ length: most }, (_v, k) => all[Math.floor(((k + 0.5) * all.length) / most)]!);

function joined(bands: Cells[]): Uint8Array {
  const out = new Uint8Array(bands.reduce((s, cells) => s + cells.byteLength, 0));
  let at = 0;
  for (const band of bands) {
    out.set(new Uint8Array(band.buffer, band.byteOffset, band.byteLength), at);
    at += band.byteLength;
  }
  return out;
}
