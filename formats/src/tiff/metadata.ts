import { XMLParser } from "fast-xml-parser";

export interface BandTags {
  name?: string;
  unit?: string;
  scale: number;
  offset: number;
}
export interface TiffMetadata {
  items: Record<string, string>;
  bands: Map<number, BandTags>;
}

/**
 * The XML items that geospatial software keeps in tag 42112: free items of the file, and of bands
 * their description, unit,
 * scale and offset. What cannot be parsed is ignored: it is only description.
 */
export function parseMetadataXml(xml: string | undefined): TiffMetadata {
  const out: TiffMetadata = { items: {}, bands: new Map() };
  if (!xml) {
    return out;
  }
  let root: unknown;
  try {
    root = new XMLParser({
      ignoreAttributes: false,
      parseTagValue: false,
      parseAttributeValue: false,
      isArray: (n) => n === "Item",
    }).parse(xml);
  } catch {
    return out;
  }
  const list = (Object.values(root as Record<string, { Item?: unknown }>).find(
    (value) => value && typeof value === "object" && "Item" in value,
  )?.Item ?? []) as Record<string, string>[];
  for (const i of list) {
    const name = i["@_name"];
    const text = String(i["#text"] ?? "");
    if (!name) {
      continue;
    }
    if (i["@_sample"] === undefined) {
      out.items[name] = text;
      continue;
    }
    const k = Number(i["@_sample"]);
    let bandTags = out.bands.get(k);
    if (!bandTags) {
      bandTags = { scale: 1, offset: 0 };
      out.bands.set(k, bandTags);
    }
    const role = i["@_role"] ?? name.toLowerCase();
    const n = Number(text);
    if (role === "scale" && Number.isFinite(n) && n !== 0) {
      bandTags.scale = n;
    } else if (role === "offset" && Number.isFinite(n)) {
      bandTags.offset = n;
    } else if (role === "description") {
      bandTags.name = text;
    } else if (role === "unittype") {
      bandTags.unit = text;
    }
  }
  return out;
}

const escape = (s: string) =>
  s.replace(/&/g, "&amp;").replace(/</g, "&lt;").replace(/>/g, "&gt;").replace(/"/g, "&quot;");

/** Root element that readers of tag 42112 expect. */
const ROOT = "GDALMetadata";

/** Items and names of bands as the metadata text of a TIFF. */
export function writeMetadataXml(
  items: Record<string, string>,
  bands: { name: string; unit?: string }[],
): string {
  const lines = Object.entries(items).map(
    ([k, value]) => `<Item name="${escape(k)}">${escape(value)}</Item>`,
  );
  bands.forEach((band, i) => {
    lines.push(
      `<Item name="DESCRIPTION" sample="${i}" role="description">${escape(band.name)}</Item>`,
    );
    if (band.unit) {
      lines.push(`<Item name="UNITTYPE" sample="${i}" role="unittype">${escape(band.unit)}</Item>`);
    }
  });
  return `<${ROOT}>${lines.join("")}</${ROOT}>`;
}
