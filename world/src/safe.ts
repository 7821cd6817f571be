import { createHash } from "node:crypto";
import { createWriteStream, renameSync } from "node:fs";
import { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import yazl from "yazl";
import { fromEcef, toEcef, sub, norm, dot } from "@hindglance/core/geodesy/ecef";
import { type StateVector, utcText } from "@hindglance/core/radar/orbit";
import { RangeDoppler, type SensorModel } from "@hindglance/core/radar/sensor";
import { plainTiffHeader } from "./plainTiff";
import { BETA_GAIN, azimuthRipple, noiseSigma } from "./simulate";

/** A product to be written: geometry as announced, and the rows of each polarisation. */
export interface ProductToWrite {
  sensor: SensorModel;
  name: string;
  absoluteOrbit: number;
  /** Incidence on the ellipsoid by sample, radians. */
  incidence: Float64Array;
  /** First line of a frame that is cut out of a longer take. */
  line0?: number;
  bands: {
    polarisation: "VV" | "VH";
    rows: () => Iterable<Uint16Array> | AsyncIterable<Uint16Array>;
  }[];
}

const time = (t: number) => utcText(t).slice(0, -1);
const stamp = (t: number) => time(t).slice(0, 19).replace(/[-:]/g, "");
const list = (value: Iterable<number>, digits: number) =>
  [...value].map((x) => x.toExponential(digits)).join(" ");
const stopT = (sensorModel: SensorModel) =>
  sensorModel.firstLineT + (sensorModel.lines - 1) * sensorModel.lineIntervalS;

/** Name of a product by the public naming rule. */
export const productName = (sensorModel: SensorModel, orbit: number): string =>
  `LN1_IW_GRDH_1SDV_${stamp(sensorModel.firstLineT)}_${stamp(stopT(sensorModel))}_${String(orbit).padStart(6, "0")}_0C0A5E`;

/** Incidence on the ellipsoid in the middle of the frame, by sample. */
export function incidenceOf(sensorModel: SensorModel): Float64Array {
  const rd = new RangeDoppler(sensorModel);
  const line = sensorModel.lines / 2;
  const position = rd.orbit.at(rd.timeOf(line)).position;
  const at = (sample: number) => {
    const point = rd.ground(line, sample, 0);
    const [lon, lat] = fromEcef(point);
    const up = sub(toEcef(lon, lat, 1), point);
    const beam = sub(position, point);
    return Math.acos(dot(up, beam) / (norm(up) * norm(beam)));
  };
  const step = 50;
  const knots = Array.from({ length: Math.ceil(sensorModel.samples / step) + 1 }, (_v, k) =>
    at(k * step),
  );
  return Float64Array.from({ length: sensorModel.samples }, (_v, c) => {
    const k = Math.floor(c / step);
    const fraction = c / step - k;
    return knots[k]! * (1 - fraction) + knots[k + 1]! * fraction;
  });
}

const file = (pol: string, product: ProductToWrite, index: number) =>
  `ln1-iw-grd-${pol.toLowerCase()}-${stamp(product.sensor.firstLineT).toLowerCase()}-${stamp(stopT(product.sensor)).toLowerCase()}-${String(product.absoluteOrbit).padStart(6, "0")}-0c0a5e-00${index + 1}`;

/** Writes a product as a zip in the SAFE layout, the same to the byte for the same cells. */
export async function writeSafe(path: string, product: ProductToWrite): Promise<void> {
  const zip = new yazl.ZipFile();
  const options = {
    mtime: new Date(Date.UTC(2025, 0, 1)),
    compressionLevel: 1,
    forceDosTimestamp: true,
  } as const;
  const base = `${product.name}.SAFE/`;
  zip.on("error", (e) => {
    throw e;
  });
  const objects: { href: string; id: string; bytes: Uint8Array | null }[] = [];
  const text = (name: string, id: string, body: string) => {
    const bytes = Buffer.from(`<?xml version="1.0" encoding="UTF-8"?>\n${body}\n`);
    objects.push({ href: name, id, bytes });
    zip.addBuffer(bytes, base + name, { ...options, compressionLevel: 6 });
  };
  product.bands.forEach((band, i) => {
    const stem = file(band.polarisation, product, i);
    text(`annotation/${stem}.xml`, `product${stem}`, annotation(product, band.polarisation, i));
    text(
      `annotation/calibration/calibration-${stem}.xml`,
      `calibration${stem}`,
      calibration(product, band.polarisation, i),
    );
    text(
      `annotation/calibration/noise-${stem}.xml`,
      `noise${stem}`,
      noiseXml(product, band.polarisation, i),
    );
    objects.push({ href: `measurement/${stem}.tiff`, id: `measurement${stem}`, bytes: null });
    zip.addReadStreamLazy(`${base}measurement/${stem}.tiff`, options, (cb) => {
      cb(
        null,
        Readable.from(
          (async function* () {
            yield plainTiffHeader({
              width: product.sensor.samples,
              height: product.sensor.lines,
              bits: 16,
              float: false,
            });
            for await (const r of band.rows()) {
              yield new Uint8Array(r.buffer, r.byteOffset, r.byteLength);
            }
          })(),
          { objectMode: false },
        ),
      );
    });
  });
  zip.addBuffer(Buffer.from(manifest(product, objects)), `${base}manifest.safe`, options);
  zip.end();
  // It gets its name once it is whole: what is interrupted, or written twice at a time, is never half.
  const part = `${path}.${process.pid}.part`;
  await pipeline(zip.outputStream as unknown as Readable, createWriteStream(part));
  renameSync(part, path);
}

function manifest(
  product: ProductToWrite,
  objects: { href: string; id: string; bytes: Uint8Array | null }[],
): string {
  const sensorModel = product.sensor;
  return `<?xml version="1.0" encoding="UTF-8"?>
<xfdu:XFDU xmlns:xfdu="urn:ccsds:schema:xfdu:1" xmlns:safe="http://www.esa.int/safe/sentinel-1.0" version="esa/safe/sentinel-1.0/sentinel-1/sar/level-1/standard/standard-dual">
<metadataSection>
<metadataObject ID="platform" classification="DESCRIPTION" category="DMD"><metadataWrap><xmlData><safe:platform><safe:familyName>LANTERN</safe:familyName><safe:number>1</safe:number></safe:platform></xmlData></metadataWrap></metadataObject>
<metadataObject ID="acquisitionPeriod" classification="DESCRIPTION" category="DMD"><metadataWrap><xmlData><safe:acquisitionPeriod><safe:startTime>${time(sensorModel.firstLineT)}</safe:startTime><safe:stopTime>${time(stopT(sensorModel))}</safe:stopTime></safe:acquisitionPeriod></xmlData></metadataWrap></metadataObject>
</metadataSection>
<dataObjectSection>
${objects.map((object) => `<dataObject ID="${object.id.replace(/-/g, "")}" repID="s1Level1Schema"><byteStream mimeType="${object.bytes ? "text/xml" : "application/octet-stream"}"${object.bytes ? ` size="${object.bytes.length}"` : ""}><fileLocation locatorType="URL" href="./${object.href}"/>${object.bytes ? `<checksum checksumName="MD5">${createHash("md5").update(object.bytes).digest("hex")}</checksum>` : ""}</byteStream></dataObject>`).join("\n")}
</dataObjectSection>
</xfdu:XFDU>
`;
}

const head = (product: ProductToWrite, pol: string, i: number) =>
  `<adsHeader><missionId>LN1</missionId><productType>GRD</productType><polarisation>${pol}</polarisation><mode>IW</mode><swath>IW</swath><startTime>${time(product.sensor.firstLineT)}</startTime><stopTime>${time(stopT(product.sensor))}</stopTime><absoluteOrbitNumber>${product.absoluteOrbit}</absoluteOrbitNumber><missionDataTakeId>49758</missionDataTakeId><imageNumber>00${i + 1}</imageNumber></adsHeader>`;

function annotation(product: ProductToWrite, pol: string, i: number): string {
  const sensorModel = product.sensor;
  const rd = new RangeDoppler(sensorModel);
  const xyz = (value: StateVector["position"], delta: number) =>
    (["x", "y", "z"] as const).map((k, n) => `<${k}>${value[n]!.toFixed(delta)}</${k}>`).join("");
  const points: string[] = [];
  for (let a = 0; a <= 8; a++) {
    for (let b = 0; b <= 12; b++) {
      const line = Math.round((a * (sensorModel.lines - 1)) / 8);
      const pixel = Math.round((b * (sensorModel.samples - 1)) / 12);
      const [lon, lat] = fromEcef(rd.ground(line, pixel, 0));
      const t = rd.timeOf(line);
      points.push(
        `<geolocationGridPoint><azimuthTime>${time(t)}</azimuthTime><slantRangeTime>${((2 * rd.slantRange(pixel * sensorModel.sampleSpacingM, t)) / 299792458).toExponential(15)}</slantRangeTime><line>${line}</line><pixel>${pixel}</pixel><latitude>${lat.toFixed(9)}</latitude><longitude>${lon.toFixed(9)}</longitude><height>0.0</height><incidenceAngle>${((product.incidence[Math.min(sensorModel.samples - 1, pixel)]! * 180) / Math.PI).toFixed(6)}</incidenceAngle></geolocationGridPoint>`,
      );
    }
  }
  return `<product>${head(product, pol, i)}
<generalAnnotation><productInformation><pass>${sensorModel.pass === "ascending" ? "Ascending" : "Descending"}</pass><projection>Ground Range</projection><rangeSamplingRate>6.434523812571428e+07</rangeSamplingRate><radarFrequency>${(299792458 / sensorModel.wavelengthM).toExponential(12)}</radarFrequency></productInformation>
<orbitList count="${sensorModel.orbit.length}">${sensorModel.orbit.map((stateVector) => `<orbit><time>${time(stateVector.t)}</time><frame>Earth Fixed</frame><position>${xyz(stateVector.position, 6)}</position><velocity>${xyz(stateVector.velocity, 6)}</velocity></orbit>`).join("\n")}</orbitList></generalAnnotation>
<imageAnnotation><imageInformation><productFirstLineUtcTime>${time(sensorModel.firstLineT)}</productFirstLineUtcTime><productLastLineUtcTime>${time(stopT(sensorModel))}</productLastLineUtcTime><slantRangeTime>${((2 * rd.slantRange(0, sensorModel.firstLineT)) / 299792458).toExponential(15)}</slantRangeTime><pixelValue>Detected</pixelValue><outputPixels>16 bit Unsigned Integer</outputPixels><rangePixelSpacing>${sensorModel.sampleSpacingM.toExponential(6)}</rangePixelSpacing><azimuthPixelSpacing>${sensorModel.lineSpacingM.toExponential(6)}</azimuthPixelSpacing><azimuthTimeInterval>${sensorModel.lineIntervalS.toExponential(15)}</azimuthTimeInterval><numberOfSamples>${sensorModel.samples}</numberOfSamples><numberOfLines>${sensorModel.lines}</numberOfLines><incidenceAngleMidSwath>${((product.incidence[sensorModel.samples >> 1]! * 180) / Math.PI).toExponential(9)}</incidenceAngleMidSwath></imageInformation></imageAnnotation>
<coordinateConversion><coordinateConversionList count="${sensorModel.groundRange.length}">${sensorModel.groundRange.map((polynomial) => `<coordinateConversion><azimuthTime>${time(polynomial.t)}</azimuthTime><slantRangeTime>${((2 * polynomial.origin) / 299792458).toExponential(15)}</slantRangeTime><sr0>${polynomial.origin.toExponential(15)}</sr0><srgrCoefficients count="${polynomial.coefficients.length}">${list(polynomial.coefficients, 15)}</srgrCoefficients><gr0>0.0</gr0></coordinateConversion>`).join("\n")}</coordinateConversionList></coordinateConversion>
<geolocationGrid><geolocationGridPointList count="${points.length}">
${points.join("\n")}
</geolocationGridPointList></geolocationGrid></product>`;
}

/**
 * Lines and pixels of the look-up vectors; as in the public layout the vectors begin before the
 * first line and end after the last.
 */
const lutLines = (sensorModel: SensorModel) => {
  const out: number[] = [];
  for (let line = -300; line < sensorModel.lines + 670; line += 667) {
    out.push(line);
  }
  return out;
};
const lutPixels = (sensorModel: SensorModel, step = 40) => {
  const out: number[] = [];
  for (let x = 0; x < sensorModel.samples - 1; x += step) {
    out.push(x);
  }
  out.push(sensorModel.samples - 1);
  return out;
};

function calibration(product: ProductToWrite, pol: string, i: number): string {
  const sensorModel = product.sensor;
  const pixels = lutPixels(sensorModel);
  const gains = (gainAt: (inc: number) => number) =>
    list(
      pixels.map((x) => BETA_GAIN * gainAt(product.incidence[x]!)),
      6,
    );
  const body = `<pixel count="${pixels.length}">${pixels.join(" ")}</pixel><sigmaNought count="${pixels.length}">${gains((a) => 1 / Math.sqrt(Math.sin(a)))}</sigmaNought><betaNought count="${pixels.length}">${gains(() => 1)}</betaNought><gamma count="${pixels.length}">${gains((a) => 1 / Math.sqrt(Math.tan(a)))}</gamma><dn count="${pixels.length}">${gains(() => 1)}</dn>`;
  const lines = lutLines(sensorModel);
  return `<calibration>${head(product, pol, i)}<calibrationInformation><absoluteCalibrationConstant>1.000000e+00</absoluteCalibrationConstant></calibrationInformation><calibrationVectorList count="${lines.length}">${lines.map((line) => `<calibrationVector><azimuthTime>${time(sensorModel.firstLineT + line * sensorModel.lineIntervalS)}</azimuthTime><line>${line}</line>${body}</calibrationVector>`).join("\n")}</calibrationVectorList></calibration>`;
}

function noiseXml(product: ProductToWrite, pol: string, i: number): string {
  const sensorModel = product.sensor;
  const pixels = lutPixels(sensorModel);
  const values = list(
    pixels.map(
      (x) =>
        noiseSigma(x / sensorModel.samples) * (BETA_GAIN ** 2 / Math.sin(product.incidence[x]!)),
    ),
    6,
  );
  const lines = lutLines(sensorModel);
  const az: number[] = [];
  for (let line = 0; line < sensorModel.lines - 1; line += 20) {
    az.push(line);
  }
  az.push(sensorModel.lines - 1);
  return `<noise>${head(product, pol, i)}<noiseRangeVectorList count="${lines.length}">${lines.map((line) => `<noiseRangeVector><azimuthTime>${time(sensorModel.firstLineT + line * sensorModel.lineIntervalS)}</azimuthTime><line>${line}</line><pixel count="${pixels.length}">${pixels.join(" ")}</pixel><noiseRangeLut count="${pixels.length}">${values}</noiseRangeLut></noiseRangeVector>`).join("\n")}</noiseRangeVectorList>
<noiseAzimuthVectorList count="1"><noiseAzimuthVector><swath>IW</swath><firstAzimuthLine>0</firstAzimuthLine><firstRangeSample>0</firstRangeSample><lastAzimuthLine>${sensorModel.lines - 1}</lastAzimuthLine><lastRangeSample>${sensorModel.samples - 1}</lastRangeSample><line count="${az.length}">${az.join(" ")}</line><noiseAzimuthLut count="${az.length}">${list(
    az.map((line) => azimuthRipple(line + (product.line0 ?? 0))),
    6,
  )}</noiseAzimuthLut></noiseAzimuthVector></noiseAzimuthVectorList></noise>`;
}

/** Text of an Earth Explorer file with a precise orbit. */
export function orbitFileText(vectors: StateVector[], absoluteOrbit: number): string {
  const utc = (t: number) => `UTC=${time(t)}`;
  const tai = (t: number) => `TAI=${time(t + 37)}`;
  return `<?xml version="1.0"?>
<Earth_Explorer_File>
<Earth_Explorer_Header><Fixed_Header><File_Name>${orbitFileName(vectors).replace(".EOF", "")}</File_Name><Mission>LANTERN-1</Mission><File_Class>OPER</File_Class><File_Type>AUX_POEORB</File_Type><Validity_Period><Validity_Start>${utc(vectors[0]!.t).slice(0, 23)}</Validity_Start><Validity_Stop>${utc(vectors.at(-1)!.t).slice(0, 23)}</Validity_Stop></Validity_Period></Fixed_Header>
<Variable_Header><Ref_Frame>EARTH_FIXED</Ref_Frame><Time_Reference>UTC</Time_Reference></Variable_Header></Earth_Explorer_Header>
<Data_Block type="xml"><List_of_OSVs count="${vectors.length}">
${vectors.map((vector) => `<OSV><TAI>${tai(vector.t)}</TAI><UTC>${utc(vector.t)}</UTC><Absolute_Orbit>+${absoluteOrbit}</Absolute_Orbit><X unit="m">${vector.position[0].toFixed(6)}</X><Y unit="m">${vector.position[1].toFixed(6)}</Y><Z unit="m">${vector.position[2].toFixed(6)}</Z><VX unit="m/s">${vector.velocity[0].toFixed(6)}</VX><VY unit="m/s">${vector.velocity[1].toFixed(6)}</VY><VZ unit="m/s">${vector.velocity[2].toFixed(6)}</VZ><Quality>NOMINAL</Quality></OSV>`).join("\n")}
</List_of_OSVs></Data_Block>
</Earth_Explorer_File>
`;
}

/** Name of an orbit file by the public naming rule. */
export const orbitFileName = (stateVectors: StateVector[]): string =>
  `LN1_OPER_AUX_POEORB_OPOD_20250620T120000_V${stamp(stateVectors[0]!.t)}_${stamp(stateVectors.at(-1)!.t)}.EOF`;
