import { createHash } from "node:crypto";
import { createWriteStream } from "node:fs";
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
const list = (v: Iterable<number>, digits: number) =>
  [...v].map((x) => x.toExponential(digits)).join(" ");
const stopT = (m: SensorModel) => m.firstLineT + (m.lines - 1) * m.lineIntervalS;

export const productName = (m: SensorModel, orbit: number): string =>
  `LN1_IW_GRDH_1SDV_${stamp(m.firstLineT)}_${stamp(stopT(m))}_${String(orbit).padStart(6, "0")}_0C0A5E`;

/** Incidence on the ellipsoid in the middle of the frame, by sample. */
export function incidenceOf(m: SensorModel): Float64Array {
  const rd = new RangeDoppler(m);
  const line = m.lines / 2;
  const s = rd.orbit.at(rd.timeOf(line)).position;
  const at = (sample: number) => {
    const p = rd.ground(line, sample, 0);
    const [lon, lat] = fromEcef(p);
    const up = sub(toEcef(lon, lat, 1), p);
    const beam = sub(s, p);
    return Math.acos(dot(up, beam) / (norm(up) * norm(beam)));
  };
  const step = 50;
  const knots = Array.from({ length: Math.ceil(m.samples / step) + 1 }, (_v, k) => at(k * step));
  return Float64Array.from({ length: m.samples }, (_v, c) => {
    const k = Math.floor(c / step);
    const f = c / step - k;
    return knots[k]! * (1 - f) + knots[k + 1]! * f;
  });
}

const file = (pol: string, p: ProductToWrite, index: number) =>
  `ln1-iw-grd-${pol.toLowerCase()}-${stamp(p.sensor.firstLineT).toLowerCase()}-${stamp(stopT(p.sensor)).toLowerCase()}-${String(p.absoluteOrbit).padStart(6, "0")}-0c0a5e-00${index + 1}`;

/** Writes a product as a zip in the SAFE layout, the same to the byte for the same cells. */
export async function writeSafe(path: string, p: ProductToWrite): Promise<void> {
  const zip = new yazl.ZipFile();
  const options = {
    mtime: new Date(Date.UTC(2025, 0, 1)),
    compressionLevel: 1,
    forceDosTimestamp: true,
  } as const;
  const base = `${p.name}.SAFE/`;
  zip.on("error", (e) => {
    throw e;
  });
  const objects: { href: string; id: string; bytes: Uint8Array | null }[] = [];
  const text = (name: string, id: string, body: string) => {
    const bytes = Buffer.from(`<?xml version="1.0" encoding="UTF-8"?>\n${body}\n`);
    objects.push({ href: name, id, bytes });
    zip.addBuffer(bytes, base + name, { ...options, compressionLevel: 6 });
  };
  p.bands.forEach((b, i) => {
    const stem = file(b.polarisation, p, i);
    text(`annotation/${stem}.xml`, `product${stem}`, annotation(p, b.polarisation, i));
    text(
      `annotation/calibration/calibration-${stem}.xml`,
      `calibration${stem}`,
      calibration(p, b.polarisation, i),
    );
    text(
      `annotation/calibration/noise-${stem}.xml`,
      `noise${stem}`,
      noiseXml(p, b.polarisation, i),
    );
    objects.push({ href: `measurement/${stem}.tiff`, id: `measurement${stem}`, bytes: null });
    zip.addReadStreamLazy(`${base}measurement/${stem}.tiff`, options, (cb) => {
      cb(
        null,
        Readable.from(
          (async function* () {
            yield plainTiffHeader({
              width: p.sensor.samples,
              height: p.sensor.lines,
              bits: 16,
              float: false,
            });
            for await (const r of b.rows()) {
              yield new Uint8Array(r.buffer, r.byteOffset, r.byteLength);
            }
          })(),
          { objectMode: false },
        ),
      );
    });
  });
  zip.addBuffer(Buffer.from(manifest(p, objects)), `${base}manifest.safe`, options);
  zip.end();
  await pipeline(zip.outputStream as unknown as Readable, createWriteStream(path));
}

function manifest(
  p: ProductToWrite,
  objects: { href: string; id: string; bytes: Uint8Array | null }[],
): string {
  const m = p.sensor;
  return `<?xml version="1.0" encoding="UTF-8"?>
<xfdu:XFDU xmlns:xfdu="urn:ccsds:schema:xfdu:1" xmlns:safe="http://www.esa.int/safe/sentinel-1.0" version="esa/safe/sentinel-1.0/sentinel-1/sar/level-1/standard/standard-dual">
<metadataSection>
<metadataObject ID="platform" classification="DESCRIPTION" category="DMD"><metadataWrap><xmlData><safe:platform><safe:familyName>LANTERN</safe:familyName><safe:number>1</safe:number></safe:platform></xmlData></metadataWrap></metadataObject>
<metadataObject ID="acquisitionPeriod" classification="DESCRIPTION" category="DMD"><metadataWrap><xmlData><safe:acquisitionPeriod><safe:startTime>${time(m.firstLineT)}</safe:startTime><safe:stopTime>${time(stopT(m))}</safe:stopTime></safe:acquisitionPeriod></xmlData></metadataWrap></metadataObject>
</metadataSection>
<dataObjectSection>
${objects.map((o) => `<dataObject ID="${o.id.replace(/-/g, "")}" repID="s1Level1Schema"><byteStream mimeType="${o.bytes ? "text/xml" : "application/octet-stream"}"${o.bytes ? ` size="${o.bytes.length}"` : ""}><fileLocation locatorType="URL" href="./${o.href}"/>${o.bytes ? `<checksum checksumName="MD5">${createHash("md5").update(o.bytes).digest("hex")}</checksum>` : ""}</byteStream></dataObject>`).join("\n")}
</dataObjectSection>
</xfdu:XFDU>
`;
}

const head = (p: ProductToWrite, pol: string, i: number) =>
  `<adsHeader><missionId>LN1</missionId><productType>GRD</productType><polarisation>${pol}</polarisation><mode>IW</mode><swath>IW</swath><startTime>${time(p.sensor.firstLineT)}</startTime><stopTime>${time(stopT(p.sensor))}</stopTime><absoluteOrbitNumber>${p.absoluteOrbit}</absoluteOrbitNumber><missionDataTakeId>49758</missionDataTakeId><imageNumber>00${i + 1}</imageNumber></adsHeader>`;

function annotation(p: ProductToWrite, pol: string, i: number): string {
  const m = p.sensor;
  const rd = new RangeDoppler(m);
  const xyz = (v: StateVector["position"], d: number) =>
    (["x", "y", "z"] as const).map((k, n) => `<${k}>${v[n]!.toFixed(d)}</${k}>`).join("");
  const points: string[] = [];
  for (let a = 0; a <= 8; a++) {
    for (let b = 0; b <= 12; b++) {
      const line = Math.round((a * (m.lines - 1)) / 8);
      const pixel = Math.round((b * (m.samples - 1)) / 12);
      const [lon, lat] = fromEcef(rd.ground(line, pixel, 0));
      const t = rd.timeOf(line);
      points.push(
        `<geolocationGridPoint><azimuthTime>${time(t)}</azimuthTime><slantRangeTime>${((2 * rd.slantRange(pixel * m.sampleSpacingM, t)) / 299792458).toExponential(15)}</slantRangeTime><line>${line}</line><pixel>${pixel}</pixel><latitude>${lat.toFixed(9)}</latitude><longitude>${lon.toFixed(9)}</longitude><height>0.0</height><incidenceAngle>${((p.incidence[Math.min(m.samples - 1, pixel)]! * 180) / Math.PI).toFixed(6)}</incidenceAngle></geolocationGridPoint>`,
      );
    }
  }
  return `<product>${head(p, pol, i)}
<generalAnnotation><productInformation><pass>${m.pass === "ascending" ? "Ascending" : "Descending"}</pass><projection>Ground Range</projection><rangeSamplingRate>6.434523812571428e+07</rangeSamplingRate><radarFrequency>${(299792458 / m.wavelengthM).toExponential(12)}</radarFrequency></productInformation>
<orbitList count="${m.orbit.length}">${m.orbit.map((v) => `<orbit><time>${time(v.t)}</time><frame>Earth Fixed</frame><position>${xyz(v.position, 6)}</position><velocity>${xyz(v.velocity, 6)}</velocity></orbit>`).join("\n")}</orbitList></generalAnnotation>
<imageAnnotation><imageInformation><productFirstLineUtcTime>${time(m.firstLineT)}</productFirstLineUtcTime><productLastLineUtcTime>${time(stopT(m))}</productLastLineUtcTime><slantRangeTime>${((2 * rd.slantRange(0, m.firstLineT)) / 299792458).toExponential(15)}</slantRangeTime><pixelValue>Detected</pixelValue><outputPixels>16 bit Unsigned Integer</outputPixels><rangePixelSpacing>${m.sampleSpacingM.toExponential(6)}</rangePixelSpacing><azimuthPixelSpacing>${m.lineSpacingM.toExponential(6)}</azimuthPixelSpacing><azimuthTimeInterval>${m.lineIntervalS.toExponential(15)}</azimuthTimeInterval><numberOfSamples>${m.samples}</numberOfSamples><numberOfLines>${m.lines}</numberOfLines><incidenceAngleMidSwath>${((p.incidence[m.samples >> 1]! * 180) / Math.PI).toExponential(9)}</incidenceAngleMidSwath></imageInformation></imageAnnotation>
<coordinateConversion><coordinateConversionList count="${m.groundRange.length}">${m.groundRange.map((g) => `<coordinateConversion><azimuthTime>${time(g.t)}</azimuthTime><slantRangeTime>${((2 * g.origin) / 299792458).toExponential(15)}</slantRangeTime><sr0>${g.origin.toExponential(15)}</sr0><srgrCoefficients count="${g.coefficients.length}">${list(g.coefficients, 15)}</srgrCoefficients><gr0>0.0</gr0></coordinateConversion>`).join("\n")}</coordinateConversionList></coordinateConversion>
<geolocationGrid><geolocationGridPointList count="${points.length}">
${points.join("\n")}
</geolocationGridPointList></geolocationGrid></product>`;
}

/**
 * Lines and pixels of the look-up vectors; as in the public layout the vectors begin before the
 * first line and end after the last.
 */
const lutLines = (m: SensorModel) => {
  const out: number[] = [];
  for (let l = -300; l < m.lines + 670; l += 667) {
    out.push(l);
  }
  return out;
};
const lutPixels = (m: SensorModel, step = 40) => {
  const out: number[] = [];
  for (let x = 0; x < m.samples - 1; x += step) {
    out.push(x);
  }
  out.push(m.samples - 1);
  return out;
};

function calibration(p: ProductToWrite, pol: string, i: number): string {
  const m = p.sensor;
  const pixels = lutPixels(m);
  const g = (f: (inc: number) => number) =>
    list(
      pixels.map((x) => BETA_GAIN * f(p.incidence[x]!)),
      6,
    );
  const body = `<pixel count="${pixels.length}">${pixels.join(" ")}</pixel><sigmaNought count="${pixels.length}">${g((a) => 1 / Math.sqrt(Math.sin(a)))}</sigmaNought><betaNought count="${pixels.length}">${g(() => 1)}</betaNought><gamma count="${pixels.length}">${g((a) => 1 / Math.sqrt(Math.tan(a)))}</gamma><dn count="${pixels.length}">${g(() => 1)}</dn>`;
  const lines = lutLines(m);
  return `<calibration>${head(p, pol, i)}<calibrationInformation><absoluteCalibrationConstant>1.000000e+00</absoluteCalibrationConstant></calibrationInformation><calibrationVectorList count="${lines.length}">${lines.map((l) => `<calibrationVector><azimuthTime>${time(m.firstLineT + l * m.lineIntervalS)}</azimuthTime><line>${l}</line>${body}</calibrationVector>`).join("\n")}</calibrationVectorList></calibration>`;
}

function noiseXml(p: ProductToWrite, pol: string, i: number): string {
  const m = p.sensor;
  const pixels = lutPixels(m);
  const values = list(
    pixels.map((x) => noiseSigma(x / m.samples) * (BETA_GAIN ** 2 / Math.sin(p.incidence[x]!))),
    6,
  );
  const lines = lutLines(m);
  const az: number[] = [];
  for (let l = 0; l < m.lines - 1; l += 20) {
    az.push(l);
  }
  az.push(m.lines - 1);
  return `<noise>${head(p, pol, i)}<noiseRangeVectorList count="${lines.length}">${lines.map((l) => `<noiseRangeVector><azimuthTime>${time(m.firstLineT + l * m.lineIntervalS)}</azimuthTime><line>${l}</line><pixel count="${pixels.length}">${pixels.join(" ")}</pixel><noiseRangeLut count="${pixels.length}">${values}</noiseRangeLut></noiseRangeVector>`).join("\n")}</noiseRangeVectorList>
<noiseAzimuthVectorList count="1"><noiseAzimuthVector><swath>IW</swath><firstAzimuthLine>0</firstAzimuthLine><firstRangeSample>0</firstRangeSample><lastAzimuthLine>${m.lines - 1}</lastAzimuthLine><lastRangeSample>${m.samples - 1}</lastRangeSample><line count="${az.length}">${az.join(" ")}</line><noiseAzimuthLut count="${az.length}">${list(
    az.map((l) => azimuthRipple(l + (p.line0 ?? 0))),
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
${vectors.map((v) => `<OSV><TAI>${tai(v.t)}</TAI><UTC>${utc(v.t)}</UTC><Absolute_Orbit>+${absoluteOrbit}</Absolute_Orbit><X unit="m">${v.position[0].toFixed(6)}</X><Y unit="m">${v.position[1].toFixed(6)}</Y><Z unit="m">${v.position[2].toFixed(6)}</Z><VX unit="m/s">${v.velocity[0].toFixed(6)}</VX><VY unit="m/s">${v.velocity[1].toFixed(6)}</VY><VZ unit="m/s">${v.velocity[2].toFixed(6)}</VZ><Quality>NOMINAL</Quality></OSV>`).join("\n")}
</List_of_OSVs></Data_Block>
</Earth_Explorer_File>
`;
}
export const orbitFileName = (v: StateVector[]): string =>
  `LN1_OPER_AUX_POEORB_OPOD_20250620T120000_V${stamp(v[0]!.t)}_${stamp(v.at(-1)!.t)}.EOF`;
