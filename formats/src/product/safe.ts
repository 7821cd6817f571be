import type { PolarisationLuts, ProductLuts } from "@hindglance/core/radar/luts";
import { type StateVector, utcText } from "@hindglance/core/radar/orbit";
import type { GroundRangePolynomial, SensorModel } from "@hindglance/core/radar/sensor";
import { FormatError } from "../errors";
import { type XmlElement, parseXml } from "../xml";
import { type FileSet, readAll } from "../zip";
import { calibrationLuts, noiseLuts } from "./luts";

const MAX_XML = 64 << 20;
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
  set.files.some((file) => /(^|\/)manifest\.safe$/i.test(file.path));

/**
 * Reads everything but the pixels: manifest, annotation, calibration and noise of every
 * polarisation.
 * @throws FormatError naming what is missing or contradictory
 */
export async function readSafe(set: FileSet): Promise<SafeProduct> {
  const manifestPath = set.files.find((file) => /(^|\/)manifest\.safe$/i.test(file.path))?.path;
  if (!manifestPath) {
    throw new FormatError(
      "incomplete",
      "There is no manifest.safe: this is not a product in the SAFE layout",
    );
  }
  const base = manifestPath.slice(0, -"manifest.safe".length);
  const xml = async (path: string) =>
    parseXml(await readAll(set, path, MAX_XML), path.slice(base.length));
  const manifest = await xml(manifestPath);
  const listed = manifest
    .all("dataObjectSection/dataObject")
    .map((element) => element.find("byteStream/fileLocation")?.attribute("href") ?? "")
    .filter(Boolean)
    .map((h) => h.replace(/^\.\//, ""));
  const here = new Map(
    set.files
      .filter((file) => file.path.startsWith(base))
      .map((file) => [file.path.slice(base.length).toLowerCase(), file]),
  );
  const missing = listed.filter(
    (path) => /^(annotation|measurement)\//i.test(path) && !here.has(path.toLowerCase()),
  );
  if (missing.length) {
    throw new FormatError(
      "incomplete",
      `The manifest lists ${missing.length === 1 ? missing[0] : `${missing.length} files`} that ${missing.length === 1 ? "is" : "are"} not there${missing.length > 1 ? `, such as ${missing[0]}` : ""}`,
      "Fetch the product again, whole.",
    );
  }
  const files = listed.length ? listed : [...here.keys()];
  const annotations = files.filter((file) => /^annotation\/[^/]+\.xml$/i.test(file)).sort();
  if (annotations.length === 0) {
    throw new FormatError("incomplete", "The product has no annotation file");
  }
  const warnings: string[] = [];
  const polarisations: SafeProduct["polarisations"] = [];
  const luts: ProductLuts = {};
  let first: { head: XmlElement; root: XmlElement; sensor: SensorModel } | null = null;
  for (const path of annotations) {
    const root = await xml(here.get(path.toLowerCase())!.path);
    const head = root.get("adsHeader");
    const pol = head.text("polarisation").toUpperCase();
    const type = head.text("productType");
    if (type && !/^GRD/i.test(type)) {
      throw new FormatError(
        "unsupported",
        `This is a product of type ${type}; ground-range detected ones (GRD) can be read`,
        type === "SLC" ? "Order the detected product of the same pass." : undefined,
      );
    }
    if (polarisations.some((polarisation) => polarisation.name === pol)) {
      throw new FormatError("contradictory", `Two annotation files say they are ${pol}`);
    }
    const stem = path
      .replace(/^annotation\//i, "")
      .replace(/\.xml$/i, "")
      .toLowerCase();
    const find = (what: string, test: (eachPath: string) => boolean) => {
      const file = files.find((eachFile) => test(eachFile.toLowerCase()));
      if (!file || !here.has(file.toLowerCase())) {
        throw new FormatError(
          "incomplete",
          `There is no ${what} for ${pol} (${stem})`,
          "Fetch the product again, whole.",
        );
      }
      return here.get(file.toLowerCase())!;
    };
    const tiff = find(
      "measurement file",
      (part) =>
        /^measurement\//.test(part) &&
        part.replace(/^measurement\//, "").replace(/\.tiff?$/, "") === stem,
    );
    const calibration = find(
      "calibration file",
      (part) => part === `annotation/calibration/calibration-${stem}.xml`,
    );
    const noisePath = files.find(
      (file) => file.toLowerCase() === `annotation/calibration/noise-${stem}.xml`,
    );
    let noise: Pick<PolarisationLuts, "noiseRange" | "noiseAzimuth"> = {
      noiseRange: [],
      noiseAzimuth: [],
    };
    if (noisePath && here.has(noisePath.toLowerCase())) {
      noise = noiseLuts(await xml(here.get(noisePath.toLowerCase())!.path));
    } else {
      warnings.push(`There is no noise file for ${pol}: thermal noise cannot be taken off.`);
    }
    luts[pol] = { ...calibrationLuts(await xml(calibration.path)), ...noise };
    polarisations.push({ name: pol, measurement: tiff.path, bytes: tiff.size });
    const sensor = sensorModel(root);
    if (!first) {
      first = { head, root, sensor };
    } else if (sensor.lines !== first.sensor.lines || sensor.samples !== first.sensor.samples) {
      throw new FormatError(
        "contradictory",
        `The polarisations differ in size: ${first.sensor.samples} x ${first.sensor.lines} and ${sensor.samples} x ${sensor.lines} cells`,
      );
    }
  }
  const { head, root, sensor } = first!;
  const tiffs = files.filter((file) => /^measurement\/.*\.tiff?$/i.test(file)).length;
  if (tiffs !== polarisations.length) {
    throw new FormatError(
      "contradictory",
      `The product has ${tiffs} measurement files but ${polarisations.length} annotation files`,
    );
  }
  const grid = root
    .all("geolocationGrid/geolocationGridPointList/geolocationGridPoint")
    .map((element) => ({
      line: element.number("line"),
      pixel: element.number("pixel"),
      lon: element.number("longitude"),
      lat: element.number("latitude"),
      incidence: element.has("incidenceAngle") ? element.number("incidenceAngle") : NaN,
    }));
  const name = (base.replace(/\/$/, "").split("/").pop() || "").replace(/\.SAFE$/i, "");
  return {
    name: name || `${head.text("missionId")}_${head.text("startTime")}`,
    mission: sensor.mission,
    mode: sensor.mode,
    productType: head.text("productType"),
    pass: sensor.pass,
    look: sensor.look,
    start: utcText(sensor.firstLineT),
    stop: utcText(sensor.firstLineT + (sensor.lines - 1) * sensor.lineIntervalS),
    absoluteOrbit: head.has("absoluteOrbitNumber") ? head.number("absoluteOrbitNumber") : null,
    polarisations: polarisations.sort((a, b) => order(a.name) - order(b.name)),
    sensor,
    luts,
    incidenceDeg: range(grid.map((point) => point.incidence)),
    footprint: cornersOf(grid),
    warnings,
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

function sensorModel(root: XmlElement): SensorModel {
  const head = root.get("adsHeader");
  const info = root.get("generalAnnotation/productInformation");
  const image = root.get("imageAnnotation/imageInformation");
  const projection = info.find("projection")?.text() ?? "";
  if (projection && !/ground/i.test(projection)) {
    throw new FormatError(
      "unsupported",
      `${root.file}: the image is in ${projection} geometry; ground range is needed`,
    );
  }
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
  const firstLineT = image.time("productFirstLineUtcTime");
  const lines = image.number("numberOfLines");
  const samples = image.number("numberOfSamples");
  const last = image.time("productLastLineUtcTime");
  const lineIntervalS = image.number("azimuthTimeInterval");
  if (!(lineIntervalS > 0) || !(lines > 1) || !(samples > 1)) {
    throw new FormatError("damaged", `${root.file}: size or line interval cannot be right`);
  }
  if (
    Math.abs(last - firstLineT - (lines - 1) * lineIntervalS) > Math.max(0.01, 2 * lineIntervalS)
  ) {
    throw new FormatError(
      "contradictory",
      `${root.file}: ${lines} lines of ${lineIntervalS} s do not fit between the first and the last line's time`,
    );
  }
  return {
    mission: head.text("missionId"),
    mode: head.text("mode"),
    pass: /^asc/i.test(info.text("pass")) ? "ascending" : "descending",
    look: /left/i.test(
      info.find("lookDirection")?.text() ?? info.find("antennaPointing")?.text() ?? "",
    )
      ? "left"
      : "right",
    wavelengthM: info.has("radarFrequency") ? LIGHT_SPEED / info.number("radarFrequency") : 0,
    orbit,
    orbitSource: "annotation",
    firstLineT,
    lineIntervalS,
    sampleSpacingM: image.number("rangePixelSpacing"),
    lineSpacingM: image.number("azimuthPixelSpacing"),
    groundRange,
    lines,
    samples,
  };
}
const xyz = (element: XmlElement): [number, number, number] => [
  element.number("x"),
  element.number("y"),
  element.number("z"),
];
