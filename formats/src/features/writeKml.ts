import type { Position } from "@hindglance/core/vector/polygons";
import { escapeXml } from "../escapeXml";
import type { AreaFeature, Features, Field, Value } from "./features";
import type { AreaStyle } from "./styledLayer";

/** What a document of areas is called, and how they are drawn. */
export interface KmlOptions {
  name: string;
  description: string;
  fields: readonly Field[];
  styles: readonly AreaStyle[];
  /** Style of a feature, by its id; undefined where it has none. */
  styleOf(feature: AreaFeature): AreaStyle | undefined;
}

const KML_TYPES = { text: "string", integer: "int", number: "double", boolean: "bool" } as const;
const SCHEMA = "area";

/** A colour as KML has it: opacity first, then blue, green and red. */
const kmlColor = (color: string, opacity: string): string =>
  `${opacity}${color.slice(5, 7)}${color.slice(3, 5)}${color.slice(1, 3)}`;

const styleText = ({ id, color }: AreaStyle): string =>
  `<Style id="${escapeXml(id)}"><LineStyle><color>${kmlColor(color, "ff")}</color><width>1.2</width></LineStyle>` +
  `<PolyStyle><color>${kmlColor(color, "99")}</color></PolyStyle></Style>\n`;

const ringText = (ring: readonly Position[]): string =>
  `<LinearRing><coordinates>${ring.map(([x, y]) => `${x},${y}`).join(" ")}</coordinates></LinearRing>`;

function geometryText(polygons: AreaFeature["polygons"]): string {
  const all = polygons.map(
    ([shell, ...holes]) =>
      `<Polygon><outerBoundaryIs>${ringText(shell!)}</outerBoundaryIs>` +
      `${holes.map((hole) => `<innerBoundaryIs>${ringText(hole)}</innerBoundaryIs>`).join("")}</Polygon>`,
  );
  return all.length === 1 ? all[0]! : `<MultiGeometry>${all.join("")}</MultiGeometry>`;
}

const dataText = (fields: readonly Field[], values: readonly Value[]): string =>
  fields
    .map(({ name }, k) => {
      const known = values[k] ?? null;
      // Both ways to write it stand in the schema; all readers take numbers.
      const value = typeof known === "boolean" ? Number(known) : known;
      return value === null
        ? ""
        : `<SimpleData name="${escapeXml(name)}">${escapeXml(String(value))}</SimpleData>`;
    })
    .join("");

function placemark({ fields, styleOf }: KmlOptions, feature: AreaFeature, number: number): string {
  const style = styleOf(feature);
  const name = style ? `${style.name} ${number}` : String(number);
  return (
    `<Placemark><name>${escapeXml(name)}</name>` +
    (style ? `<styleUrl>#${escapeXml(style.id)}</styleUrl>` : "") +
    `<ExtendedData><SchemaData schemaUrl="#${SCHEMA}">${dataText(fields, feature.values)}</SchemaData></ExtendedData>` +
    `${geometryText(feature.polygons)}</Placemark>\n`
  );
}

/**
 * Areas as a KML document (OGC KML 2.3), piece by piece: a style a kind, typed columns, one placemark an
 * area. What is not known is left out.
 */
export async function* writeKml(options: KmlOptions, features: Features): AsyncGenerator<string> {
  const { name, description, fields, styles } = options;
  const columns = fields
    .map(
      (field) => `<SimpleField type="${KML_TYPES[field.type]}" name="${escapeXml(field.name)}"/>`,
    )
    .join("");
  yield (
    `<?xml version="1.0" encoding="UTF-8"?>\n<kml xmlns="http://www.opengis.net/kml/2.2">\n<Document><name>${escapeXml(name)}</name>` +
    `<description>${escapeXml(description)}</description>\n` +
    `<Schema name="${SCHEMA}" id="${SCHEMA}">${columns}</Schema>\n${styles.map(styleText).join("")}`
  );
  let number = 0;
  for await (const batch of features) {
    yield batch.map((feature) => placemark(options, feature, ++number)).join("");
  }
  yield "</Document>\n</kml>\n";
}
