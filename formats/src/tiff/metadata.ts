import { escapeXml } from "../escapeXml";
import { isObject } from "@hindglance/core/values";
import { XMLParser } from "fast-xml-parser";

/** What is said of a band: value = stored value · scale + offset. */
export interface BandTags {
  name?: string;
  unit?: string;
  scale: number;
  offset: number;
}

/** Free items of a file, and what is said of its bands, counted from 0. */
export interface TiffMetadata {
  items: Record<string, string>;
  bands: Map<number, BandTags>;
}

/** An item of the metadata text. */
interface Item {
  name: string;
  text: string;
  /** The band that it is of; undefined for the whole file. */
  sample: number | undefined;
  role: string;
}

/** An element as an item; null where it has no name. */
function itemOf(element: unknown): Item | null {
  const found = isObject(element) ? element : {};
  const textOf = (key: string): string | undefined =>
    typeof found[key] === "string" ? found[key] : undefined;
  const name = textOf("@_name");
  const sample = textOf("@_sample");
  return name
    ? {
        name,
        text: textOf("#text") ?? "",
        sample: sample === undefined ? undefined : Number(sample),
        role: textOf("@_role") ?? name.toLowerCase(),
      }
    : null;
}

/** The items of a metadata text; none where it cannot be parsed. */
function itemsOf(xml: string): Item[] {
  const parser = new XMLParser({
    ignoreAttributes: false,
    parseTagValue: false,
    parseAttributeValue: false,
    isArray: (name) => name === "Item",
  });
  let root: unknown;
  try {
    root = parser.parse(xml);
  } catch {
    return [];
  }
  const holder = Object.values(isObject(root) ? root : {}).find(
    (value) => isObject(value) && "Item" in value,
  );
  const elements: unknown = isObject(holder) ? holder.Item : [];
  return (Array.isArray(elements) ? elements : []).map(itemOf).filter((item) => item !== null);
}

/** What an item of a band says, by its role. */
function tagOf({ role, text }: Item): Partial<BandTags> {
  const value = Number(text);
  switch (role) {
    case "scale":
      return Number.isFinite(value) && value !== 0 ? { scale: value } : {};
    case "offset":
      return Number.isFinite(value) ? { offset: value } : {};
    case "description":
      return { name: text };
    case "unittype":
      return { unit: text };
    default:
      return {};
  }
}

/**
 * The XML items that geospatial software keeps in tag 42112: free items of the file, and of bands
 * their description, unit, scale and offset. What cannot be parsed is ignored: it is only
 * description.
 */
export function parseMetadataXml(xml: string | undefined): TiffMetadata {
  const metadata: TiffMetadata = { items: {}, bands: new Map() };
  for (const item of itemsOf(xml ?? "")) {
    if (item.sample === undefined) {
      metadata.items[item.name] = item.text;
    } else {
      const known = metadata.bands.get(item.sample) ?? { scale: 1, offset: 0 };
      metadata.bands.set(item.sample, { ...known, ...tagOf(item) });
    }
  }
  return metadata;
}

/** Root element that readers of tag 42112 expect. */
const ROOT = "GDALMetadata";

/** Items and names of bands as the metadata text of a TIFF. */
export function writeMetadataXml(
  items: Record<string, string>,
  bands: { name: string; unit?: string }[],
): string {
  const lines = Object.entries(items).map(
    ([k, value]) => `<Item name="${escapeXml(k)}">${escapeXml(value)}</Item>`,
  );
  bands.forEach((band, i) => {
    lines.push(
      `<Item name="DESCRIPTION" sample="${i}" role="description">${escapeXml(band.name)}</Item>`,
    );
    if (band.unit) {
      lines.push(
        `<Item name="UNITTYPE" sample="${i}" role="unittype">${escapeXml(band.unit)}</Item>`,
      );
    }
  });
  return `<${ROOT}>${lines.join("")}</${ROOT}>`;
}
