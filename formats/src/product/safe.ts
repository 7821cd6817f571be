import type { PolarisationLuts, ProductLuts } from "@hindglance/core/radar/luts";
import { type StateVector, utcText } from "@hindglance/core/radar/orbit";
import type { GroundRangePolynomial, SensorModel } from "@hindglance/core/radar/sensor";
import { FormatError } from "../errors";
import { type XmlElement, parseXml } from "../xml";
import { type FileSet, readAll } from "../zip";
import { calibrationLuts, noiseLuts } from "./luts";

const MAX_XML = 64 << 20;
const MANIFEST = /(^|\/)manifest\.safe$/i;
const LIGHT_SPEED = 299_792_458;

/** A ground-range detected product in the SAFE layout, without its pixels. */
export interface SafeProduct {
  name: string;
  mission: string;
  mode: string;
  productType: string;
  pass: "ascending" | "descending";
  look: "right" | "left";
  /** UTC text of the first and last line. */
  start: string;
  stop: string;
  absoluteOrbit: number | null;
  polarisations: { name: string; measurement: string; bytes: number }[];
  sensor: SensorModel;
  luts: ProductLuts;
  /**
   * Incidence at the near and far edge and platform height, as far as the product says; degrees.
   */
  incidenceDeg: [number, number] | null;
  /** Corners from the geolocation grid in lon/lat, for a footprint. */
  footprint: [number, number][];
  warnings: string[];
}

/** Whether a set of files looks like a product in the SAFE layout. */
export const looksLikeSafe = (set: FileSet): boolean =>
  set.files.some(({ path }) => isManifest(path));

/** Whether a file is the manifest of a product. */
export const isManifest = (path: string): boolean => MANIFEST.test(path);

const AGAIN = "Fetch the product again, whole.";

/** A file of the product, and where it lies. */
type ProductFile = FileSet["files"][number];

/** A product's files by their path in it, whatever their letters' case. */
class ProductFiles {
  private readonly byPath: Map<string, ProductFile>;

  constructor(
    private readonly set: FileSet,
    /** Folder of the product in the set, with a slash behind it. */
    readonly base: string,
  ) {
    const own = set.files.filter(({ path }) => path.startsWith(base));
    this.byPath = new Map(own.map((file) => [file.path.slice(base.length).toLowerCase(), file]));
  }

  get paths(): string[] {
    return [...this.byPath.keys()];
  }

  find(path: string): ProductFile | null {
    return this.byPath.get(path.toLowerCase()) ?? null;
  }

  async xml({ path }: ProductFile): Promise<XmlElement> {
    return parseXml(await readAll(this.set, path, MAX_XML), path.slice(this.base.length));
  }
}

/** Files that a manifest lists, as paths in the product. */
const listedIn = (manifest: XmlElement): string[] =>
  manifest
    .all("dataObjectSection/dataObject")
    .map((element) => element.find("byteStream/fileLocation")?.attribute("href") ?? "")
    .filter(Boolean)
    .map((href) => href.replace(/^\.\//, ""));

/** @throws FormatError where annotation or measurement files are listed and not there */
function requireListed(listed: readonly string[], files: ProductFiles): void {
  const missing = listed.filter(
    (path) => /^(annotation|measurement)\//i.test(path) && !files.find(path),
  );
  if (missing.length === 1) {
    throw new FormatError(
      "incomplete",
      `The manifest lists ${missing[0]} that is not there`,
      AGAIN,
    );
  }
  if (missing.length > 1) {
    throw new FormatError(
      "incomplete",
      `The manifest lists ${missing.length} files that are not there, such as ${missing[0]}`,
      AGAIN,
    );
  }
}

/** Opens a product: its files, and the paths that it says it has. @throws FormatError */
async function openProduct(set: FileSet): Promise<{ files: ProductFiles; paths: string[] }> {
  const manifest = set.files.find(({ path }) => MANIFEST.test(path));
  if (!manifest) {
    throw new FormatError(
      "incomplete",
      "There is no manifest.safe: this is not a product in the SAFE layout",
    );
  }
  const files = new ProductFiles(set, manifest.path.slice(0, -"manifest.safe".length));
  const listed = listedIn(await files.xml(manifest));
  requireListed(listed, files);
  return { files, paths: listed.length ? listed : files.paths };
}

/** What an annotation says and what lies beside it. */
interface Channel {
  polarisation: SafeProduct["polarisations"][number];
  luts: PolarisationLuts;
  warnings: string[];
  root: XmlElement;
  sensor: SensorModel;
}

/** @throws FormatError where the product is of a type that cannot be read */
function requireDetected(head: XmlElement): void {
  const type = head.text("productType");
  if (type && !/^GRD/i.test(type)) {
    throw new FormatError(
      "unsupported",
      `This is a product of type ${type}; ground-range detected ones (GRD) can be read`,
      type === "SLC" ? "Order the detected product of the same pass." : undefined,
    );
  }
}

/** One polarisation: its annotation, pixels, calibration and noise. @throws FormatError */
async function readChannel(
  files: ProductFiles,
  paths: readonly string[],
  annotation: string,
): Promise<Channel> {
  const root = await files.xml(files.find(annotation)!);
  const head = root.get("adsHeader");
  requireDetected(head);
  const name = head.text("polarisation").toUpperCase();
  const stem = annotation
    .replace(/^annotation\//i, "")
    .replace(/\.xml$/i, "")
    .toLowerCase();
  const listed = (is: (path: string) => boolean): ProductFile | null => {
    const path = paths.find((one) => is(one.toLowerCase()));
    return path === undefined ? null : files.find(path);
  };
  const need = (what: string, is: (path: string) => boolean): ProductFile => {
    const file = listed(is);
    if (!file) {
      throw new FormatError("incomplete", `There is no ${what} for ${name} (${stem})`, AGAIN);
    }
    return file;
  };
  const pixels = need(
    "measurement file",
    (path) => path.replace(/\.tiff?$/, "") === `measurement/${stem}`,
  );
  const beside = (kind: string) => (path: string) =>
    path === `annotation/calibration/${kind}-${stem}.xml`;
  const calibration = need("calibration file", beside("calibration"));
  const noise = listed(beside("noise"));
  return {
    polarisation: { name, measurement: pixels.path, bytes: pixels.size },
    luts: {
      ...calibrationLuts(await files.xml(calibration)),
      ...(noise ? noiseLuts(await files.xml(noise)) : { noiseRange: [], noiseAzimuth: [] }),
    },
    warnings: noise
      ? []
      : [`There is no noise file for ${name}: thermal noise cannot be taken off.`],
    root,
    sensor: sensorModel(root),
  };
}

/** @throws FormatError where polarisations come twice, differ in size, or have no pixels */
function requireAgreement(channels: readonly Channel[], paths: readonly string[]): void {
  const names = channels.map(({ polarisation }) => polarisation.name);
  const twice = names.find((name, k) => names.indexOf(name) < k);
  if (twice) {
    throw new FormatError("contradictory", `Two annotation files say they are ${twice}`);
  }
  const first = channels[0]!.sensor;
  for (const { sensor } of channels) {
    if (sensor.lines !== first.lines || sensor.samples !== first.samples) {
      throw new FormatError(
        "contradictory",
        `The polarisations differ in size: ${first.samples} x ${first.lines} and ${sensor.samples} x ${sensor.lines} cells`,
      );
    }
  }
  const measured = paths.filter((path) => /^measurement\/.*\.tiff?$/i.test(path)).length;
  if (measured !== channels.length) {
    throw new FormatError(
      "contradictory",
      `The product has ${measured} measurement files but ${channels.length} annotation files`,
    );
  }
}

/** Points whose place on the Earth the product gives. */
const gridOf = (root: XmlElement) =>
  root.all("geolocationGrid/geolocationGridPointList/geolocationGridPoint").map((element) => ({
    line: element.number("line"),
    pixel: element.number("pixel"),
    lon: element.number("longitude"),
    lat: element.number("latitude"),
    incidence: element.has("incidenceAngle") ? element.number("incidenceAngle") : NaN,
  }));

/**
 * Reads everything but the pixels: manifest, annotation, calibration and noise of every
 * polarisation.
 * @throws FormatError naming what is missing or contradictory
 */
export async function readSafe(set: FileSet): Promise<SafeProduct> {
  const { files, paths } = await openProduct(set);
  const annotations = paths.filter((path) => /^annotation\/[^/]+\.xml$/i.test(path)).sort();
  if (annotations.length === 0) {
    throw new FormatError("incomplete", "The product has no annotation file");
  }
  const channels: Channel[] = [];
  for (const annotation of annotations) {
    channels.push(await readChannel(files, paths, annotation));
  }
  requireAgreement(channels, paths);
  const { root, sensor } = channels[0]!;
  const head = root.get("adsHeader");
  const grid = gridOf(root);
  const folder = files.base.replace(/\/$/, "").split("/").at(-1) ?? "";
  return {
    name: folder.replace(/\.SAFE$/i, "") || `${head.text("missionId")}_${head.text("startTime")}`,
    mission: sensor.mission,
    mode: sensor.mode,
    productType: head.text("productType"),
    pass: sensor.pass,
    look: sensor.look,
    start: utcText(sensor.firstLineT),
    stop: utcText(sensor.firstLineT + (sensor.lines - 1) * sensor.lineIntervalS),
    absoluteOrbit: head.has("absoluteOrbitNumber") ? head.number("absoluteOrbitNumber") : null,
    polarisations: channels
      .map(({ polarisation }) => polarisation)
      .sort((a, b) => order(a.name) - order(b.name)),
    sensor,
    luts: Object.fromEntries(channels.map(({ polarisation, luts }) => [polarisation.name, luts])),
    incidenceDeg: range(grid.map(({ incidence }) => incidence)),
    footprint: cornersOf(grid),
    warnings: channels.flatMap(({ warnings }) => warnings),
  };
}
const order = (path: string) => ["VV", "HH", "VH", "HV"].indexOf(path);
const range = (values: number[]): [number, number] | null =>
  values.length && values.every(Number.isFinite)
    ? [Math.min(...values), Math.max(...values)]
    : null;

function cornersOf(
  point: { line: number; pixel: number; lon: number; lat: number }[],
): [number, number][] {
  if (point.length < 4) {
    return [];
  }
  const l0 = Math.min(...point.map((position) => position.line));
  const l1 = Math.max(...point.map((position) => position.line));
  const at = (line: number, far: boolean): [number, number] => {
    const row = point.filter((a) => a.line === line).sort((a, b) => a.pixel - b.pixel);
    const position = far ? row.at(-1)! : row[0]!;
    return [position.lon, position.lat];
  };
  const ring = [at(l0, false), at(l0, true), at(l1, true), at(l1, false)];
  return [...ring, ring[0]!];
}

/** @throws FormatError where the image lies in another geometry than ground range */
function requireGroundRange(root: XmlElement, info: XmlElement): void {
  const projection = info.find("projection")?.text() ?? "";
  if (projection && !/ground/i.test(projection)) {
    throw new FormatError(
      "unsupported",
      `${root.file}: the image is in ${projection} geometry; ground range is needed`,
    );
  }
}

/** @throws FormatError where there are too few vectors to go by */
function orbitOf(root: XmlElement): StateVector[] {
  const orbit = root.all("generalAnnotation/orbitList/orbit").map((element): StateVector => ({
    t: element.time("time"),
    position: xyz(element.get("position")),
    velocity: xyz(element.get("velocity")),
  }));
  if (orbit.length < 4) {
    throw new FormatError(
      "incomplete",
      `${root.file} holds ${orbit.length} orbit vectors; four or more are needed`,
    );
  }
  return orbit;
}

/** @throws FormatError where slant range cannot be had from ground range */
function groundRangeOf(root: XmlElement): GroundRangePolynomial[] {
  const groundRange = root
    .all("coordinateConversion/coordinateConversionList/coordinateConversion")
    .map((element): GroundRangePolynomial => ({
      t: element.time("azimuthTime"),
      origin: element.number("sr0"),
      coefficients: element.numbers("srgrCoefficients"),
    }));
  if (groundRange.length === 0) {
    throw new FormatError(
      "incomplete",
      `${root.file} holds no slant to ground range conversion`,
      "Is this a ground-range detected product?",
    );
  }
  return groundRange;
}

/** Size and times of the lines. @throws FormatError where they cannot be right */
function linesOf({ file }: XmlElement, image: XmlElement) {
  const firstLineT = image.time("productFirstLineUtcTime");
  const lines = image.number("numberOfLines");
  const samples = image.number("numberOfSamples");
  const last = image.time("productLastLineUtcTime");
  const lineIntervalS = image.number("azimuthTimeInterval");
  if (!(lineIntervalS > 0) || !(lines > 1) || !(samples > 1)) {
    throw new FormatError("damaged", `${file}: size or line interval cannot be right`);
  }
  const off = Math.abs(last - firstLineT - (lines - 1) * lineIntervalS);
  if (off > Math.max(0.01, 2 * lineIntervalS)) {
    throw new FormatError(
      "contradictory",
      `${file}: ${lines} lines of ${lineIntervalS} s do not fit between the first and the last line's time`,
    );
  }
  return { firstLineT, lineIntervalS, lines, samples };
}

/** The side that the antenna looks to; right where nothing says so. */
function lookOf(info: XmlElement): SensorModel["look"] {
  const said = info.find("lookDirection") ?? info.find("antennaPointing");
  return /left/i.test(said?.text() ?? "") ? "left" : "right";
}

function sensorModel(root: XmlElement): SensorModel {
  const head = root.get("adsHeader");
  const info = root.get("generalAnnotation/productInformation");
  const image = root.get("imageAnnotation/imageInformation");
  requireGroundRange(root, info);
  return {
    mission: head.text("missionId"),
    mode: head.text("mode"),
    pass: /^asc/i.test(info.text("pass")) ? "ascending" : "descending",
    look: lookOf(info),
    wavelengthM: info.has("radarFrequency") ? LIGHT_SPEED / info.number("radarFrequency") : 0,
    orbit: orbitOf(root),
    orbitSource: "annotation",
    groundRange: groundRangeOf(root),
    ...linesOf(root, image),
    sampleSpacingM: image.number("rangePixelSpacing"),
    lineSpacingM: image.number("azimuthPixelSpacing"),
  };
}

const xyz = (element: XmlElement): [number, number, number] => [
  element.number("x"),
  element.number("y"),
  element.number("z"),
];
