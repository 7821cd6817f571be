import { createHash } from "node:crypto";
import yazl from "yazl";
import { utcSeconds, utcText } from "@hindglance/core/radar/orbit";

/**
 * Files of a small made-up product in the SAFE layout, by path; two polarisations of 30 x 20 cells.
 * Change a text to break it.
 */
export function safeFiles(name = "LN1_IW_GRDH_TEST"): Map<string, string | Uint8Array> {
  const files = new Map<string, string | Uint8Array>();
  const base = `${name}.SAFE/`;
  const vec = (value: number) => [0, 15, 29].map((k) => value + k).join(" ");
  const t = (s: number) => utcText(utcSeconds("2025-05-02T18:41:10") + s).slice(0, -1);
  const hrefs: string[] = [];
  for (const pol of ["VV", "VH"]) {
    const stem = `ln1-iw-grd-${pol.toLowerCase()}-001`;
    const head = `<adsHeader><missionId>LN1</missionId><productType>GRD</productType><polarisation>${pol}</polarisation><mode>IW</mode><startTime>${t(0)}</startTime><absoluteOrbitNumber>58502</absoluteOrbitNumber></adsHeader>`;
    const orbit = Array.from(
      { length: 5 },
      (_v, k) =>
        `<orbit><time>${t(-20 + 10 * k)}</time><position><x>${7e6 + k}</x><y>${k * 1000}</y><z>${k * 7e4}</z></position><velocity><x>1</x><y>100</y><z>7500</z></velocity></orbit>`,
    ).join("");
    const points = [
      [0, 0],
      [0, 29],
      [19, 0],
      [19, 29],
    ]
      .map(
        ([level, position]) =>
          `<geolocationGridPoint><line>${level}</line><pixel>${position}</pixel><latitude>${-43.5 - level! / 100}</latitude><longitude>${-21 + position! / 100}</longitude><incidenceAngle>${38 + position! / 10}</incidenceAngle></geolocationGridPoint>`,
      )
      .join("");
    files.set(
      `${base}annotation/${stem}.xml`,
      `<?xml version="1.0"?><product>${head}<generalAnnotation><productInformation><pass>Descending</pass><projection>Ground Range</projection><radarFrequency>5.405e9</radarFrequency></productInformation><orbitList count="5">${orbit}</orbitList></generalAnnotation><imageAnnotation><imageInformation><productFirstLineUtcTime>${t(0)}</productFirstLineUtcTime><productLastLineUtcTime>${t(0.0285)}</productLastLineUtcTime><rangePixelSpacing>1.0e+01</rangePixelSpacing><azimuthPixelSpacing>1.0e+01</azimuthPixelSpacing><azimuthTimeInterval>1.5e-03</azimuthTimeInterval><numberOfSamples>30</numberOfSamples><numberOfLines>20</numberOfLines></imageInformation></imageAnnotation><coordinateConversion><coordinateConversionList><coordinateConversion><azimuthTime>${t(-1)}</azimuthTime><sr0>8.0e+05</sr0><srgrCoefficients count="3">0 1.6 -2e-7</srgrCoefficients></coordinateConversion></coordinateConversionList></coordinateConversion><geolocationGrid><geolocationGridPointList>${points}</geolocationGridPointList></geolocationGrid></product>`,
    );
    files.set(
      `${base}annotation/calibration/calibration-${stem}.xml`,
      `<calibration>${head}<calibrationVectorList><calibrationVector><line>-10</line><pixel>0 15 29</pixel><sigmaNought>${vec(500)}</sigmaNought><betaNought>${vec(400)}</betaNought><gamma>${vec(600)}</gamma></calibrationVector><calibrationVector><line>30</line><pixel>0 15 29</pixel><sigmaNought>${vec(510)}</sigmaNought><betaNought>${vec(410)}</betaNought><gamma>${vec(610)}</gamma></calibrationVector></calibrationVectorList></calibration>`,
    );
    files.set(
      `${base}annotation/calibration/noise-${stem}.xml`,
      `<noise>${head}<noiseRangeVectorList><noiseRangeVector><line>0</line><pixel>0 15 29</pixel><noiseRangeLut>${vec(900)}</noiseRangeLut></noiseRangeVector></noiseRangeVectorList><noiseAzimuthVectorList><noiseAzimuthVector><firstAzimuthLine>0</firstAzimuthLine><firstRangeSample>0</firstRangeSample><lastAzimuthLine>19</lastAzimuthLine><lastRangeSample>29</lastRangeSample><line>0 19</line><noiseAzimuthLut>1 1.1</noiseAzimuthLut></noiseAzimuthVector></noiseAzimuthVectorList></noise>`,
    );
    files.set(`${base}measurement/${stem}.tiff`, new Uint8Array(64).fill(7));
    hrefs.push(
      `annotation/${stem}.xml`,
      `annotation/calibration/calibration-${stem}.xml`,
      `annotation/calibration/noise-${stem}.xml`,
      `measurement/${stem}.tiff`,
    );
  }
  files.set(
    `${base}manifest.safe`,
    `<xfdu:XFDU xmlns:xfdu="urn:x"><dataObjectSection>${hrefs.map((href) => `<dataObject><byteStream><fileLocation href="./${href}"/></byteStream></dataObject>`).join("")}</dataObjectSection></xfdu:XFDU>`,
  );
  return files;
}

/** What a file holds, as bytes. */
export const bytesOf = (body: string | Uint8Array): Buffer =>
  typeof body === "string" ? Buffer.from(body) : Buffer.from(body);

/** What a file holds, as text. */
export const textOf = (body: string | Uint8Array | undefined): string =>
  bytesOf(body ?? "").toString();

/** The files as a zip archive, packed or stored as they are. */
export async function zipOf(
  files: Map<string, string | Uint8Array>,
  { isStored = false } = {},
): Promise<Uint8Array> {
  const zip = new yazl.ZipFile();
  const parts: Uint8Array[] = [];
  for (const [path, body] of files) {
    zip.addBuffer(bytesOf(body), path, { compress: !isStored });
  }
  zip.end();
  for await (const part of zip.outputStream) {
    parts.push(Buffer.from(part));
  }
  return Buffer.concat(parts);
}

/** An orbit file with so many vectors, ten seconds apart, around a time. */
export const orbitText = (count = 12, frame = "EARTH_FIXED", mission = "LANTERN-1"): string =>
  `<?xml version="1.0"?><Earth_Explorer_File><Earth_Explorer_Header><Fixed_Header><Mission>${mission}</Mission><File_Type>AUX_POEORB</File_Type><Validity_Period><Validity_Start>UTC=2025-05-02T18:40:00</Validity_Start><Validity_Stop>UTC=2025-05-02T18:42:00</Validity_Stop></Validity_Period></Fixed_Header><Variable_Header><Ref_Frame>${frame}</Ref_Frame></Variable_Header></Earth_Explorer_Header><Data_Block><List_of_OSVs>${Array.from({ length: count }, (_v, k) => `<OSV><TAI>TAI=2025-05-02T18:41:${String(k * 5).padStart(2, "0")}.000000</TAI><UTC>UTC=2025-05-02T18:40:${String(k * 5).padStart(2, "0")}.250000</UTC><X>7000000.5</X><Y>${k}</Y><Z>0</Z><VX>0</VX><VY>0</VY><VZ>7500</VZ></OSV>`).join("")}</List_of_OSVs></Data_Block></Earth_Explorer_File>`;

/** A product whose manifest gives the MD5 of every other file. */
export function withMd5(): Map<string, string | Uint8Array> {
  const files = safeFiles();
  const manifest = [...files.keys()].find((path) => path.endsWith("manifest.safe"))!;
  const base = manifest.slice(0, -"manifest.safe".length);
  const objects = [...files.keys()]
    .filter((path) => path !== manifest)
    .map((path) => {
      const md5 = createHash("md5")
        .update(bytesOf(files.get(path)!))
        .digest("hex");
      const href = path.slice(base.length);
      return `<dataObject><byteStream><fileLocation href="./${href}"/><checksum checksumName="MD5">${md5}</checksum></byteStream></dataObject>`;
    });
  files.set(
    manifest,
    `<xfdu:XFDU xmlns:xfdu="urn:x"><dataObjectSection>${objects.join("")}</dataObjectSection></xfdu:XFDU>`,
  );
  return files;
}
