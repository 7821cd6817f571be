import * as yup from "yup";
import { InputError } from "../../errors";
import { isGeographic } from "../../geodesy/crs";
import {
  type Grid,
  type Window,
  cellSize,
  grow,
  intersect,
  levelGrid,
  sameGrid,
  toCell,
} from "../../grid/grid";
import { calibrate } from "../../radar/calibrate";
import { areaRatio } from "../../radar/flatten";
import { hiddenCells, hiddenReach } from "../../radar/hidden";
import { multilook } from "../../radar/multilook";
import type { StateVector } from "../../radar/orbit";
import { TIME_STATISTICS, type TimeStatistic, overTime } from "../../radar/overTime";
import { RangeDoppler, type SensorModel, cellLocator } from "../../radar/sensor";
import { boxcar, gammaMap, median, multiTemporal } from "../../radar/speckle";
import { type LookGeometry, correctTerrain, lookGeometry } from "../../radar/terrain";
import { fromDecibel } from "../../radar/decibel";
import { fromEcef } from "../../geodesy/ecef";
import { transformer, LONLAT } from "../../geodesy/crs";
import type { BandInfo, ImageInfo } from "../image";
import type { Step, StepContext } from "../step";
import { cellByCell, finite, floats, none, requireOneGrid, requireRole, withHalo } from "./common";
import { RESAMPLING, type Resampling } from "../../raster/resampling";
import { isSensorFrame } from "../../grid/frames";

const geometries = new WeakMap<SensorModel, RangeDoppler>();
/**
 * Geometry of an image in its sensor's frame. @throws InputError when it lies on the map already
 */
export function geometryOf(title: string, info: ImageInfo): RangeDoppler {
  if (!info.sensor || !isSensorFrame(info.grid.crs)) {
    throw new InputError(
      `${title} works in sensor geometry; this image lies on the map already`,
      "inputs",
    );
  }
  let rangeDoppler = geometries.get(info.sensor);
  if (!rangeDoppler) {
    rangeDoppler = new RangeDoppler(info.sensor);
    geometries.set(info.sensor, rangeDoppler);
  }
  return rangeDoppler;
}
const windowCells = () => yup.number().oneOf([3, 5, 7, 9, 11]).required();

export const orbitStep: Step<{ vectors: StateVector[]; kind: "precise" | "restituted" }> = {
  kind: "radar.orbit",
  version: 1,
  title: "Orbit",
  help: "Takes the satellite's way from an orbit file in place of the product's own vectors.",
  inputs: { min: 1, max: 1 },
  params: yup
    .object({
      vectors: yup.mixed<StateVector[]>().required(),
      kind: yup
        .string()
        .oneOf(["precise", "restituted"] as const)
        .required(),
    })
    .noUnknown() as yup.ObjectSchema<{ vectors: StateVector[]; kind: "precise" | "restituted" }>,
  describe([info], params) {
    const rd = geometryOf("Orbit", info!);
    const sensorModel = info!.sensor!;
    const last = rd.timeOf(sensorModel.lines);
    const t = params.vectors.map((vector) => vector.t);
    if (!(Math.min(...t) <= sensorModel.firstLineT && Math.max(...t) >= last)) {
      throw new InputError(
        "The orbit file does not cover the time of this scene",
        "vectors",
        "Take the file whose validity holds the acquisition.",
      );
    }
    return {
      ...info!,
      sensor: { ...sensorModel, orbit: params.vectors, orbitSource: params.kind },
    };
  },
  reach: cellByCell,
  compute([block], out) {
    block!.bands.forEach((band, i) => out.bands[i]!.set(band));
  },
};

export const RADIOMETRIES = ["none", "beta", "sigma", "gamma"] as const;
const SYMBOL = { none: "intensity", beta: "beta0", sigma: "sigma0", gamma: "gamma0" } as const;
export const calibrateStep: Step<{
  to: (typeof RADIOMETRIES)[number];
  removeNoise: boolean;
  polarisations: string[] | null;
}> = {
  kind: "radar.calibrate",
  version: 1,
  title: "Calibrate",
  help: "Digital numbers to backscatter by the product's vectors, thermal noise taken off where asked.",
  inputs: { min: 1, max: 1 },
  needsLuts: true,
  params: yup
    .object({
      to: yup.string().oneOf(RADIOMETRIES).required(),
      removeNoise: yup.boolean().required(),
      polarisations: yup.array(yup.string().required()).min(1).nullable().defined(),
    })
    .noUnknown() as yup.ObjectSchema<{
    to: (typeof RADIOMETRIES)[number];
    removeNoise: boolean;
    polarisations: string[] | null;
  }>,
  describe([info], params) {
    requireRole(
      "Calibrate",
      info!,
      ["amplitude"],
      "only the digital numbers of a product can be calibrated, and only once.",
    );
    const bands = bandsOf(info!, params.polarisations);
    return {
      ...info!,
      bands: bands.map((band): BandInfo => ({
        name: `${SYMBOL[params.to]} ${band.polarisation}`,
        unit: params.to === "none" ? "DN²" : "",
        role: "power",
        polarisation: band.polarisation,
      })),
      ...(params.to === "none" ? {} : { radiometry: params.to }),
    };
  },
  reach: cellByCell,
  compute([block], out, ctx) {
    bandsOf(ctx.base[0]!, ctx.params.polarisations).forEach((band, i) => {
      const luts = ctx.luts?.[band.polarisation!];
      if (!luts) {
        throw new InputError(
          `The product has no look-up table for ${band.polarisation}`,
          "polarisations",
        );
      }
      if (ctx.params.removeNoise && luts.noiseRange.length === 0) {
        throw new InputError(
          `The product has no noise vectors for ${band.polarisation}`,
          "removeNoise",
          "Skip the noise step for this scene.",
        );
      }
      calibrate(
        floats(block!)[ctx.base[0]!.bands.indexOf(band)]!,
        ctx.output.grid,
        out.window,
        luts,
        ctx.params.to,
        ctx.params.removeNoise,
        floats(out)[i]!,
      );
    });
  },
};
const bandsOf = (info: ImageInfo, pols: string[] | null) => {
  const chosen = pols ? info.bands.filter((band) => pols.includes(band.polarisation!)) : info.bands;
  if (chosen.length === 0) {
    throw new InputError(
      `The scene has none of the polarisations ${pols!.join(", ")}`,
      "polarisations",
    );
  }
  return chosen;
};

export const looksStep: Step<{ rangeLooks: number; azimuthLooks: number }> = {
  kind: "radar.looks",
  version: 1,
  title: "Looks",
  help: "Means of power over cells in range and azimuth: less grain, larger cells.",
  inputs: { min: 1, max: 1 },
  params: yup
    .object({
      rangeLooks: yup.number().integer().min(1).max(32).required(),
      azimuthLooks: yup.number().integer().min(1).max(32).required(),
    })
    .noUnknown(),
  describe([info], params) {
    requireRole("Looks", info!, ["power"], "looks are means of power.");
    const transform = info!.grid.transform;
    const width = Math.floor(info!.grid.width / params.rangeLooks);
    const height = Math.floor(info!.grid.height / params.azimuthLooks);
    if (width < 1 || height < 1) {
      throw new InputError("There are more looks than cells", "rangeLooks");
    }
    return {
      ...info!,
      grid: {
        ...info!.grid,
        transform: [
          transform[0],
          transform[1] * params.rangeLooks,
          transform[2] * params.azimuthLooks,
          transform[3],
          transform[4] * params.rangeLooks,
          transform[5] * params.azimuthLooks,
        ],
        width,
        height,
      },
    };
  },
  reach: (w, ctx) => [
    {
      level: ctx.level,
      window: {
        col: w.col * ctx.params.rangeLooks,
        row: w.row * ctx.params.azimuthLooks,
        width: w.width * ctx.params.rangeLooks,
        height: w.height * ctx.params.azimuthLooks,
      },
    },
  ],
  compute([block], out, { params }) {
    floats(block!).forEach((b, i) =>
      multilook(
        b,
        out.window.width,
        out.window.height,
        params.rangeLooks,
        params.azimuthLooks,
        floats(out)[i]!,
      ),
    );
  },
};

const onPower = "speckle is filtered on power, never on decibels.";
const filter = <P extends { windowCells: number }>(
  kind: string,
  title: string,
  help: string,
  params: yup.ObjectSchema<P>,
  run: (
    src: Float32Array,
    w: number,
    h: number,
    eachParams: P,
    level: number,
    out: Float32Array,
  ) => void,
): Step<P> => ({
  kind,
  version: 1,
  title,
  help,
  inputs: { min: 1, max: 1 },
  params,
  describe([info]) {
    requireRole(title, info!, ["power"], onPower);
    return info!;
  },
  reach: (w, ctx) => withHalo(w, ctx, (ctx.params.windowCells - 1) / 2),
  compute([block], out, ctx) {
    floats(block!).forEach((b, i) =>
      run(b, out.window.width, out.window.height, ctx.params, ctx.level, floats(out)[i]!),
    );
  },
});
const sized = yup.object({ windowCells: windowCells() }).noUnknown();
export const meanStep = filter(
  "radar.mean",
  "Mean",
  "Mean of power over a square window.",
  sized,
  (s, w, h, params, _l, out) => boxcar(s, w, h, params.windowCells, out),
);
export const medianStep = filter(
  "radar.median",
  "Median",
  "Median of power over a square window: takes lone bright cells away.",
  sized,
  (s, w, h, params, _l, out) => median(s, w, h, params.windowCells, out),
);
export const gammaMapStep = filter(
  "radar.gammaMap",
  "Gamma MAP",
  "The likeliest backscatter for gamma speckle on gamma ground (Lopes et al. 1990).",
  yup.object({ windowCells: windowCells(), looks: finite().min(0.5).max(1000) }).noUnknown(),
  (s, w, h, params, level, out) =>
    gammaMap(s, w, h, params.windowCells, params.looks * 4 ** level, out),
);

/** Sensor window that a map window sees, for ground between two heights. */
function sensorWindow(
  rd: RangeDoppler,
  image: Grid,
  map: Grid,
  w: Window,
  heights: readonly [number, number],
  margin: number,
): Window {
  const at = cellLocator(rd, map);
  let c0 = Infinity;
  let c1 = -Infinity;
  let r0 = Infinity;
  let r1 = -Infinity;
  for (let k = 0; k <= 8; k++) {
    for (const [c, r] of [
      [k / 8, 0],
      [k / 8, 1],
      [0, k / 8],
      [1, k / 8],
      [k / 8, k / 8],
    ] as const) {
      for (const h of heights) {
        const position = at(w.col + c * w.width, w.row + r * w.height, h);
        if (Number.isNaN(position.line) || Number.isNaN(position.sample)) {
          continue;
        }
        const [x, y] = rd.onGrid(image, position);
        c0 = Math.min(c0, x);
        c1 = Math.max(c1, x);
        r0 = Math.min(r0, y);
        r1 = Math.max(r1, y);
      }
    }
  }
  if (!(c1 >= c0)) {
    return { col: 0, row: 0, width: 0, height: 0 };
  }
  const box = {
    col: Math.floor(c0) - margin,
    row: Math.floor(r0) - margin,
    width: Math.ceil(c1) - Math.floor(c0) + 2 * margin,
    height: Math.ceil(r1) - Math.floor(r0) + 2 * margin,
  };
  return (
    intersect(box, grow({ col: 0, row: 0, width: image.width, height: image.height }, 2)) ?? {
      col: 0,
      row: 0,
      width: 0,
      height: 0,
    }
  );
}

/** Heights that an elevation image can hold; where they are not known, all of the Earth's. */
const heightsOf = (info: ImageInfo | undefined): [number, number] =>
  info?.bands[0]?.range ?? [-450, 8900];
const NO_CELLS: Window = { col: 0, row: 0, width: 0, height: 0 };

/** `resampling` of the image; bilinear where it is not said. */
interface TerrainParams {
  grid: Grid;
  outside: "nodata" | "ellipsoid";
  extras: boolean;
  resampling?: Resampling;
}
/**
 * The most cells around a window that are looked at for shadow and layover: higher mountains on
 * finer cells may hide more.
 */
const HIDDEN_HALO = 256;
export const terrainStep: Step<TerrainParams> = {
  kind: "radar.terrain",
  version: 2,
  title: "Terrain",
  help: "Puts a radar image on the map by range–Doppler geometry and elevation; cells that are coarser than the image's take the mean of what they cover.",
  inputs: { min: 1, max: 2 },
  params: yup
    .object({
      grid: yup.mixed<Grid>().required(),
      outside: yup
        .string()
        .oneOf(["nodata", "ellipsoid"] as const)
        .required(),
      extras: yup.boolean().required(),
      resampling: yup.string().oneOf(RESAMPLING),
    })
    .noUnknown() as yup.ObjectSchema<TerrainParams>,
  describe([info, z], params) {
    geometryOf("Terrain", info!);
    requireRole("Terrain", info!, ["power"], "means on the map are means of power.");
    if (z) {
      requireRole("Terrain", z, ["elevation"], "the second image is elevation in metres.");
    }
    if (z && !sameGrid(z.grid, params.grid)) {
      throw new InputError("Elevation must be on the output grid", "inputs");
    }
    return {
      grid: params.grid,
      type: "float32",
      bands: [
        ...info!.bands.map((band) => ({ ...band })),
        ...(params.extras
          ? [
              { name: "local incidence", unit: "°", role: "angle" as const },
              { name: "layover and shadow", unit: "", role: "hidden" as const },
            ]
          : []),
      ],
      radiometry: info!.radiometry,
    };
  },
  reach(w, ctx) {
    const rd = geometryOf("Terrain", ctx.base[0]!);
    const info = ctx.base[1];
    const image = sensorWindow(
      rd,
      ctx.inputs[0]!.grid,
      ctx.output.grid,
      w,
      info ? heightsOf(info) : [0, 0],
      3,
    );
    return [
      { level: ctx.level, window: image },
      ...(info ? [{ level: ctx.level, window: grow(w, terrainHalo(ctx)) }] : []),
    ];
  },
  compute([block, z], out, ctx) {
    const { window: w } = out;
    const { params, inputs } = ctx;
    const rd = geometryOf("Terrain", ctx.base[0]!);
    const n = w.width * w.height;
    const heights = new Float32Array(n);
    if (z) {
      const halo = terrainHalo(ctx);
      const zw = w.width + 2 * halo;
      for (let r = 0; r < w.height; r++) {
        heights.set(
          floats(z)[0]!.subarray((r + halo) * zw + halo, (r + halo) * zw + halo + w.width),
          r * w.width,
        );
      }
      if (params.outside === "ellipsoid") {
        for (let i = 0; i < n; i++) {
          if (heights[i] !== heights[i]) {
            heights[i] = 0;
          }
        }
      }
    }
    const image = inputs[0]!.grid;
    const bands = ctx.base[0]!.bands.length;
    correctTerrain(
      rd,
      ctx.output.grid,
      w,
      heights,
      { grid: image, window: block!.window, bands: floats(block!) },
      coarseness(ctx),
      floats(out).slice(0, bands),
      params.resampling,
    );
    if (params.extras) {
      extras(
        rd,
        ctx,
        w,
        z ? floats(z)[0]! : null,
        floats(out)[bands]!,
        floats(out)[bands + 1]!,
        floats(out)[0]!,
      );
    }
  },
};

/** Samples across an output cell so that none of the image's cells is passed over. */
function coarseness(ctx: StepContext<TerrainParams>): number {
  const sensorModel = ctx.base[0]!.sensor!;
  const transform = ctx.inputs[0]!.grid.transform;
  const cell =
    Math.max(...cellSize(ctx.output.grid)) * (isGeographic(ctx.output.grid.crs) ? 111_320 : 1);
  const ratio =
    cell /
    Math.min(sensorModel.sampleSpacingM * transform[1], sensorModel.lineSpacingM * transform[5]);
  return ratio <= 1.3 ? 1 : Math.min(8, Math.ceil(ratio));
}

/**
 * Cells around a window that its slopes, shadows and layover depend on: as far as the whole range
 * of heights can throw them.
 */
function terrainHalo(ctx: StepContext<TerrainParams>): number {
  if (!ctx.params.extras || !ctx.base[1]) {
    return 0;
  }
  const { grid } = ctx.output;
  const [low, high] = heightsOf(ctx.base[1]);
  const look = lookGeometry(
    geometryOf("Terrain", ctx.base[0]!),
    grid,
    grid.width / 2,
    grid.height / 2,
    0,
  );
  // One cell is always needed, for slopes; a grid whose middle the sensor never passes shows
  // nothing anyway.
  return look
    ? Math.min(
        HIDDEN_HALO,
        Math.max(
          1,
          Math.ceil(hiddenReach(Math.max(0, high - low), look.incidence) / Math.min(...look.cellM)),
        ),
      )
    : 1;
}

/** Local incidence in degrees and bits of layover and shadow; nodata where the image is. */
function extras(
  rd: RangeDoppler,
  ctx: StepContext<TerrainParams>,
  w: Window,
  z: Float32Array | null,
  angle: Float32Array,
  hidden: Float32Array,
  image: Float32Array,
): void {
  const grid = ctx.output.grid;
  const halo = terrainHalo(ctx);
  const zw = w.width + 2 * halo;
  const zh = w.height + 2 * halo;
  const bits = new Uint8Array(z ? zw * zh : 0);
  const middle = lookGeometry(rd, grid, w.col + w.width / 2, w.row + w.height / 2, 0);
  angle.fill(NaN);
  hidden.fill(NaN);
  if (!middle) {
    return;
  }
  if (z) {
    hiddenCells(z, zw, zh, middle.away, middle.incidence, bits);
  }
  const corner = [
    [0, 0],
    [w.width, 0],
    [0, w.height],
    [w.width, w.height],
  ].map(([c, r]) => lookGeometry(rd, grid, w.col + c!, w.row + r!, 0) ?? middle);
  for (let r = 0; r < w.height; r++) {
    for (let c = 0; c < w.width; c++) {
      const i = r * w.width + c;
      if (image[i] !== image[i]) {
        continue;
      }
      const x = c / w.width;
      const y = r / w.height;
      const mix = (fraction: (geometry: LookGeometry) => number) =>
        (fraction(corner[0]!) * (1 - x) + fraction(corner[1]!) * x) * (1 - y) +
        (fraction(corner[2]!) * (1 - x) + fraction(corner[3]!) * x) * y;
      if (!z) {
        angle[i] = (mix((geometry) => geometry.incidence) * 180) / Math.PI;
        hidden[i] = 0;
        continue;
      }
      const k = (r + halo) * zw + c + halo;
      const hc = slopeOf(z, k, 1);
      const hr = slopeOf(z, k, zw);
      const [cx, cy] = middle.cellM;
      // Area seen along the beam over the surface of the facet is the cosine of the local
      // incidence.
      const seen =
        mix((geometry) => geometry.flat) +
        hc * mix((geometry) => geometry.perColumnRise) +
        hr * mix((geometry) => geometry.perRowRise);
      const surface = cx * cy * Math.sqrt(1 + (hc / cx) ** 2 + (hr / cy) ** 2);
      angle[i] = (Math.acos(Math.max(-1, Math.min(1, seen / surface))) * 180) / Math.PI;
      hidden[i] = bits[k]!;
    }
  }
}
/** Rise per cell by central difference; one-sided beside nodata, level where there is nothing. */
function slopeOf(z: Float32Array, k: number, step: number): number {
  const a = z[k - step]!;
  const b = z[k]!;
  const c = z[k + step]!;
  if (a === a && c === c) {
    return (c - a) / 2;
  }
  if (c === c && b === b) {
    return c - b;
  }
  if (a === a && b === b) {
    return b - a;
  }
  return 0;
}

export const flattenStep: Step<{ outside: "nodata" | "ellipsoid" }> = {
  kind: "radar.flatten",
  version: 2,
  title: "Flatten",
  help: "Takes the light and shade of slopes out of beta nought by the area that each cell's ground shows to the beam (Small 2011).",
  inputs: { min: 2, max: 2 },
  params: yup
    .object({
      outside: yup
        .string()
        .oneOf(["nodata", "ellipsoid"] as const)
        .required(),
    })
    .noUnknown() as yup.ObjectSchema<{ outside: "nodata" | "ellipsoid" }>,
  describe([info, z]) {
    geometryOf("Flatten", info!);
    requireRole("Flatten", info!, ["power"], "areas belong to power.");
    requireRole("Flatten", z!, ["elevation"], "the second image is elevation in metres.");
    if (isSensorFrame(z!.grid.crs)) {
      throw new InputError("Elevation must lie on the map", "inputs");
    }
    if (info!.radiometry !== "beta") {
      throw new InputError(
        `Flatten needs beta nought, not ${info!.radiometry ? `${info!.radiometry} nought` : "numbers that are not calibrated"}: the area has not been taken out of it yet`,
        "inputs",
        "Set Calibrate to beta nought.",
      );
    }
    return {
      ...info!,
      bands: info!.bands.map((band) => ({ ...band, name: `gamma0 ${band.polarisation}` })),
      radiometry: "flat",
    };
  },
  reach: (w, ctx) => [
    { window: w, level: ctx.level },
    { window: groundWindow(ctx, w), level: groundLevel(ctx) },
  ],
  compute([block, z], out, ctx) {
    const w = out.window;
    const ratio = new Float32Array(w.width * w.height);
    const zg = levelGrid(ctx.base[1]!.grid, groundLevel(ctx));
    const heights = floats(z!)[0]!;
    if (z!.window.width < 2 || z!.window.height < 2) {
      floats(out).forEach((b) => b.fill(NaN));
      return;
    }
    const filled =
      ctx.params.outside === "ellipsoid"
        ? heights.map((height) => (height === height ? height : 0))
        : heights;
    areaRatio(
      geometryOf("Flatten", ctx.base[0]!),
      filled,
      zg,
      z!.window,
      ctx.output.grid,
      w,
      ratio,
    );
    floats(block!).forEach((b, k) => {
      const output = floats(out)[k]!;
      for (let i = 0; i < output.length; i++) {
        output[i] = b[i]! / ratio[i]!;
      }
    });
  },
};

/** Level of the elevation whose cells are not much finer than the image's. */
function groundLevel(ctx: StepContext<unknown>): number {
  const sensorModel = ctx.base[0]!.sensor!;
  const transform = ctx.output.grid.transform;
  const grid = ctx.base[1]!.grid;
  const cell = Math.max(...cellSize(grid)) * (isGeographic(grid.crs) ? 111_320 : 1);
  // An overview is a preview: there it may be a little coarser than the image.
  const near = ctx.level > 0 ? Math.round : Math.floor;
  return Math.max(
    0,
    Math.min(
      8,
      near(
        Math.log2(
          Math.min(
            sensorModel.sampleSpacingM * transform[1],
            sensorModel.lineSpacingM * transform[5],
          ) /
            cell +
            1e-9,
        ),
      ),
    ),
  );
}

/** Elevation window under an image window, with what layover can bring in from beside. */
function groundWindow(ctx: StepContext<unknown>, w: Window): Window {
  const rd = geometryOf("Flatten", ctx.base[0]!);
  const info = ctx.base[1]!;
  const zg = levelGrid(info.grid, groundLevel(ctx));
  const transform = ctx.output.grid.transform;
  const to = transformer(LONLAT, zg.crs);
  const [low, high] = heightsOf(info);
  let c0 = Infinity;
  let c1 = -Infinity;
  let r0 = Infinity;
  let r1 = -Infinity;
  for (let j = 0; j <= 4; j++) {
    for (let i = 0; i <= 4; i++) {
      for (const h of [Math.min(0, low), high]) {
        const sample = transform[0] + (w.col + (w.width * i) / 4) * transform[1] - 0.5;
        const line = transform[3] + (w.row + (w.height * j) / 4) * transform[5] - 0.5;
        const point = rd.ground(line, sample, h);
        if (Number.isNaN(point[0])) {
          continue;
        }
        const [lon, lat] = fromEcef(point);
        const [x, y] = toCell(zg, ...to(lon, lat));
        c0 = Math.min(c0, x);
        c1 = Math.max(c1, x);
        r0 = Math.min(r0, y);
        r1 = Math.max(r1, y);
      }
    }
  }
  if (!(c1 >= c0)) {
    return NO_CELLS;
  }
  const box = {
    col: Math.floor(c0) - 4,
    row: Math.floor(r0) - 4,
    width: Math.ceil(c1) - Math.floor(c0) + 9,
    height: Math.ceil(r1) - Math.floor(r0) + 9,
  };
  return box;
}

export const acrossDatesStep: Step<{ index: number; windowCells: number }> = {
  kind: "radar.acrossDates",
  version: 1,
  title: "Across dates",
  help: "Smooths speckle with the help of all dates and keeps each date's own backscatter (Quegan & Yu 2001).",
  inputs: { min: 2, max: 64 },
  params: yup
    .object({ index: yup.number().integer().min(0).required(), windowCells: windowCells() })
    .noUnknown(),
  describe(inputs, params) {
    requireOneGrid("Across dates", inputs);
    if (inputs.some((input) => isSensorFrame(input.grid.crs))) {
      throw new InputError(
        "Dates lie on each other only on the map: Across dates comes after Terrain",
        "inputs",
      );
    }
    if (params.index >= inputs.length) {
      throw new InputError(`There is no date ${params.index + 1} of ${inputs.length}`, "index");
    }
    inputs.forEach((input) => {
      if (powerBands(input).length !== powerBands(inputs[0]!).length) {
        throw new InputError("The dates have different polarisations", "inputs");
      }
    });
    return inputs[params.index]!;
  },
  reach: (w, ctx) => withHalo(w, ctx, (ctx.params.windowCells - 1) / 2),
  compute(blocks, out, ctx) {
    const { index, windowCells: size } = ctx.params;
    const h = (size - 1) / 2;
    const w = out.window;
    const mine = ctx.base[index]!;
    mine.bands.forEach((band, k) => {
      if (band.role === "power") {
        const nth = powerBands(mine).indexOf(band);
        multiTemporal(
          blocks.map(
            (block, date) =>
              floats(block)[ctx.base[date]!.bands.indexOf(powerBands(ctx.base[date]!)[nth]!)]!,
          ),
          index,
          w.width,
          w.height,
          size,
          floats(out)[k]!,
        );
        return;
      }
      for (let r = 0; r < w.height; r++) {
        floats(out)[k]!.set(
          floats(blocks[index]!)[k]!.subarray(
            (r + h) * (w.width + 2 * h) + h,
            (r + h) * (w.width + 2 * h) + h + w.width,
          ),
          r * w.width,
        );
      }
    });
  },
};
const powerBands = (info: ImageInfo) => info.bands.filter((band) => band.role === "power");

export const powerStep: Step<Record<string, never>> = {
  kind: "radar.power",
  version: 1,
  title: "Power",
  help: "Decibels back to linear power.",
  inputs: { min: 1, max: 1 },
  params: none,
  describe([info]) {
    if (!info!.bands.some((band) => band.role === "decibel")) {
      throw new InputError("There is no band in decibels", "inputs");
    }
    return {
      ...info!,
      bands: info!.bands.map((band) =>
        band.role === "decibel" ? { ...band, role: "power" as const, unit: "" } : band,
      ),
    };
  },
  reach: cellByCell,
  compute([block], out, ctx) {
    ctx.base[0]!.bands.forEach((band, i) => {
      if (band.role === "decibel") {
        fromDecibel(floats(block!)[i]!, floats(out)[i]!);
      } else {
        out.bands[i]!.set(block!.bands[i]!);
      }
    });
  },
};

export const overTimeStep: Step<{ statistic: TimeStatistic; percent?: number }> = {
  kind: "radar.overTime",
  version: 2,
  title: "Over time",
  help: "One statistic of several dates, cell by cell.",
  inputs: { min: 2, max: 200 },
  params: yup
    .object({
      statistic: yup.string().oneOf(TIME_STATISTICS).required(),
      percent: yup.number().min(0).max(100).optional(),
    })
    .noUnknown() as yup.ObjectSchema<{ statistic: TimeStatistic; percent?: number }>,
  describe(inputs, params) {
    requireOneGrid("Over time", inputs);
    const first = inputs[0]!;
    inputs.forEach((input) => {
      if (
        input.bands.length !== first.bands.length ||
        input.bands.some(
          (band, k) =>
            band.role !== first.bands[k]!.role ||
            band.polarisation !== first.bands[k]!.polarisation,
        )
      ) {
        throw new InputError("The dates have different bands", "inputs");
      }
    });
    // A statistic of several dates has no sun of its own, and no chain takes it again.
    const { optical: _sun, ...rest } = first;
    return {
      ...rest,
      bands: first.bands.filter(overTimeBand).map((band): BandInfo => ({
        ...band,
        name: `${band.name} ${params.statistic}${params.statistic === "percentile" ? ` ${params.percent ?? 50}` : ""}`,
        ...(params.statistic === "count"
          ? { role: "value", unit: "dates" }
          : params.statistic === "deviation"
            ? { role: "value" }
            : {}),
      })),
    };
  },
  reach: cellByCell,
  compute(blocks, out, ctx) {
    let k = 0;
    ctx.base[0]!.bands.forEach((band, i) => {
      if (overTimeBand(band)) {
        overTime(
          blocks.map((block) => floats(block)[i]!),
          ctx.params.statistic,
          floats(out)[k++]!,
          ctx.params.percent,
        );
      }
    });
  },
};
/** Bands of which a statistic over dates says something: no bits, no masks. */
const overTimeBand = (band: BandInfo): boolean =>
  band.role !== "hidden" && band.role !== "quality" && band.role !== "mask" && band.role !== "haze";
